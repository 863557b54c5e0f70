import { readdirSync, readFileSync } from "node:fs";
import { type Understood, understand } from "../src/core/ask/intake/index.ts";
import { name } from "../src/core/name/index.ts";
import { type DataOf, decodeUtf8, printData, type ResourceRecord, txtValue } from "../src/core/record/index.ts";

import type { MadePage } from "./pages.ts";

/**
 * The pages in `tests/pastes`, and what becomes of them on the way: what mail programs, editors and the pages themselves change, and
 * pages pasted one behind the other. The tests take a sample of it, the fuzzer all of it.
 */
const FOLDER = new URL("tests/pastes/", `file://${process.cwd()}/`);
export const DOMAIN = name("brackwater.example");
export const TTL = 77;

export const read = (text: string, choices: Readonly<Record<string, string>> = {}): Understood =>
  understand({ text, domain: DOMAIN, ttl: TTL, choices: new Map(Object.entries(choices)) });

/** A record as its expectation writes it: `name [ttl] type data`, the name relative to the domain. */
export function shown({ name: owner, type, ttl, data }: ResourceRecord): string {
  const host = owner.replace(/\.?brackwater\.example\.$/, "") || "@";
  const text =
    type === "TXT" ? `"${decodeUtf8(txtValue(data as DataOf["TXT"])).replace(/["\\]/g, "\\$&")}"` : printData(type, data);
  return `${host} ${ttl === TTL ? "" : `${ttl} `}${type} ${text}`;
}

/** Everything that was understood, one line each, as the expectation files list it. */
export const linesOf = (understood: Understood): string[] => [
  ...understood.records.map(({ record }) => shown(record)),
  ...understood.remove.map((record) => `remove: ${shown(record)}`),
  ...understood.spfTerms.map((term) => `term: ${term}`),
  ...understood.nameServers.map((server) => `nameserver: ${server}`),
  ...understood.forwards.map(
    ({ from, to, permanent }) =>
      `forward: ${from} ${to} ${permanent === true ? "permanent" : permanent === false ? "temporary" : "unsaid"}`,
  ),
  ...understood.web.map((proof) =>
    proof.kind === "meta" ? `web: meta ${proof.name} ${proof.content}` : `web: file ${proof.url} ${proof.text}`,
  ),
];

/** Why a paste stops: the codes of its problems, and whether something is asked or left over. */
export const stopsOf = (understood: Understood): string[] => [
  ...understood.problems.map(({ code }) => code),
  ...understood.questions.map(({ kind }) => (kind === "options" ? "options" : "question")),
  ...(understood.leftover.length > 0 ? ["leftover"] : []),
];

/** What it comes to: a record that is there twice is one, with the TTL of the first. */
const contentOf = (understood: Understood): string =>
  [...new Set(linesOf(understood).map((line) => line.replace(/^(\S+) \d+ (?=[A-Z])/, "$1 ")))].sort().join("\n");

/** A page that is read without a question, and what it comes to. */
interface Page {
  readonly file: string;
  readonly text: string;
  readonly content: string;
}

export const CASES: readonly string[] = readdirSync(FOLDER)
  .filter((file) => file.endsWith(".txt"))
  .map((file) => file.replace(/\.txt$/, ""));
export const pasteOf = (file: string): string => readFileSync(new URL(`${file}.txt`, FOLDER), "utf8");
export const wantedOf = (file: string): string => readFileSync(new URL(`${file}.want`, FOLDER), "utf8");

const pagesWhere = (
  suits: (page: { readonly file: string; readonly text: string; readonly understood: Understood }) => boolean,
): Page[] =>
  CASES.map((file) => ({ file, text: pasteOf(file).trimEnd() }))
    .map((page) => ({ ...page, understood: read(page.text) }))
    .filter((page) => stopsOf(page.understood).length === 0 && suits(page))
    .map(({ file, text, understood }) => ({ file, text: `${text}\n`, content: contentOf(understood) }));

/** Pages that are texts, not code. */
export const textPages = (): Page[] => pagesWhere(({ file }) => !/html|xml|json|yaml|toml/.test(file));

/** Pages of which no word is meant for all that follows: options, examples, what to remove, an $ORIGIN. */
export const closedPages = (): Page[] =>
  pagesWhere(
    ({ file, text, understood }) =>
      understood.remove.length === 0 &&
      !understood.repairs.some(({ kind }) => kind === "example-left-out") &&
      !/html|json|xml|yaml|origin/i.test(file) &&
      !/\b(?:or|either|example:|e\.g\.)\b/i.test(text) &&
      text.length < 3000,
  );

/** What becomes of a text that should come to `wanted`: it is read so, it is said that it is not, or it is misread. */
export function outcomeOf(text: string, wanted: string): "read" | "stopped" | "misread" {
  const understood = read(text);
  if (stopsOf(understood).length > 0) return "stopped";
  return contentOf(understood) === wanted ? "read" : "misread";
}

/** Two pages, one behind the other. */
export const outcomeOfPair = (first: Page, between: string, second: Page): ReturnType<typeof outcomeOf> =>
  outcomeOf(
    `${first.text}${between}\n${second.text}`,
    [...new Set(`${first.content}\n${second.content}`.split("\n").filter((line) => line !== ""))].sort().join("\n"),
  );

/** What may be between two pages. */
export const BETWEEN: readonly (readonly [title: string, text: string])[] = [
  ["an empty line", ""],
  ["a heading", "\nAuthenticate brackwater.example with Heronpost\n"],
  ["a step", "Step 2"],
  ["sentences", "\nNow add the records for your other service. They are listed below:"],
];

/** The lines of a text that say anything, each changed. */
const eachLine = (change: (line: string, i: number) => string) => (text: string) =>
  text
    .split("\n")
    .map((line, i) => (line.trim() === "" ? line : change(line, i)))
    .join("\n");
const LABEL = /^([A-Z][A-Za-z ]+): /gm;

/** What mail programs, editors and the pages themselves do to a text. */
export const WAYS: readonly (readonly [title: string, change: (text: string) => string])[] = [
  ["line ends of another system", (text) => text.replace(/\n/g, "\r\n")],
  ["tabs as spaces", (text) => text.replace(/\t/g, "    ")],
  ["tabs as bars", eachLine((line) => (line.includes("\t") ? `| ${line.split("\t").join(" | ")} |` : line))],
  ["quoted in a mail", (text) => text.replace(/^/gm, "> ")],
  ["white space at the ends", (text) => text.replace(/$/gm, "   ")],
  ["spaces that do not break", (text) => text.replace(/ /g, "\u00a0")],
  ["a mark of the byte order", (text) => `\ufeff${text}`],
  ["characters without width", (text) => text.replace(/: /g, ":\u200b ")],
  ["a fence of code", (text) => `Here is what it says:\n\n\`\`\`\n${text.trimEnd()}\n\`\`\`\n\nThanks!\n`],
  [
    "a mail around it",
    (text) =>
      `Hi Maud,\n\ncan you set this up until Friday? The site goes live on 2 March.\n\n${text.trimEnd()}\n\nThanks\nTobias\n--\nBrackwater Puppet Theatre, 12 Quay Street\n`,
  ],
  ["a page around it", (text) => `Home\nDomains\nSettings\n\n${text.trimEnd()}\n\nBack\nContinue\nNeed help? Contact support\n`],
  ["an empty line between all", (text) => text.replace(/\n/g, "\n\n")],
  ["bold labels", (text) => text.replace(/^([A-Z][a-z]+):/gm, "**$1:**")],
  ["bullets", eachLine((line) => `• ${line}`)],
  ["numbers", eachLine((line, i) => `${i + 1}. ${line}`)],
  ["pasted twice", (text) => `${text.trimEnd()}\n\n${text}`],
  ["quotation marks of an editor", (text) => text.replace(/"([^"\n]*)"/g, "“$1”")],
  ["a space in front of the colon", (text) => text.replace(LABEL, "$1 : ")],
  ["a tab behind the colon", (text) => text.replace(LABEL, "$1:\t")],
  ["values below their labels", (text) => text.replace(LABEL, "$1\n")],
  ["a button behind each value", (text) => text.replace(/^([A-Z][A-Za-z ]+: .*)$/gm, "$1 Copy")],
  ["a button below each value", (text) => text.replace(/^([A-Z][A-Za-z ]+: .*)$/gm, "$1\nCopy")],
];

/** What becomes of a page whose truth is known. */
export function outcomeOfPage({ text, truth }: MadePage): "right" | "stopped" | "misread" {
  const understood = read(text);
  if (stopsOf(understood).length > 0) return "stopped";
  const found = understood.records.map(({ record: { name: owner, type, data } }) => {
    const value = type === "TXT" ? decodeUtf8(txtValue(data as DataOf["TXT"])) : printData(type, data).replace(/\.$/, "");
    return `${owner.slice(0, -1)} ${type} ${value}`;
  });
  return found.sort().join("\n") === truth.join("\n") ? "right" : "misread";
}
