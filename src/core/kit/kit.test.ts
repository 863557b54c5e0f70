import { readdirSync, readFileSync } from "node:fs";
import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { parse } from "yaml";
import { inWords } from "../../present/clauses/index.ts";
import { clauseOfIssue } from "../clause/index.ts";
import { isAtOrBelow, name } from "../name/index.ts";
import { decodeUtf8, printRecord, type ResourceRecord, txtValue } from "../record/index.ts";
import { readRecords } from "../zone/index.ts";
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
      { code: "malformed-input", input: "site" },
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

describe("a value stays in its field", () => {
  const fields = {
    owner: "{x} 60 CNAME web.pagewick.example.\n",
    "part of an owner": "{x}.box 60 CNAME web.pagewick.example.\n",
    ttl: "www {x} CNAME web.pagewick.example.\n",
    target: "www 60 CNAME {x}\n",
    "part of a target": "www 60 CNAME {x}.pagewick.example.\n",
    priority: "@ 60 MX {x} mx.inglemail.example.\n",
    "quoted text": '_t 60 TXT "a={x}"\n',
    "bare text": "_t 60 TXT a={x}\n",
    address: "www 60 A {x}\n",
    "field of a certificate authority": '@ 60 CAA 0 issue "{x}"\n',
    "port of a service": "_s._tcp 60 SRV 1 2 {x} box.pagewick.example.\n",
  };
  const behind = "last 60 A 192.0.2.7\n";
  const kitOf = (records: string, spf?: string) =>
    kitSchema.parse({
      kit: 1,
      service: "s",
      title: "S",
      inputs: { x: { explain: "x" } },
      asks: [{ id: "a", purpose: "site", records, ...(spf === undefined ? {} : { spf }) }],
    });
  const meaning = [
    ..." \t;()\"\\@$.*/:=+-?~%&#<>{}[]|'`,_ü",
    "IN",
    "A",
    "TXT",
    "$ORIGIN",
    "evil",
    "203.0.113.66",
    "60",
    "all",
    "\n",
  ];
  const values = fc
    .array(fc.oneof(fc.constantFrom(...meaning), fc.string({ maxLength: 3 })), { maxLength: 12 })
    .map((all) => all.join(""));

  test.each(Object.entries(fields))(
    "%s: whatever is filled in, there is one record of its type below the domain, or none",
    (_, line) => {
      const [plain] = readRecords(line.replace("{x}", "7"), { origin: domain, ttl: 300 }).records;
      const type = plain?.type ?? "A";
      fc.assert(
        fc.property(values, (value) => {
          const filled = fill({ x: value }, kitOf(line + behind));
          if (!filled.ok) {
            expect(["malformed-input", "bad-records"]).toContain(filled.error.code);
            return;
          }
          const records = filled.value.asks[0]?.records ?? [];
          expect(records.map((record) => record.type)).toEqual([type, "A"]);
          for (const record of records) expect(isAtOrBelow(record.name, domain)).toBe(true);
          expect(printRecord(records[1] as never)).toBe("last.brackwater.example. 60 IN A 192.0.2.7");
          const [record] = records as [ResourceRecord];
          if ("strings" in record.data) expect(record.data.strings.map(decodeUtf8)).toEqual([`a=${value}`]);
        }),
        { numRuns: 400 },
      );
    },
  );

  test.each([
    [fields.owner, "x 60 IN A 203.0.113.66 ;"],
    [fields.owner, "$ORIGIN evil.example. ;"],
    [fields.owner, "evil.example."],
    [fields.owner, ""],
    [fields["part of a target"], "evil.example. ;"],
    [fields.priority, "10 evil.example. ;"],
    [fields.priority, "ten"],
    [fields.ttl, "A"],
    [fields.ttl, "TXT"],
    [fields.address, "192.0.2.300"],
  ])("%j takes no %j", (line, value) =>
    expect(fill({ x: value }, kitOf(line))).toMatchObject({ ok: false, error: { input: "x" } }),
  );

  test.each(["x +all", "+all", "all", "?all", "x include:evil.example", "ptr", "redirect=evil.example", "x\u00a0+all"])(
    "no term of SPF becomes another with %j",
    (value) => {
      for (const spf of ["include:{x}", "{x}", "a:{x}.example"])
        expect([spf, fill({ x: value }, kitOf("", spf)).ok && value !== "all" && value !== "ptr"]).toEqual([spf, false]);
    },
  );

  test("a macro of SPF is no blank", () =>
    expect(fill({}, kitOf("", "exists:%{i}.spf.heronpost.example"))).toMatchObject({
      ok: true,
      value: { asks: [{ spf: "exists:%{i}.spf.heronpost.example" }] },
    }));
});
