import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { sayKept } from "../../present/audit/findings.ts";
import { CATALOGUE } from "../audit/index.ts";
import { verbatim } from "../clause/index.ts";
import { name } from "../name/index.ts";
import { columnsOf, commonAreas, compareResults, delimiterOf, readListed, ShareCounter, type SweepResult } from "./index.ts";

describe("an entry of a list", () => {
  test.each<[string, string, string | undefined]>([
    ["brackwater.example", "brackwater.example.", undefined],
    ["  BrackWater.Example.  ", "brackwater.example.", undefined],
    ["\ufeffbrackwater.example\u00a0", "brackwater.example.", undefined],
    ["bräckwasser.example", "xn--brckwasser-r5a.example.", undefined],
    ["https://www.brackwater.example/tickets?x=1", "brackwater.example.", "web-address"],
    ["www.brackwater.example", "brackwater.example.", "web-address"],
    ["shop.brackwater.example/cart", "brackwater.example.", "web-address"],
    ["brackwater.example:8443", "brackwater.example.", "web-address"],
    ["HTTP://shop.brackwater.example", "brackwater.example.", "web-address"],
    ["news@mail.brackwater.example", "mail.brackwater.example.", "mail-address"],
    ["mailto:news@brackwater.example", "brackwater.example.", "mail-address"],
    ["Box Office <tickets@brackwater.example>", "brackwater.example.", "mail-address"],
  ])("%j is %s", (text, domain, from) => {
    expect(readListed(text)).toEqual({ kind: "domain", domain, ...(from === undefined ? {} : { from }) });
  });

  test.each<[string, string]>([
    ["192.0.2.1", "address"],
    ["2001:db8::7", "address"],
    ["http://192.0.2.1/", "address"],
    ["http://[2001:db8::7]/", "address"],
    ["localhost", "one-label"],
    ["_dmarc.brackwater.example", "record-name"],
    ["*.brackwater.example", "record-name"],
    ["not a domain", "not-a-name"],
    ["brackwater,example", "not-a-name"],
    ["brack..water.example", "not-a-name"],
    ["-brackwater.example", "not-a-name"],
    ["n/a", "one-label"],
    ["=cmd|'/c calc'!A1", "not-a-name"],
    [`${"x".repeat(70)}.example`, "not-a-name"],
  ])("%j is none: %s", (text, why) => {
    expect(readListed(text)).toMatchObject({ kind: "unreadable", why });
  });

  test.each(["", "   ", "\u00a0", "# a remark"])("%j says nothing", (text) => {
    expect(readListed(text)).toEqual({ kind: "empty" });
  });

  test("whatever it is, it is a domain that can be read again, or it is named as none", () => {
    fc.assert(
      fc.property(fc.oneof(fc.string(), fc.webUrl(), fc.emailAddress(), fc.domain()), (text) => {
        const read = readListed(text);
        if (read.kind === "domain") expect(readListed(read.domain)).toMatchObject({ kind: "domain", domain: read.domain });
      }),
    );
  });
});

describe("the columns of a table", () => {
  test.each<[string[], string[], string | undefined, object | undefined]>([
    [["customer", "Domain", "owner"], [], undefined, { domain: 1, names: ["customer", "Domain", "owner"], hasHead: true }],
    [
      ["7", "brackwater.example", "Bo"],
      [],
      undefined,
      { domain: 1, names: ["column 1", "column 2", "column 3"], hasHead: false },
    ],
    [["a", "b", "c"], [], undefined, undefined],
    [["a", "b", "c"], ["x", "", "y"], undefined, undefined],
    [["a", "Kunde", "c"], [], "kunde", { domain: 1, names: ["a", "Kunde", "c"], hasHead: true }],
    [["a", "b", "c"], [], "3", { domain: 2, names: ["a", "b", "c"], hasHead: true }],
    [["a", "b"], [], "3", undefined],
    [["7", "puppetfest.example", "brackwater.example"], [], "3", { domain: 2, hasHead: false }],
    [["note", "domain", "note"], [], undefined, { domain: 1, names: ["note", "domain", "note (2)"] }],
    [["rubbish"], [], undefined, { domain: 0, hasHead: false }],
    [["domain"], [], undefined, { domain: 0, hasHead: true }],
    [["subdomain"], [], undefined, { domain: 0, hasHead: false }],
    [["brackwater.domain"], [], undefined, { domain: 0, hasHead: false }],
    // Names of people and of firms are names, too.
    [["Name", "Domain"], ["Ada", "brackwater.example"], undefined, { domain: 1, hasHead: true }],
    [["Name", "Domain"], ["Ada", ""], undefined, { domain: 1, hasHead: true }],
    [["Name", "Website", "Host"], ["Ada", "https://brackwater.example/", ""], undefined, { domain: 1, hasHead: true }],
    [["Name", "Own domain"], [], undefined, { domain: 1, hasHead: true }],
    [["Name", "Owner"], ["brackwater.example", "Ada"], undefined, { domain: 0, hasHead: true }],
    // What the titles do not say, the second row does; an address of somebody is the last that is meant.
    [
      ["Kunde", "Kontakt", "Adresse"],
      ["Ada", "ada@agency.example", "brackwater.example"],
      undefined,
      { domain: 2, hasHead: true },
    ],
    [["Kunde", "E-Mail"], ["Ada", "ada@brackwater.example"], undefined, { domain: 1, hasHead: true }],
    [["ada@agency.example", "brackwater.example"], [], undefined, { domain: 1, hasHead: false }],
    [["www.agency.example", "brackwater.example"], [], undefined, { domain: 1, hasHead: false }],
  ])("%j with %j below, asked for %j", (first, second, wanted, columns) => {
    const found = columnsOf(first, second, wanted);
    if (columns === undefined) expect(found).toBeUndefined();
    else expect(found).toMatchObject(columns);
  });

  test.each([
    ["brackwater.example", undefined],
    ["a,b;c;d", ";"],
    ["a\tb", "\t"],
    ["a,b", ","],
    ["a | b", "|"],
  ])("%j is separated by %j", (line, delimiter) => expect(delimiterOf(line)).toBe(delimiter));
});

const NOBODY = { nameServers: [], mail: [], signing: [], sending: [] };
const result = (ids: readonly string[], open = 0, providers: Partial<SweepResult["providers"]> = {}): SweepResult => ({
  findings: ids.map((id) => ({ id, seen: {} })),
  unresolved: Array.from({ length: open }, () => ({
    name: name("brackwater.example"),
    type: "MX",
    because: verbatim("nobody answers"),
  })),
  providers: { ...NOBODY, ...providers },
});

describe("what changed at a domain", () => {
  const [breaks, risks, note] = ["breaks", "risks", "note"].map(
    (severity) => CATALOGUE.find((rule) => rule.severity === severity)?.id as string,
  ) as [string, string, string];
  test.each<[string, SweepResult | undefined, SweepResult | undefined, object]>([
    ["mended", result([breaks]), result([]), { kind: "compared", fixed: [breaks], fresh: [], worse: false }],
    ["new and worse", result([risks]), result([risks, breaks]), { kind: "compared", fixed: [], fresh: [breaks], worse: true }],
    ["new, and no worse", result([breaks]), result([breaks, risks]), { fresh: [risks], worse: false }],
    ["the same twice", result([risks, risks]), result([risks]), { fixed: [], fresh: [], worse: false }],
    ["a note is not a change", result([]), result([note]), { fresh: [], worse: false }],
    ["not asked now: nothing is called fixed", result([breaks]), result([], 1), { kind: "unresolved", fixed: [] }],
    ["not asked before: nothing is called new", result([], 1), result([breaks]), { kind: "unresolved", fresh: [], worse: false }],
    ["not all asked now, and something new all the same", result([]), result([risks], 1), { kind: "compared", fresh: [risks] }],
    ["not listed before", undefined, result([breaks]), { kind: "added", fresh: [] }],
    ["not listed any more", result([breaks]), undefined, { kind: "removed", fixed: [] }],
  ])("%s", (_, before, after, difference) => expect(compareResults(before, after)).toMatchObject(difference));
});

test("only what both sweeps looked at is compared", () => {
  expect(commonAreas([], ["spf", "dmarc"])).toEqual(["spf", "dmarc"]);
  expect(commonAreas(["spf"], ["spf", "dkim"])).toEqual(["spf"]);
  expect(commonAreas(["spf"], ["dkim"])).toBeUndefined();
  const [was, is] = [result(["spf-several", "dmarc-missing"]), result(["spf-missing"])];
  expect(compareResults(was, is, ["spf"])).toMatchObject({ fixed: ["spf-several"], fresh: ["spf-missing"] });
  expect(compareResults(was, is, ["dmarc"])).toMatchObject({ fixed: ["dmarc-missing"], fresh: [] });
});

test("all domains together: by worst finding, by finding, by provider, the most first", () => {
  const counter = new ShareCounter();
  const [at, other] = [name("nettlehost.example"), name("zonemarrow.example")];
  counter.add(result(["spf-several", "dmarc-missing"], 0, { nameServers: [at] }));
  counter.add(result(["dmarc-missing"], 1, { nameServers: [at, other] }));
  counter.add(result([], 0, { nameServers: [other, at] }));
  const shares = counter.shares();
  expect(shares).toMatchObject({
    domains: 3,
    unresolved: 1,
    findings: [
      { key: "dmarc-missing", domains: 2 },
      { key: "spf-several", domains: 1 },
    ],
    providers: {
      nameServers: [
        { key: at, domains: 3 },
        { key: other, domains: 2 },
      ],
    },
  });
  expect(shares.worst.reduce((sum, one) => sum + one.domains, 0)).toBe(3);
  expect(counter.shares(1).providers.nameServers).toHaveLength(1);
});

test.each<[string, Parameters<typeof result>, string]>([
  ["something that breaks", [["delegation-missing", "dmarc-missing"], 2], "breaks"],
  ["a risk", [["dmarc-missing"], 0], "risks"],
  ["a note that asks for nothing", [["caa-missing"], 0], "fine"],
  ["nothing", [[], 0], "fine"],
  ["nothing, where not everything could be asked", [[], 1], "unknown"],
  ["a note, where not everything could be asked", [["caa-missing"], 3], "unknown"],
])("a domain with %s is counted as that", (_, given, expected) => {
  const counter = new ShareCounter();
  counter.add(result(...given));
  expect(counter.shares().worst.filter(({ domains }) => domains > 0)).toEqual([{ key: expected, domains: 1 }]);
});

test("a finding whose rule is gone is still shown", () => {
  const domain = name("brackwater.example");
  expect(sayKept(domain, { id: "gone", seen: {} })).toMatchObject({ title: "gone", severity: "note" });
});
