import yargs from "yargs";
import { z } from "zod";
import { parseClock, systemClock } from "../clock.ts";
import { Failure } from "../core/failure.ts";
import { cataloguePage, jsonText, styleFor, terminalSafe, visible } from "../present/index.ts";
import type { Arguments, Command, Context } from "./command.ts";
import { COMMANDS, GROUPS } from "./registry.ts";

const GLOBAL = {
  json: { type: "boolean", describe: "print the result as JSON (schemas in docs/schemas)", default: false },
  workspace: { type: "string", describe: "the workspace folder, if it is not this one or one above", requiresArg: true },
} as const;

/** Reads standard input to its end; more than `most` octets are refused before they fill the memory. */
async function readInput(most: number): Promise<string> {
  const chunks: Buffer[] = [];
  let length = 0;
  for await (const chunk of process.stdin) {
    length += (chunk as Buffer).length;
    if (length > most) throw new Failure("input-too-large", { octets: most });
    chunks.push(chunk as Buffer);
  }
  return Buffer.concat(chunks).toString("utf8");
}

async function prompt(question: string): Promise<string> {
  const { createInterface } = await import("node:readline/promises");
  const terminal = createInterface({ input: process.stdin, output: process.stderr });
  try {
    return (await terminal.question(terminalSafe(question))).trim();
  } finally {
    terminal.close();
  }
}

function contextFor(json: boolean): Context {
  const { env } = process;
  const clock = env.ZANDREL_CLOCK === undefined ? systemClock : parseClock(env.ZANDREL_CLOCK);
  if (clock === undefined) throw new Failure("clock-form", {});
  const live = process.stdout.isTTY === true;
  const forced = env.FORCE_COLOR !== undefined && env.FORCE_COLOR !== "0";
  const colour = !json && (env.NO_COLOR === undefined || env.NO_COLOR === "") && (forced || (live && env.TERM !== "dumb"));
  return {
    cwd: process.cwd(),
    env,
    clock,
    style: styleFor(colour),
    width: Math.max(60, Math.min(process.stdout.columns ?? (Number(env.COLUMNS) || 100), 120)),
    interactive: live && process.stdin.isTTY === true && !json,
    live,
    json,
    out: (text) => void process.stdout.write(json ? text : terminalSafe(text)),
    note: (text) => void process.stderr.write(terminalSafe(text)),
    input: () => process.stdin as AsyncIterable<Buffer>,
    write: (octets) => new Promise((resolve) => void process.stdout.write(octets, () => resolve())),
    readInput,
    prompt,
  };
}

/** The steps of a command that has several, such as `spf test`. */
const stepsOf = (name: string) => COMMANDS.filter((one) => one.name.startsWith(`${name} `));

/** The command a line begins with, and what follows it; the longer name counts. */
function entryFor([name = "", ...rest]: readonly string[]):
  | { entry: (typeof COMMANDS)[number]; rest: readonly string[] }
  | undefined {
  const step = COMMANDS.find((one) => one.name === `${name} ${rest[0]}`);
  if (step !== undefined) return { entry: step, rest: rest.slice(1) };
  const entry = COMMANDS.find((one) => one.name === name);
  return entry === undefined ? undefined : { entry, rest };
}

const unknownCommand = (name: string, next: string | undefined): Failure => {
  const steps = stepsOf(name).map((one) => one.name.slice(name.length + 1));
  if (steps.length > 0) {
    const meant = next === undefined ? undefined : closest(next, steps);
    return new Failure("subcommand-needed", { command: name, known: steps, given: next });
  }
  const near = closest(
    name,
    COMMANDS.map((one) => one.name.split(" ")[0] as string),
  );
  return new Failure("unknown-command", { given: name, known: COMMANDS.map((one) => one.name.split(" ")[0] as string) });
};

function listed(commands: readonly Pick<(typeof COMMANDS)[number], "name" | "summary">[]): string[] {
  const width = Math.max(...commands.map(({ name }) => name.length));
  return commands.map(({ name, summary }) => `  ${name.padEnd(width)}  ${summary}`);
}

/** Every command in the order of the work; those of two words in one line. */
function overview(): string[] {
  const firsts = [...new Set(COMMANDS.map(({ name }) => name.split(" ")[0] as string))];
  return listed(
    firsts.map((name) => {
      const steps = stepsOf(name).map((one) => one.name.slice(name.length + 1));
      return COMMANDS.find((one) => one.name === name) ?? { name, summary: `${GROUPS[name]}: ${steps.join(", ")}` };
    }),
  );
}

function describeAll(): string {
  return [
    "zandrel COMMAND [OPTIONS]",
    "",
    "Domain ownership and mail authentication records: taken down, published, followed, proven.",
    "",
    "Commands, in the order of the work:",
    ...overview(),
    "",
    "zandrel COMMAND --help explains one command, or lists its steps. Every command takes --json and ends with",
    "0 (all is as wanted), 1 (something is not), 2 (the call or a file is wrong), 3 (could not be determined).",
    "",
    "Start here: zandrel init DOMAIN, or see the whole story with zandrel demo.",
    "",
  ].join("\n");
}

/** One command's own parser. */
function parserFor(command: Command<never>) {
  const options = { ...command.options, ...(command.schema === undefined ? { workspace: GLOBAL.workspace } : GLOBAL) };
  const known = [...Object.keys(options), "help"];
  const parser = yargs()
    .scriptName("zandrel")
    .usage(`zandrel ${command.name} ${command.operands}\n\n${command.summary[0]?.toUpperCase()}${command.summary.slice(1)}.`)
    .parserConfiguration({
      "camel-case-expansion": false,
      "strip-aliased": true,
      "duplicate-arguments-array": true,
      "greedy-arrays": false,
      "parse-positional-numbers": false,
    })
    .locale("en")
    .options(options as never)
    .help()
    .version(false)
    .alias("help", "h")
    .exitProcess(false)
    .wrap(Math.min(100, process.stdout.columns ?? 100))
    .strictOptions()
    .fail((message, error) => {
      if (error !== undefined && error !== null) throw error;
      const wrong = /^Unknown arguments?: (.+)$/.exec(message)?.[1]?.split(", ")[0];
      if (wrong === undefined) throw new Failure("usage", { command: command.name, because: message });
      const near = closest(wrong, known);
      throw new Failure("unknown-option", { command: command.name, given: wrong, known });
    });
  for (const [line, meaning] of command.examples) parser.example(line, meaning);
  return parser;
}

async function runCommand(command: Command<never>, argv: readonly string[]): Promise<ExitCode> {
  const parser = parserFor(command);
  if (argv.includes("--help") || argv.includes("-h")) {
    process.stdout.write(`${await parser.getHelp()}\n`);
    return EXIT.ok;
  }
  const args = (await parser.parseAsync([...argv])) as unknown as Arguments;
  const context = contextFor(args.json === true);
  // Of an option that is no list and given twice, the last counts.
  const single = Object.entries(args).map(([name, value]) => [
    name,
    Array.isArray(value) && name !== "_" && command.options[name]?.array !== true ? value.at(-1) : value,
  ]);
  const { exit, result } = await command.run({ ...Object.fromEntries(single), _: args._.map(String) }, context);
  if (result !== undefined) {
    if (context.json) context.out(`${jsonText((command.schema as z.ZodType).parse(result), 2)}\n`);
    else if (command.present !== undefined) context.out(command.present(result, context));
  }
  return exit;
}

/** Completions for what is typed so far: commands first, then options of the command. */
async function complete(words: readonly string[]): Promise<void> {
  const withoutRootDot = words.filter((word) => !word.endsWith("zandrel"));
  const [name = "", ...rest] = withoutRootDot;
  const found = entryFor(withoutRootDot);
  const steps = stepsOf(name).map((one) => one.name.slice(name.length + 1));
  const offered =
    found !== undefined && found.rest.length > 0
      ? [
          "--help",
          "--json",
          "--workspace",
          ...Object.keys((await found.entry.load()).default.options).map((option) => `--${option}`),
        ]
      : rest.length > 0 && steps.length > 0
        ? steps
        : [...new Set(COMMANDS.map((one) => one.name.split(" ")[0] as string))];
  const last = rest.at(-1) ?? name ?? "";
  process.stdout.write(
    offered
      .filter((word) => word.startsWith(last))
      .map((word) => `${word}\n`)
      .join(""),
  );
}

/** Writes the JSON schema of every command's `--json` into a folder; the page of findings and the contract of the service link beside it. */
async function writeSchemas(folder: string): Promise<void> {
  const { writeAtomically } = await import("../workspace/index.ts");
  const { CATALOGUE } = await import("../core/audit/index.ts");
  const { openApi } = await import("../core/sending/index.ts");
  writeAtomically(`${folder}/../findings.md`, cataloguePage(CATALOGUE));
  writeAtomically(`${folder}/../service-link.openapi.json`, `${JSON.stringify(openApi(), undefined, 2)}\n`);
  for (const { name, load } of COMMANDS) {
    const { schema } = (await load()).default;
    if (schema === undefined) continue;
    const json = z.toJSONSchema(schema, { io: "output", unrepresentable: "any" });
    writeAtomically(
      `${folder}/${name.replace(" ", "-")}.json`,
      `${JSON.stringify({ title: `zandrel ${name} --json`, ...json }, undefined, 2)}\n`,
    );
  }
}

/** Runs a command line and gives back the exit code. */
export async function run(argv: readonly string[]): Promise<ExitCode> {
  try {
    const [name, ...rest] = argv;
    if (name === undefined || name === "--help" || name === "-h" || name === "help") {
      process.stdout.write(describeAll());
      return name === undefined ? EXIT.usage : EXIT.ok;
    }
    if (name === "--completions") {
      await complete(rest);
      return EXIT.ok;
    }
    if (name === "schemas") {
      await writeSchemas(rest[0] ?? "docs/schemas");
      return EXIT.ok;
    }
    const found = entryFor(argv);
    if (found === undefined) {
      if (stepsOf(name).length === 0 || !(rest[0] === "--help" || rest[0] === "-h")) throw unknownCommand(name, rest[0]);
      process.stdout.write(`${listed(stepsOf(name)).join("\n")}\n`);
      return EXIT.ok;
    }
    return await runCommand((await found.entry.load()).default, found.rest);
  } catch (error) {
    if (!(error instanceof Failure)) throw error;
    process.stderr.write(terminalSafe(`${visible(error.message)}\n`));
    return error.exit;
  }
}
