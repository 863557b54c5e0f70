import { execa } from "execa";
import * as z from "zod";
import { type Clause, clause, clauseOfIssue } from "../core/clause/index.ts";
import { err, ok, type Result } from "../core/result.ts";
import { redacted } from "./redact.ts";

/** The version of the contract between Zandrel and helper programs (docs/helpers.md). */
const HELPER_VERSION = 1;

/** A record set as helpers read and write it: data as zone-file text, names absolute. */
const helperSet = z.object({ ttl: z.number().int().min(0).max(0x7fffffff), data: z.array(z.string()).min(1) });
export type HelperSet = z.output<typeof helperSet>;

const ANSWERS = {
  describe: z.object({
    contract: z.literal("zandrel-helper"),
    version: z.literal(HELPER_VERSION),
    title: z.string().max(200),
    atomic: z.boolean(),
  }),
  read: z.object({
    version: z.literal(HELPER_VERSION),
    sets: z.array(z.object({ name: z.string(), type: z.string(), set: helperSet.nullable() })),
  }),
  change: z.object({
    version: z.literal(HELPER_VERSION),
    outcome: z.enum(["done", "moved", "refused", "partly"]),
    reason: z.string().max(1000).default(""),
  }),
} as const;

export type HelperRequest =
  | { readonly action: "describe" }
  | { readonly action: "read"; readonly zone: string; readonly sets: readonly { readonly name: string; readonly type: string }[] }
  | {
      readonly action: "change";
      readonly zone: string;
      readonly changes: readonly {
        readonly name: string;
        readonly type: string;
        readonly before: HelperSet | null;
        readonly after: HelperSet | null;
      }[];
    };

export type HelperAnswer<A extends HelperRequest["action"]> = z.output<(typeof ANSWERS)[A]>;

/** What keeps a helper's answer from counting; `sent` says whether it may have done something all the same. */
export interface HelperFailure {
  readonly detail: Clause;
  readonly sent: boolean;
}

/** A terminal ends only its own group by these; the helper's is ended by hand. */
const SIGNALS = ["SIGINT", "SIGTERM", "SIGHUP"] as const;

const MAX_OUTPUT = 4 * 1024 * 1024;

/** The last words of a helper on standard error, for people. */
/** Lines that a run-time environment puts behind an error: where it happened, and which version it is. */
const TRACE = /^\s+at |^\s*[{}]|^Node\.js v|^\s*$/;

/** What a program said last, without what its run-time environment adds. */
const lastWords = (text: string): string =>
  (text.split("\n").findLast((line) => !TRACE.test(line)) ?? "")
    .trim()
    .replace(/^(?:Uncaught )?[A-Z]\w*(?:Error|Exception): /, "")
    .slice(0, 200);

/** How a program is run: where, with which environment, and for how long (milliseconds). */
export interface ProgramOptions {
  readonly cwd: string;
  readonly env: Readonly<Record<string, string | undefined>>;
  readonly timeout: number;
}

/**
 * Runs a program once with one JSON object on its standard input, and hands back what it printed. It gets the environment, so that
 * tokens need not pass through anything else. It is killed, with all that it started, when it takes too long or prints too much.
 *
 * @param called what people call it: “the helper host.mjs”
 */
export async function runProgram(
  command: readonly string[],
  input: object,
  called: Clause,
  { cwd, env, timeout }: ProgramOptions,
): Promise<Result<string, HelperFailure>> {
  const [program = "", ...args] = command;
  const running = execa(program, args, {
    cwd,
    env,
    extendEnv: false,
    input: `${JSON.stringify(input)}\n`,
    maxBuffer: 2 * MAX_OUTPUT,
    // A group of its own, so that what it starts can be ended with it.
    detached: true,
    killSignal: "SIGKILL",
    reject: false,
  });
  let timedOut = false;
  const endAll = (): void => {
    try {
      if (running.pid !== undefined) process.kill(-running.pid, "SIGKILL");
    } catch {
      // All of them have ended.
    }
    // One that left the group may still hold these open.
    running.stdout.destroy();
    running.stderr.destroy();
  };
  // One that prints without end is ended at once, not when its time is over.
  let octets = 0;
  for (const stream of [running.stdout, running.stderr])
    stream.on("data", (chunk: Buffer) => {
      octets += chunk.length;
      if (octets > MAX_OUTPUT) endAll();
    });
  const timer = setTimeout(() => {
    timedOut = true;
    endAll();
  }, timeout);
  const interrupted = (signal: NodeJS.Signals): void => {
    endAll();
    process.kill(process.pid, signal);
  };
  for (const signal of SIGNALS) process.once(signal, interrupted);
  const ran = await running;
  for (const signal of SIGNALS) process.off(signal, interrupted);
  clearTimeout(timer);
  // What it left running is ended with it.
  endAll();
  // A program that cannot be started has neither ended nor been ended.
  const sent = ran.exitCode !== undefined || ran.isTerminated;
  const fail = (detail: Clause) => err({ detail, sent });
  const secrets = Object.entries(env).flatMap(([name, value]) => (/SECRET|TOKEN|KEY|PASS|CREDENTIAL/i.test(name) ? [value] : []));
  const why = redacted(lastWords(ran.stderr), secrets);
  if (timedOut) return fail(clause("program-no-answer", { program: called, seconds: timeout / 1000 }));
  if (octets > MAX_OUTPUT)
    return fail(clause("program-output-too-long", { program: called, mebibytes: MAX_OUTPUT / 1024 / 1024 }));
  if (!sent) return fail(clause("program-not-started", { program: called, why: ran.code ?? ran.originalMessage ?? "" }));
  if (ran.exitCode !== 0)
    return fail(
      clause("program-ended", { program: called, how: ran.signal ?? ran.exitCode ?? "", said: why === "" ? undefined : why }),
    );
  return ok(ran.stdout);
}

/** Runs a helper program once: one JSON object on its standard input, one on its standard output. */
export async function runHelper<R extends HelperRequest>(
  command: readonly string[],
  request: R,
  options: ProgramOptions,
): Promise<Result<HelperAnswer<R["action"]>, HelperFailure>> {
  const called = clause("program-helper", { command: command[0] ?? "" });
  const ran = await runProgram(command, { contract: "zandrel-helper", version: HELPER_VERSION, ...request }, called, options);
  if (!ran.ok) return ran;
  // Whoever answers has done something.
  const fail = (detail: Clause) => err({ detail, sent: true });
  let value: unknown;
  try {
    value = JSON.parse(ran.value);
  } catch {
    return fail(clause("program-not-json", { program: called }));
  }
  const checked = ANSWERS[request.action].safeParse(value);
  if (!checked.success) {
    const [issue] = checked.error.issues as [z.core.$ZodIssue];
    return fail(clause("program-other-form", { program: called, at: issue.path.join("."), message: clauseOfIssue(issue) }));
  }
  return ok(checked.data as HelperAnswer<R["action"]>);
}
