import * as z from "zod";
import { fileSchemas } from "../app/asks/init.ts";
import { openApi } from "../core/sending/index.ts";
import { SAID_CATALOGUE } from "../present/audit/findings.ts";
import { GLOSSARY } from "../present/glossary.ts";
import { cataloguePage } from "../present/index.ts";
import type { Command } from "./command.ts";
import { optionName, shared } from "./options.ts";
import { COMMANDS } from "./registry.ts";

const json = (value: unknown): string => `${JSON.stringify(value, undefined, 2)}\n`;
const sentence = (text: string): string => `${text[0]?.toUpperCase()}${text.slice(1)}.`;

/** Every option a command takes, `--json` and `--workspace` behind its own. */
const optionsOf = (command: Command): [name: string, describe: string, fallback: string][] =>
  Object.entries({
    ...command.options,
    ...(command.schema === undefined ? {} : { json: shared.json }),
    workspace: shared.workspace,
  }).map(([key, { yargs }]) => [
    `--${optionName(key)}`,
    String(yargs.describe),
    yargs.defaultDescription === undefined ? "" : yargs.defaultDescription,
  ]);

/** The reference of all commands, as Markdown. */
function reference(commands: readonly Command[]): string {
  const one = (command: Command): string =>
    [
      `## zandrel ${command.name}`,
      "",
      "```",
      `zandrel ${command.name}${command.operands === "" ? "" : ` ${command.operands}`} [OPTIONS]`,
      "```",
      "",
      sentence(command.summary),
      ...(command.noJson === undefined ? [] : ["", `It has no \`--json\`, because ${command.noJson}.`]),
      "",
      "| option | meaning | default |",
      "| --- | --- | --- |",
      ...optionsOf(command).map(
        ([name, describe, fallback]) =>
          `| \`${name}\` | ${describe.replaceAll("|", "\\|")} | ${fallback === "" ? "" : `\`${fallback}\``} |`,
      ),
      "",
      ...command.examples.flatMap(([line, meaning]) => [`- \`${line}\`: ${meaning}`]),
    ].join("\n");
  const head = [
    "# Commands",
    "",
    "Generated from the program (`npm run docs`). The order is the order of the work.",
    "",
    "Exit codes: 0 fine, 1 problem found, 2 the call or a file is wrong, 3 could not be determined. With `--json`, what ends a",
    "command with 2 or 3 is `{error: {code, message, remedy, at}}` on standard output.",
  ];
  return `${[head.join("\n"), ...commands.map(one)].join("\n\n")}\n`;
}

const roff = (text: string): string =>
  text
    .replaceAll("\\", "\\e")
    .replace(/^([.'])/gm, "\\&$1")
    .replaceAll("-", "\\-");

/** The man page. */
function manPage(commands: readonly Command[]): string {
  const one = (command: Command): string[] => [
    `.SS "zandrel ${roff(command.name)} ${roff(command.operands)}"`,
    roff(sentence(command.summary)),
    ...optionsOf(command).flatMap(([name, describe, fallback]) => [
      ".TP",
      `.B ${roff(name)}`,
      roff(`${describe}${fallback === "" ? "" : ` (${fallback} if not given)`}`),
    ]),
    ...command.examples.flatMap(([line, meaning]) => [".PP", `${roff(meaning)}:`, ".br", `.B ${roff(line)}`]),
  ];
  return [
    '.TH ZANDREL 1 "" "Zandrel" "User Commands"',
    ".SH NAME",
    "zandrel \\- prove domain ownership, and publish and check SPF, DKIM and DMARC records",
    ".SH SYNOPSIS",
    ".B zandrel",
    ".I COMMAND",
    "[OPTIONS]",
    ".SH COMMANDS",
    ...commands.flatMap(one),
    ".SH EXIT STATUS",
    "0 fine, 1 problem found, 2 the call or a file is wrong, 3 could not be determined.",
    ".SH FILES",
    "zandrel.yaml, domains/DOMAIN.yaml, kits/NAME.yaml, keys/DOMAIN/SELECTOR.pem, .zandrel/journal.db",
    "",
  ].join("\n");
}

/** The glossary, as Markdown. */
const glossary = (): string =>
  [
    "# Words",
    "",
    "Generated from the program (`npm run docs`); `zandrel words TERM` prints the same.",
    "",
    ...GLOSSARY.map(
      ({ term, short, meaning, example }) => `- **${term}** (${short}): ${meaning} Example: ${example.replace(/[.]$/, "")}.`,
    ),
    "",
  ].join("\n");

/** Every file that is generated from the program: its path from the project's folder, and its text. */
export async function files(): Promise<(readonly [path: string, text: string])[]> {
  const commands = await Promise.all(COMMANDS.map(async ({ load }) => (await load()).default));
  return [
    ...commands.flatMap(({ name, schema }) =>
      schema === undefined
        ? []
        : [
            [
              `docs/schemas/${name.replace(" ", "-")}.json`,
              json({ title: `zandrel ${name} --json`, ...z.toJSONSchema(schema, { io: "input", unrepresentable: "any" }) }),
            ] as const,
          ],
    ),
    ...Object.entries(await fileSchemas()).map(([name, schema]) => [`docs/schemas/files/${name}.json`, json(schema)] as const),
    ["docs/reference.md", reference(commands)],
    ["docs/words.md", glossary()],
    ["docs/zandrel.1", manPage(commands)],
    ["docs/findings.md", cataloguePage(SAID_CATALOGUE)],
    ["docs/service-link.openapi.json", json(openApi())],
  ];
}
