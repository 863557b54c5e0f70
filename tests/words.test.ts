import { readdirSync, readFileSync } from "node:fs";
import { describe, expect, test } from "@jest/globals";
import { parseSync } from "@swc/core";
import { COMMANDS } from "../src/cli/registry.ts";
import { SAID_CATALOGUE } from "../src/present/audit/findings.ts";
import { legendOf } from "../src/present/legend.ts";
import { bannedIn, oddWords } from "./plain-words.ts";
import { zandrel } from "./zandrel.ts";

const root = new URL("..", import.meta.url).pathname;

/** Every file that holds sentences for people. */
const SOURCES = ["core", "app", "present", "cli", "workspace", "net", "demo"].flatMap((folder) =>
  readdirSync(`${root}src/${folder}`, { recursive: true, encoding: "utf8" })
    .filter((file) => file.endsWith(".ts") && !file.endsWith(".test.ts"))
    .map((file) => `src/${folder}/${file}`),
);

/** A part of a parsed source: a text, a template, or whatever holds others. */
type Node = { readonly type?: string; readonly value?: unknown; readonly quasis?: readonly { readonly raw: string }[] };

/** Every text of a parsed source, the places of templates as X. */
function textsIn(node: unknown): string[] {
  if (typeof node !== "object" || node === null) return [];
  const { type, value, quasis } = node as Node;
  const own =
    type === "StringLiteral"
      ? [String(value)]
      : type === "TemplateLiteral" && quasis !== undefined
        ? [quasis.map(({ raw }) => raw).join("X")]
        : [];
  return [...own, ...Object.values(node).flatMap(textsIn)];
}

/** The sentences that a source file holds as texts. */
const sentencesIn = (file: string): string[] =>
  textsIn(parseSync(readFileSync(root + file, "utf8"), { syntax: "typescript", target: "es2022" }))
    .map((text) => text.replace(/<[^>]*>/g, "\n\n"))
    .filter((text) => text.includes(" ") && !/^\s*(?:CREATE|INSERT|SELECT)\b|\{[\w-]+:[^{}]*\}/.test(text));

test("the check finds what it is for", () => {
  expect(oddWords("The token is taken down. A way out: clear it.")).toEqual(["taken down", "way out"]);
  expect(oddWords(`${"word ".repeat(45)}end.`)).toEqual([expect.stringContaining("is longer than 200")]);
  expect(oddWords("The token is saved. Choose an option.")).toEqual([]);
});

test("the sources are read", () => expect(SOURCES.flatMap(sentencesIn).length).toBeGreaterThan(2000));

describe("what people read is plain", () => {
  test.each(COMMANDS.map((entry) => [entry.name, entry] as const))("the help of %s", async (_, entry) => {
    const { summary, options, examples } = (await entry.load()).default;
    const texts = [
      entry.summary,
      summary,
      ...examples.map(([, meaning]) => meaning),
      ...Object.values(options).map(({ yargs }) => yargs.describe ?? ""),
    ];
    expect(texts.flatMap(oddWords)).toEqual([]);
  });

  test.each(SAID_CATALOGUE.map((rule) => [rule.id, rule] as const))("the finding %s", (_, { title, why }) =>
    expect([title, why].flatMap(oddWords)).toEqual([]),
  );

  test.each(SOURCES)("the sentences in %s", (file) => expect(sentencesIn(file).flatMap(oddWords)).toEqual([]));

  test.each([
    "README.md",
    "docs/guide.md",
    "docs/mail.md",
    "docs/kits.md",
    "docs/approval.md",
    "docs/workspace.md",
    "docs/words.md",
    "docs/reference.md",
  ])("%s", (file) => {
    const prose = readFileSync(root + file, "utf8")
      .replace(/^```[\s\S]*?^```/gm, "")
      .split("\n")
      .filter((line) => !/^[|<]|^ {4}/.test(line))
      .join("\n");
    expect(oddWords(prose)).toEqual([]);
  });

  const demo = new URL("../demo/brackwater/", import.meta.url).pathname;
  const world = ["--zone-file", "authenticated.zone", "--zone-file", "services.zone"];
  test.each([
    ["draft", "--zone-file", "brackwater.example.zone"],
    ["draft", "--zone-file", "brackwater.example.zone", "--replace", "www", "--launch", "2030-03-04T09:00Z"],
    ["audit", "brackwater.example", ...world],
    ["audit", "brackwater.example", "--zone-file", "brackwater.example.zone"],
    ["spf", "explain", "brackwater.example", ...world],
    ["spf", "combine", "brackwater.example", "ip4:203.0.113.9", "ip4:198.51.100.70", ...world],
    ["spf", "test", "brackwater.example", "--ip", "203.0.113.9", ...world],
    ["dmarc", "explain", "brackwater.example", ...world],
    ["dmarc", "compose", "brackwater.example", "--policy", "reject", "--reports-to", "dmarc@brackwater.example", ...world],
    ["dkim", "check", "brackwater.example", ...world],
    ["message", "judge", "../mail/newsletter.eml", ...world],
    ["message", "judge", "../mail/over-a-list.eml", ...world],
    ["message", "judge", "../mail/forged.eml", ...world],
    ["dkim", "verify", "../mail/over-a-list.eml", ...world],
    ["words"],
  ])("what %s %s %s prints", async (...argv) => {
    const { out } = await zandrel(demo, argv);
    expect(out.length).toBeGreaterThan(100);
    expect(bannedIn(out)).toEqual([]);
    // Each hard term is explained where it stands or below.
    expect(legendOf(out)).toBe("");
  });
});
