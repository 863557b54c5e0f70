import { entryFor, subcommandsOf } from "./help.ts";
import { optionName } from "./options.ts";
import { COMMANDS } from "./registry.ts";

/** Completions for what is typed so far, a line each: commands first, then subcommands or options. */
export async function complete(words: readonly string[]): Promise<string> {
  const line = words.filter((word) => !word.endsWith("zandrel"));
  const [name = "", ...behind] = line;
  const found = entryFor(line);
  const subcommands = subcommandsOf(name).map((one) => one.name.slice(name.length + 1));
  const options = async (): Promise<string[]> =>
    found === undefined ? [] : Object.keys((await found.entry.load()).default.options).map((key) => `--${optionName(key)}`);
  const offered =
    found !== undefined && found.behind.length > 0
      ? ["--help", "--json", "--workspace", ...(await options())]
      : behind.length > 0 && subcommands.length > 0
        ? subcommands
        : [...new Set(COMMANDS.map((one) => one.name.split(" ")[0] as string))];
  const last = behind.at(-1) ?? name;
  return offered
    .filter((word) => word.startsWith(last))
    .map((word) => `${word}\n`)
    .join("");
}
