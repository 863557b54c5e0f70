import { readdirSync, readFileSync } from "node:fs";
import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { parse } from "yaml";
import { inWords } from "../../present/clauses/index.ts";
import { clauseOfIssue } from "../clause/index.ts";
import { name } from "../name/index.ts";
import { printRecord, txtValue } from "../record/index.ts";
import { askOfKit, checkKit, fillKit, type Kit, kitSchema } from "./index.ts";

const domain = name("brackwater.example");
const kit: Kit = kitSchema.parse({
  kit: 1,
  service: "pagewick",
  title: "Pagewick",
  inputs: { claim: { explain: "the claim", pattern: "[0-9a-z]{4}", example: "77aa" }, site: { explain: "the site" } },
  asks: [
    { id: "ownership", purpose: "ownership", records: '_pw TXT "claim:{claim}"\n' },
    {
      id: "site",
      purpose: "site",
      after: ["ownership"],
      later: ["site"],
      records: "www CNAME {site}.pagewick.example.\n",
      spf: "include:{site}.example",
    },
  ],
});
const fill = (values: Record<string, string>, which = kit) => fillKit(which, domain, new Map(Object.entries(values)), 300);

describe("filling a kit in", () => {
  test("a domain with umlauts is written in A-labels, and known again", () => {
    const own = {
      ...kit,
      asks: [{ ...kit.asks[0], records: 'k1 CNAME {domain}.pagewick.example.\n_pw TXT "for {domain}"\n' }],
    } as Kit;
    const stage = name("bühne.example");
    const filled = fillKit(own, stage, new Map([["claim", "77aa"]]), 300);
    const records = filled.ok ? (filled.value.asks[0]?.records ?? []) : [];
    expect(records.map(printRecord)).toEqual([
      "k1.xn--bhne-0ra.example. 300 IN CNAME xn--bhne-0ra.example.pagewick.example.",
      '_pw.xn--bhne-0ra.example. 300 IN TXT "for xn--bhne-0ra.example"',
    ]);
    expect(askOfKit(own, stage, records)?.id).toBe("ownership");
  });
  test("what the service shows later is left out until it is given", () => {
    expect(fill({ claim: "77aa" })).toMatchObject({
      ok: true,
      value: { asks: [{ id: "pagewick-ownership", after: [] }], later: ["pagewick-site"] },
    });
    const all = fill({ claim: "77aa", site: "b" });
    expect(all.ok && all.value.asks.map((ask) => [ask.id, ask.after, ask.spf, ask.records.map(printRecord)])).toEqual([
      ["pagewick-ownership", [], undefined, ['_pw.brackwater.example. 300 IN TXT "claim:77aa"']],
      [
        "pagewick-site",
        ["pagewick-ownership"],
        "include:b.example",
        ["www.brackwater.example. 300 IN CNAME b.pagewick.example."],
      ],
    ]);
  });
  test.each<[Record<string, string>, object]>([
    [{}, { code: "missing-input", input: "claim" }],
    [{ claim: "77AA" }, { code: "malformed-input", input: "claim", example: "77aa" }],
    [{ claim: "77aa " }, { code: "malformed-input" }],
    [
      { claim: "77aa", clam: "x" },
      { code: "unknown-input", known: ["claim", "site"] },
    ],
    [
      { claim: "77aa", site: "a..b" },
      { code: "bad-records", ask: "site" },
    ],
    [
      { claim: "77aa", site: "a\nevil A 192.0.2.1" },
      { code: "malformed-input", input: "site" },
    ],
  ])("%j: %j", (values, error) => expect(fill(values)).toMatchObject({ ok: false, error }));

  test("whatever a value holds, it stays inside its text", () => {
    const open: Kit = { ...kit, inputs: { claim: { explain: "x" } }, asks: [kit.asks[0]!] };
    fc.assert(
      fc.property(
        fc.string({ unit: fc.constantFrom('"', "\\", ";", "(", ")", "a", " ", "$", "{"), minLength: 1, maxLength: 20 }),
        (claim) => {
          const filled = fill({ claim }, open);
          expect(filled.ok && filled.value.asks[0]?.records.map((record) => txtValue(record.data as never))).toEqual([
            `claim:${claim}`,
          ]);
        },
      ),
    );
  });
});

describe("checking a kit", () => {
  test.each<[string, object, RegExp]>([
    ["a later version", { kit: 2 }, /version of this format/],
    ["a pattern with a reference", { inputs: { a: { explain: "x", pattern: "(a)\\1" } } }, /syntax of RE2/],
    ["a pattern that is none", { inputs: { a: { explain: "x", pattern: "(" } } }, /regular expression/],
    ["no ask", { asks: [] }, /at least one ask/],
    ["a key that means nothing", { colour: "red" }, /colour/],
  ])("%s", (_, more, expected) => {
    const result = kitSchema.safeParse({ kit: 1, service: "s", title: "S", asks: [{ id: "a", purpose: "site" }], ...more });
    expect(result.success).toBe(false);
    expect(JSON.stringify(result.error?.issues.map((issue) => [issue, inWords(clauseOfIssue(issue))]))).toMatch(expected);
  });
  test("a pattern with nested repetition matches the whole value, and never runs away", () => {
    const kit = kitSchema.parse({
      kit: 1,
      service: "s",
      title: "S",
      inputs: { token: { explain: "x", pattern: "(a+)+" } },
      asks: [{ id: "a", purpose: "ownership", records: "@ TXT {token}" }],
    });
    const fill = (token: string) => fillKit(kit, name("brackwater.example"), new Map([["token", token]]), 3600).ok;
    expect([fill("aaa"), fill("aab"), fill("baaa"), fill(`${"a".repeat(8000)}b`)]).toEqual([true, false, false, false]);
  });
  test("blanks and asks that do not exist are named", () => {
    const wrong = kitSchema.parse({
      kit: 1,
      service: "s",
      title: "S",
      asks: [{ id: "a", purpose: "site", after: ["b"], records: "@ TXT {nope}" }],
    });
    expect(checkKit(wrong)).toEqual([
      { code: "unknown-blank", ask: "a", blank: "nope" },
      { code: "unknown-ask", ask: "a", after: "b" },
    ]);
  });
  test("every kit of the demo is sound", () => {
    const folder = new URL("../../../demo/brackwater/kits/", import.meta.url);
    const kits = readdirSync(folder);
    expect(kits).toHaveLength(6);
    for (const file of kits) expect(checkKit(kitSchema.parse(parse(readFileSync(new URL(file, folder), "utf8"))))).toEqual([]);
  });
});
