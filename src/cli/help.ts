import { COMMANDS, type Entry, GROUPS } from "./registry.ts";

/** The commands below a first word, such as `spf test` below `spf`. */
export const subcommandsOf = (name: string): readonly Entry[] =>
  COMMANDS.filter((candidate) => candidate.name.startsWith(`${name} `));

/** The command a line begins with, and what follows it; the longer name counts. */
export function entryFor([name = "", ...behind]: readonly string[]):
  | { readonly entry: Entry; readonly behind: readonly string[] }
  | undefined {
  const longer = COMMANDS.find((candidate) => candidate.name === `${name} ${behind[0]}`);
  if (longer !== undefined) return { entry: longer, behind: behind.slice(1) };
  const entry = COMMANDS.find((candidate) => candidate.name === name);
  return entry === undefined ? undefined : { entry, behind };
}

/** Commands with their summaries, aligned. */
export function listed(commands: readonly Pick<Entry, "name" | "summary">[]): string[] {
  const width = Math.max(...commands.map(({ name }) => name.length));
  return commands.map(({ name, summary }) => `  ${name.padEnd(width)}  ${summary}`);
}

/** Every command in the order of the work; those of two words in one line. */
function overview(): string[] {
  const firsts = [...new Set(COMMANDS.map(({ name }) => name.split(" ")[0] as string))];
  return listed(
    firsts.map((name) => {
      const steps = subcommandsOf(name).map((one) => one.name.slice(name.length + 1));
      const own = COMMANDS.find((candidate) => candidate.name === name);
      if (own === undefined) return { name, summary: `${GROUPS[name]}: ${steps.join(", ")}` };
      return steps.length === 0 ? own : { name, summary: `${own.summary}; also: ${steps.join(", ")}` };
    }),
  );
}

/** What `zandrel --help` prints. */
export const describeAll = (): string =>
  [
    "zandrel COMMAND [OPTIONS]",
    "",
    "Proves domain ownership to services, and publishes and checks SPF, DKIM and DMARC records.",
    "",
    "Commands, in the order of the work:",
    ...overview(),
    "",
    "zandrel COMMAND --help explains one command. Every command takes --json, unless its help says why not.",
    "Exit codes: 0 fine, 1 problem found, 2 the call or a file is wrong, 3 could not be determined.",
    "",
    "Start here: zandrel init DOMAIN, or run the guided demo with zandrel demo.",
    "zandrel words explains the terms.",
    "",
  ].join("\n");
