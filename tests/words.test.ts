import { readFileSync } from "node:fs";
import { describe, expect, test } from "@jest/globals";
import { COMMANDS } from "../src/cli/registry.ts";
import { CATALOGUE } from "../src/core/audit/index.ts";
import { legendOf } from "../src/present/legend.ts";
import { bannedIn, oddWords } from "./plain-words.ts";
import { zandrel } from "./zandrel.ts";

const root = new URL("..", import.meta.url).pathname;

/** The sentences that a source file holds as texts, its templates' places left out. */
function sentencesIn(file: string): string[] {
  const source = readFileSync(root + file, "utf8").replace(/^\s*(?:\/\/|\*|\/\*\*).*$/gm, "");
  return [...source.matchAll(/"((?:[^"\\\n]|\\.)*)"|`((?:[^`\\]|\\.)*)`/g)]
    .map(([, quoted, template]) => (quoted ?? template ?? "").replace(/\$\{[^}]*\}/g, "X").replace(/<[^>]*>/g, "\n\n"))
    .filter((text) => text.includes(" "));
}

test("the check finds what it is for", () => {
  expect(oddWords("The token is taken down. A way out: clear it.")).toEqual(["taken down", "way out"]);
  expect(oddWords(`${"word ".repeat(45)}end.`)).toEqual([expect.stringContaining("is longer than 200")]);
  expect(oddWords("The token is saved. Choose an option.")).toEqual([]);
});

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

  test.each(CATALOGUE.map((rule) => [rule.id, rule] as const))("the finding %s", (_, { title, why }) =>
    expect([title, why].flatMap(oddWords)).toEqual([]),
  );

  test.each([
    "src/present/failures.ts",
    "src/present/glossary.ts",
    "src/present/publishing/draft.ts",
    "src/present/publishing/publish.ts",
    "src/present/asks/status.ts",
    "src/present/asks/intake.ts",
    "src/present/reports/sources-page.ts",
    "src/core/aggregate/advise.ts",
    "src/core/change/clash.ts",
    "src/core/change/draft.ts",
    "src/core/ownership/diagnose.ts",
    "src/core/audit/rules/ownership.ts",
    "src/demo/acts.ts",
  ])("the sentences in %s", (file) => {
    const sentences = sentencesIn(file);
    expect(sentences.length).toBeGreaterThan(5);
    expect(sentences.flatMap(oddWords)).toEqual([]);
  });

  test.each([
    "README.md",
    "docs/guide.md",
    "docs/mail.md",
    "docs/kits.md",
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
