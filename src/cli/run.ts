import { closeSync, openSync } from "node:fs";
import parser from "yargs-parser";
import * as z from "zod";
import type { Ended } from "../app/context.ts";
import { parseClock, systemClock } from "../clock.ts";
import type { Clause } from "../core/clause/index.ts";
import { decodeText } from "../core/encoding.ts";
import { Failure } from "../core/failure.ts";
import { jsonText, terminalSafe, visible, visibleLines } from "../present/safe.ts";
import { styleFor } from "../present/style.ts";
import { octetsWithoutSecrets, withoutSecrets } from "../secrets.ts";
import type { Command, Context } from "./command.ts";
import { complete } from "./completion.ts";
import { describeAll, entryFor, listed, subcommandsOf } from "./help.ts";
import { type Option, optionName, shared } from "./options.ts";
import { COMMANDS } from "./registry.ts";
import { hasBrowser, ofProcess, type Surroundings } from "./surroundings.ts";

// Schemas are used once in the life of a command: making code for each takes longer than walking it.
z.config({ jitless: true });

/** How a command ends: fine, a problem was found, the call or a file is wrong, or it could not be determined. */
const EXIT: Readonly<Record<Ended, number>> = { fine: 0, problem: 1, usage: 2, undetermined: 3 };

/** Reads standard input to its end; more than `max` octets are refused before they fill the memory. */
async function readInput(input: AsyncIterable<Buffer>, max: number): Promise<string> {
  const chunks: Buffer[] = [];
  let length = 0;
  for await (const chunk of input) {
    length += chunk.length;
    if (length > max) throw new Failure("input-too-large", { octets: max });
    chunks.push(chunk);
  }
  return decodeText(Buffer.concat(chunks));
}

/** Whether somebody can be asked, although standard input may be a paste. */
function hasTerminal({ input }: Surroundings): boolean {
  if (input.isTTY === true) return true;
  try {
    closeSync(openSync("/dev/tty", "r"));
    return true;
  } catch {
    return false;
  }
}

const notWritten = (error: unknown): Failure =>
  new Failure("output-not-written", { why: (error as NodeJS.ErrnoException).code ?? "" });

/** Says that standard output took not all of it, and gives back the exit code. */
export async function outputFailed(error: unknown): Promise<number> {
  await showFailure(notWritten(error), false, ofProcess());
  return EXIT.usage;
}

/** The door through which everything leaves: no secret that this process has read goes out, in whatever form it got there. */
const veiled = (outside: Surroundings): Surroundings => ({
  cwd: outside.cwd,
  env: outside.env,
  // It is made when something reads it.
  get input() {
    return outside.input;
  },
  output: {
    ...outside.output,
    write: (text) => outside.output.write(withoutSecrets(text)),
    handOver: (octets) => outside.output.handOver(octetsWithoutSecrets(octets)),
  },
  errors: { write: (text) => outside.errors.write(withoutSecrets(text)) },
});

/** Writes to standard output; what cannot be written ends the run by a sentence. */
function writeOut({ output }: Surroundings, text: string): void {
  try {
    output.write(text);
  } catch (error) {
    throw notWritten(error);
  }
}

function contextFor(json: boolean, around: Surroundings): Context {
  const { env, output } = around;
  const clock = env.ZANDREL_CLOCK === undefined ? systemClock : parseClock(env.ZANDREL_CLOCK);
  if (clock === undefined) throw new Failure("clock-form", {});
  const live = output.isTTY === true;
  const forced = env.FORCE_COLOR !== undefined && env.FORCE_COLOR !== "0";
  const colour = !json && (env.NO_COLOR === undefined || env.NO_COLOR === "") && (forced || (live && env.TERM !== "dumb"));
  const note = (text: string): void => around.errors.write(terminalSafe(text));
  const inWords = async (clause: Clause): Promise<string> => (await import("../present/clauses/index.ts")).inWords(clause);
  const tell = async (clause: Clause): Promise<void> => note(`${visible(await inWords(clause))}\n`);
  const layout = {
    style: styleFor(colour),
    width: Math.max(60, Math.min(output.columns ?? (Number(env.COLUMNS) || 100), 120)),
  };
  return {
    cwd: around.cwd,
    env,
    clock,
    ...layout,
    interactive: live && !json && hasTerminal(around),
    live,
    json,
    out: (text) => writeOut(around, json ? text : terminalSafe(text)),
    inWords,
    tell,
    prepare: async (clause) => {
      const text = `${visible(await inWords(clause))}\n`;
      return () => note(text);
    },
    progress: live ? tell : async () => undefined,
    input: () => around.input,
    write: (octets) => output.handOver(octets).catch((error) => Promise.reject(notWritten(error))),
    readInput: (max) => readInput(around.input, max),
    browsesHere: hasBrowser(env, process.platform),
    prompt: async (question, stop) => (await import("./terminal.ts")).askLine(`${visibleLines(await inWords(question))} `, stop),
    choose: async (question) => (await import("./terminal.ts")).chooseAtTerminal(question, layout),
    showPage: async (page) => (await import("./approval-page.ts")).showApprovalPage(page, env, note),
  };
}

/** Every option a command knows, by its name on the command line. */
function optionsOf(command: Command): Map<string, readonly [key: string, option: Option<unknown>]> {
  const all = { ...command.options, ...(command.schema === undefined ? {} : { json: shared.json }), workspace: shared.workspace };
  return new Map(Object.entries(all).map(([key, option]) => [optionName(key), [key, option] as const]));
}

/** The help of one command; the package that lays it out is loaded for that alone. */
async function helpOf(command: Command, { output }: Surroundings): Promise<string> {
  const { default: yargs } = await import("yargs");
  const summary = `${command.summary[0]?.toUpperCase()}${command.summary.slice(1)}.`;
  const noJson = command.noJson === undefined ? "" : `\nIt has no --json, because ${command.noJson}.`;
  const page = yargs()
    .scriptName("zandrel")
    .usage(`zandrel ${command.name} ${command.operands}\n\n${summary}${noJson}`)
    .locale("en")
    .options(Object.fromEntries([...optionsOf(command)].map(([name, [, option]]) => [name, option.yargs])) as never)
    .help()
    .version(false)
    .alias("help", "h")
    .wrap(Math.min(100, output.columns ?? 100));
  for (const [line, meaning] of command.examples) page.example(line, meaning);
  return page.getHelp();
}

/** The words of a command line by option; an option without its value, and one that is not known, end the run. */
function readArguments(command: Command, argv: readonly string[]): Readonly<Record<string, unknown>> {
  const options = optionsOf(command);
  const named = (is: (option: Option<unknown>) => boolean) =>
    [...options].filter(([, [, option]]) => is(option)).map(([name]) => name);
  const takingValue = named((option) => option.yargs.type !== "boolean");
  const { argv: args, error } = parser.detailed([...argv], {
    boolean: named((option) => option.yargs.type === "boolean"),
    string: [...takingValue, "_"],
    narg: Object.fromEntries(named((option) => option.yargs.requiresArg === true).map((name) => [name, 1])),
    configuration: {
      "camel-case-expansion": false,
      "dot-notation": false,
      "parse-numbers": false,
      "parse-positional-numbers": false,
      "duplicate-arguments-array": true,
      "greedy-arrays": false,
      "short-option-groups": false,
    },
  });
  const bare = takingValue.find((name) => args[name] === undefined && argv.at(-1) === `--${name}`);
  if (bare !== undefined) throw new Failure("option-value-missing", { command: command.name, option: bare });
  if (error !== null) throw new Failure("usage", { command: command.name, because: error.message });
  for (const given of Object.keys(args)) {
    if (given === "_" || options.has(given)) continue;
    if (given === "json" && command.noJson !== undefined)
      throw new Failure("no-json", { command: command.name, because: command.noJson });
    throw new Failure("unknown-option", { command: command.name, given, known: [...options.keys(), "help"] });
  }
  return args;
}

/** The operands that a workspace knows, so that one that is missing can be picked from a list. */
type Pickable = "domain" | "service";
const pickableOf = (word: string | undefined): Pickable | undefined =>
  word === "DOMAIN" || word === "DOMAIN|RECORD" ? "domain" : word === "SERVICE" ? "service" : undefined;

/** The operands with those that are missing, picked at the terminal from what the workspace knows. */
async function withPicked(
  { operands, makesDomain }: Command,
  given: readonly string[],
  workspace: string | undefined,
  context: Context,
): Promise<readonly string[]> {
  const words = operands.split(" ").filter((word) => word !== "" && !word.startsWith("["));
  const all = [...given];
  while (context.interactive && makesDomain !== true && all.length < words.length) {
    const kind = pickableOf(words[all.length]);
    if (kind === undefined) break;
    const known = (await import("../app/known-here.ts")).knownHere(context, workspace);
    if (known === undefined) break;
    const { domains, services } = known;
    if ((kind === "domain" ? domains : services).length === 0) break;
    const chosen = await context.choose(
      kind === "domain"
        ? { kind: "which-domain", domains: domains.map(({ name }) => name) }
        : { kind: "which-known-service", known: services },
    );
    if (chosen === undefined) break;
    all.push(chosen);
  }
  return all;
}

/** How many things may be named, by what is behind the command's name in its help; `[X..]` is any number. */
function expectOperands(command: Command, given: readonly string[]): void {
  const words = command.operands.split(" ").filter((word) => word !== "");
  const least = words.filter((word) => !word.startsWith("[")).length;
  const most = words.some((word) => word.includes("..")) ? Number.POSITIVE_INFINITY : words.length;
  if (given.length < least || given.length > most)
    throw new Failure("operands", {
      command: command.name,
      operands: command.operands,
      example: command.examples[0]?.[0] ?? "",
    });
}

/** Reads a command line into the request the command takes: every option once, and in its own type. */
export async function requestOf(command: Command, argv: readonly string[], context: Context) {
  const args: Readonly<Record<string, unknown>> = readArguments(command, argv);
  const read = [...optionsOf(command)].map(([name, [key, option]]) => {
    const given = args[name];
    if (Array.isArray(given) && option.yargs.array !== true && option.yargs.type !== "boolean")
      throw new Failure("option-twice", { option: name });
    return [key, option.read(Array.isArray(given) && option.yargs.type === "boolean" ? given.at(-1) : given, name)] as const;
  });
  const request = Object.fromEntries(read);
  const named = (args._ as readonly unknown[]).map(String);
  const operands = await withPicked(command, named, request.workspace as string | undefined, context);
  expectOperands(command, operands);
  return { ...request, operands } as never;
}

async function runCommand(command: Command, argv: readonly string[], around: Surroundings): Promise<Ended> {
  if (argv.includes("--help") || argv.includes("-h")) {
    const more = subcommandsOf(command.name);
    writeOut(around, `${await helpOf(command, around)}\n${more.length === 0 ? "" : `\nAlso:\n${listed(more).join("\n")}\n`}`);
    return "fine";
  }
  const context = contextFor(wantsJson(argv) && command.schema !== undefined, around);
  const { ended, result } = await command.run(await requestOf(command, argv, context), context);
  if (result !== undefined) {
    if (context.json) {
      const { allInWords } = await import("../present/clauses/index.ts");
      const shown = allInWords(command.json === undefined ? result : await command.json(result));
      context.out(`${jsonText(z.encode(command.schema as z.ZodType, shown), 2)}\n`);
    } else if (command.text !== undefined) context.out(await explained(await command.text(result, context), context));
  }
  return ended;
}

/** A text with the few words for every hard term below it. */
const explained = async (text: string, context: Context): Promise<string> =>
  (await import("../present/legend.ts")).withLegend(text, context);

/** Whether a command line asks for JSON, also where the rest of it cannot be read. */
const wantsJson = (argv: readonly string[]): boolean => {
  const end = argv.indexOf("--");
  return (end === -1 ? argv : argv.slice(0, end)).includes("--json");
};

/** A failure as the command line shows it: one sentence on standard error, or an object on standard output. */
async function showFailure(failure: Failure, json: boolean, around: Surroundings): Promise<void> {
  const { explainFailure, failureSentence } = await import("../present/failures/index.ts");
  // Where standard output takes nothing, only standard error is left.
  if (!json || failure.code === "output-not-written") {
    around.errors.write(terminalSafe(`${visible(failureSentence(failure, around.cwd))}\n`));
    return;
  }
  const { message, remedy, at } = explainFailure(failure, around.cwd);
  try {
    writeOut(around, `${jsonText({ error: { code: failure.code, message, remedy, at: at ?? null } }, 2)}\n`);
  } catch (error) {
    await showFailure(error as Failure, false, around);
  }
}

/** Runs a command line and gives back the exit code; what it reads and writes is the process's own, or that of who runs it. */
export async function run(argv: readonly string[], outside: Surroundings = ofProcess()): Promise<number> {
  const around = veiled(outside);
  try {
    return EXIT[await dispatch(argv, around)];
  } catch (error) {
    if (!(error instanceof Failure)) throw error;
    await showFailure(error, wantsJson(argv), around);
    const { kindOf } = await import("../present/failures/index.ts");
    return EXIT[kindOf(error.code)];
  }
}

async function dispatch(argv: readonly string[], around: Surroundings): Promise<Ended> {
  const [name, next] = argv;
  if (name === undefined || name === "--help" || name === "-h" || name === "help") {
    writeOut(around, describeAll());
    return name === undefined ? "usage" : "fine";
  }
  if (name === "--completions") {
    writeOut(around, await complete(argv.slice(1)));
    return "fine";
  }
  const found = entryFor(argv);
  if (found !== undefined) return runCommand((await found.entry.load()).default, found.behind, around);
  const subcommands = subcommandsOf(name);
  if (subcommands.length === 0)
    throw new Failure("unknown-command", { given: name, known: COMMANDS.map((one) => one.name.split(" ")[0] as string) });
  if (next !== "--help" && next !== "-h")
    throw new Failure("subcommand-needed", {
      command: name,
      known: subcommands.map((subcommand) => subcommand.name.slice(name.length + 1)),
      given: next,
    });
  writeOut(around, `${listed(subcommands).join("\n")}\n`);
  return "fine";
}
