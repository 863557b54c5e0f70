import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { allInWords } from "../../present/clauses/index.ts";
import { verbatim } from "../clause/index.ts";
import { failed, type Lookup, memoized, zoneLookup } from "../lookup/index.ts";
import { name } from "../name/index.ts";
import { organizationalDomain } from "../suffix/index.ts";
import { readZone, zonesOf } from "../zone/index.ts";
import {
  addressCount,
  branchesOf,
  checkSpf,
  combineThoroughly,
  describeTerm,
  flattenSpf,
  isCovered,
  joinNetworks,
  MAX_OCTETS,
  networkOf,
  networkTerm,
  readSpfRecord,
  spfTree,
  treeLookups,
} from "./index.ts";

const lookup: Lookup = memoized(
  zoneLookup(
    zonesOf(
      readZone(`$TTL 60
. SOA a. b. 1 1 1 1 60
heronpost.example. A 198.51.100.1
spf.heronpost.example. TXT "v=spf1 ip4:198.51.100.0/26 ip4:198.51.100.64/26 include:more.heronpost.example ~all"
more.heronpost.example. TXT "v=spf1 ip6:2001:db8::/48 a:out.heronpost.example -all"
out.heronpost.example. A 198.51.100.200
minus.heronpost.example. TXT "v=spf1 -ip4:198.51.100.7 ip4:198.51.100.0/24 -all"
magic.heronpost.example. TXT "v=spf1 exists:%{i}.ok.heronpost.example -all"
none.heronpost.example. TXT "v=spf1 -all"
wide.heronpost.example. TXT "v=spf1 ${Array.from({ length: 20 }, (_, i) => `ip4:198.51.100.${i * 2}`).join(" ")} " "${Array.from({ length: 20 }, (_, i) => `ip4:203.0.113.${i * 2}`).join(" ")} -all"
`),
    ),
  ),
);
const read = (text: string) => {
  const parsed = readSpfRecord(text);
  if (!parsed.ok) throw new Error(text);
  return parsed.value;
};
const grown = (text: string, more: Partial<Lookup> = {}) =>
  spfTree(read(text), "brackwater.example", { ...lookup, ...more }, { addresses: true, organizationalDomain });

describe("networks", () => {
  const net = (term: string) => networkOf(term.replace(/\/.*/, ""), term.includes("/") ? Number(term.split("/")[1]) : undefined);
  test.each<[string[], string[]]>([
    [["192.0.2.0/25", "192.0.2.128/25"], ["ip4:192.0.2.0/24"]],
    [["192.0.2.1", "192.0.2.0"], ["ip4:192.0.2.0/31"]],
    [
      ["192.0.2.1", "192.0.2.2"],
      ["ip4:192.0.2.1", "ip4:192.0.2.2"],
    ],
    [["192.0.2.0/24", "192.0.2.7"], ["ip4:192.0.2.0/24"]],
    [["0.0.0.0/1", "128.0.0.0/1"], ["ip4:0.0.0.0/0"]],
    [["192.0.2.9/24"], ["ip4:192.0.2.0/24"]],
    [
      ["2001:db8::/33", "2001:db8:8000::/33", "192.0.2.1"],
      ["ip4:192.0.2.1", "ip6:2001:db8::/32"],
    ],
    [[], []],
  ])("%j joined is %j", (terms, txtValue) => expect(allInWords(joinNetworks(terms.map(net)).map(networkTerm))).toEqual(txtValue));
  const block = fc
    .tuple(fc.integer({ min: 0, max: 63 }), fc.integer({ min: 26, max: 32 }))
    .map(([last, prefix]) => networkOf(`192.0.2.${last}`, prefix));
  test("joining keeps exactly the addresses, and joins no further", () =>
    fc.assert(
      fc.property(fc.array(block, { maxLength: 12 }), (networks) => {
        const txtValue = joinNetworks(networks);
        const has = (some: typeof networks, last: number) => some.some((one) => isCovered([networkOf(`192.0.2.${last}`)], [one]));
        let count = 0;
        for (let last = 0; last < 64; last++) {
          expect(allInWords(has(txtValue, last))).toBe(has(networks, last));
          if (has(networks, last)) count += 1;
        }
        expect(allInWords(addressCount(txtValue, 4))).toBe(BigInt(count));
        expect(allInWords(joinNetworks(txtValue))).toEqual(txtValue);
        expect(allInWords(txtValue.length)).toBeLessThanOrEqual(networks.length);
      }),
    ));
});

describe("parse then print", () => {
  const domain = fc.constantFrom("heronpost.example", "spf.heronpost.example", "%{d2}", "%{ir}._spf.%{d}");
  const term = fc.oneof(
    fc.constantFrom("a", "mx", "ptr", "a/24//64", "mx//48", "?all", "moo=%{l}"),
    fc
      .tuple(fc.constantFrom("", "+", "-", "~", "?"), fc.constantFrom("include", "a", "mx", "exists", "ptr"), domain)
      .map(([qualifier, name, of]) => `${qualifier}${name}:${of}`),
    fc
      .tuple(fc.integer({ min: 0, max: 255 }), fc.integer({ min: 0, max: 32 }))
      .map(([last, prefix]) => `ip4:192.0.2.${last}/${prefix}`),
    fc.integer({ min: 0, max: 128 }).map((prefix) => `ip6:2001:db8::1/${prefix}`),
  );
  test("the terms of a record, written one behind the other, are the record", () =>
    fc.assert(
      fc.property(fc.array(term, { maxLength: 12 }), (terms) => {
        const text = ["v=spf1", ...terms].join(" ");
        const record = read(text);
        expect(allInWords(["v=spf1", ...record.terms.map((one) => one.text)].join(" "))).toBe(text);
        for (const one of record.terms) expect(allInWords(text.slice(one.at, one.at + one.text.length))).toBe(one.text);
      }),
    ));
  test("a block of addresses reads back as itself", () =>
    fc.assert(
      fc.property(fc.bigInt({ min: 0n, max: 2n ** 32n - 1n }), fc.integer({ min: 0, max: 32 }), (address, prefix) => {
        const size = 1n << BigInt(32 - prefix);
        const block = { family: 4, start: address - (address % size), prefix } as const;
        const [one] = read(`v=spf1 ${networkTerm(block)}`).terms;
        expect(allInWords(one?.kind === "mechanism" && networkOf(one.address as string, one.prefix4))).toEqual(block);
      }),
    ));
});

describe("what a record allows, costs, and does for nothing", () => {
  test("the tree, its cost and its addresses", async () => {
    const tree = await grown("v=spf1 a:out.heronpost.example include:spf.heronpost.example -all");
    expect(allInWords(treeLookups(tree))).toBe(4);
    expect(
      allInWords([...branchesOf(tree)].map(({ branch, depth }) => `${depth} ${branch.lookups} ${branch.term.text}`)),
    ).toEqual([
      "0 1 a:out.heronpost.example",
      "0 3 include:spf.heronpost.example",
      "1 0 ip4:198.51.100.0/26",
      "1 0 ip4:198.51.100.64/26",
      "1 2 include:more.heronpost.example",
      "2 0 ip6:2001:db8::/48",
      "2 1 a:out.heronpost.example",
      "2 0 -all",
      "1 0 ~all",
      "0 0 -all",
    ]);
    expect(allInWords(joinNetworks(tree.branches.flatMap((one) => one.networks)).map(networkTerm))).toEqual([
      "ip4:198.51.100.0/25",
      "ip4:198.51.100.200",
      "ip6:2001:db8::/48",
    ]);
  });
  test.each<[string, string, string]>([
    ["v=spf1 a:gone.heronpost.example -all", "a:gone.heronpost.example", "void"],
    ["v=spf1 mx:heronpost.example -all", "mx:heronpost.example", "void"],
    ["v=spf1 include:gone.heronpost.example -all", "include:gone.heronpost.example", "void"],
    ["v=spf1 include:none.heronpost.example include:none.heronpost.example -all", "include:none.heronpost.example", "duplicate"],
    ["v=spf1 ip4:198.51.100.0/24 a:out.heronpost.example -all", "a:out.heronpost.example", "shadowed"],
    ["v=spf1 include:spf.heronpost.example ip4:198.51.100.5 -all", "ip4:198.51.100.5", "shadowed"],
    ["v=spf1 ip4:198.51.100.0/25 ip4:198.51.100.128/25 ip4:198.51.100.64/25 -all", "ip4:198.51.100.64/25", "shadowed"],
    ["v=spf1 -ip4:198.51.100.0/24 ip4:198.51.100.5 -all", "ip4:198.51.100.5", "shadowed"],
    ["v=spf1 -all ip4:192.0.2.1", "ip4:192.0.2.1", "unreachable"],
    ["v=spf1 -all redirect=spf.heronpost.example", "redirect=spf.heronpost.example", "unreachable"],
  ])("%s: %s is %s", async (text, term, kind) =>
    expect(allInWords((await grown(text)).branches.find((one) => one.ineffective !== undefined))).toMatchObject({
      term: { text: term },
      ineffective: { kind },
    }),
  );
  test("terms behind “all” cost nothing", async () =>
    expect(allInWords(treeLookups(await grown("v=spf1 -all include:spf.heronpost.example")))).toBe(0));
  test.each<[string, string]>([
    ["v=spf1 +all", "everybody"],
    ["v=spf1 all", "everybody"],
    ["v=spf1 ip4:10.0.0.0/8 -all", "huge-range"],
    ["v=spf1 ip6:2001:db8::/16 -all", "huge-range"],
    ["v=spf1 a:out.heronpost.example/8 -all", "huge-range"],
    ["v=spf1 ptr -all", "ptr"],
    ["v=spf1 include:spf.nobody-has-this.example -all", "registrable"],
    ["v=spf1 a:nobody-has-this.example -all", "registrable"],
  ])("%s is dangerous: %s", async (text, kind) =>
    expect(allInWords((await grown(text)).branches.flatMap((one) => one.risks.map((risk) => risk.kind)))).toEqual([kind]),
  );
  test.each(["v=spf1 ip4:192.0.2.0/24 ~all", "v=spf1 include:gone.heronpost.example -all", "v=spf1 -ip4:10.0.0.0/8 -all"])(
    "%s is not dangerous",
    async (text) => expect(allInWords((await grown(text)).branches.flatMap((one) => one.risks))).toEqual([]),
  );
  test("what could not be asked is said, never counted as nothing", async () => {
    const tree = await grown("v=spf1 include:spf.heronpost.example -all", {
      ask: async () => failed("timeout", verbatim("nobody answers")),
    });
    expect(allInWords(tree.branches[0])).toMatchObject({ failed: "nobody answers", complete: false });
    expect(tree.branches[0]?.ineffective).toBeUndefined();
  });
  test.each<[string, boolean, string]>([
    ["include:spf.heronpost.example", false, "servers that spf.heronpost.example allows"],
    ["-include:spf.heronpost.example", false, "servers that spf.heronpost.example allows are refused"],
    ["~all", false, "everyone else is suspicious"],
    ["~all", true, "everyone else: later terms decide"],
    ["+all", true, "everyone else is allowed"],
    ["a", false, "the address of this domain"],
    ["mx:heronpost.example/24", false, "the mail servers of heronpost.example and everything in its block (/24)"],
    ["ip4:192.0.2.0/24", false, "the addresses 192.0.2.0/24"],
    ["?ip6:2001:db8::1", false, "2001:db8::1 is neither allowed nor refused"],
    [
      "exists:%{i}.ok.heronpost.example",
      false,
      "servers for which a name made from the message (%{i}.ok.heronpost.example) has an address",
    ],
    ["redirect=spf.heronpost.example", false, "everything else is decided by the record of spf.heronpost.example"],
    ["ptr", false, "servers that call themselves this domain"],
  ])("%s in words", (text, included, words) =>
    expect(allInWords(describeTerm(read(`v=spf1 ${text}`).terms[0] as never, included))).toBe(words),
  );
});

describe("combining", () => {
  test.each<[string, string[], string, string[]]>([
    ["v=spf1 mx -all", ["include:spf.heronpost.example"], "v=spf1 mx include:spf.heronpost.example -all", []],
    [
      "v=spf1 include:spf.heronpost.example -all",
      ["ip4:198.51.100.5"],
      "v=spf1 include:spf.heronpost.example -all",
      ["ip4:198.51.100.5"],
    ],
    [
      "v=spf1 ip4:198.51.100.5 ~all",
      ["include:spf.heronpost.example"],
      "v=spf1 include:spf.heronpost.example ~all",
      ["ip4:198.51.100.5"],
    ],
    [
      "v=spf1 -ip4:198.51.100.5 ~all",
      ["include:spf.heronpost.example"],
      "v=spf1 -ip4:198.51.100.5 include:spf.heronpost.example ~all",
      [],
    ],
    ["v=spf1 ip4:192.0.2.1 ip4:192.0.2.1 ~all", [], "v=spf1 ip4:192.0.2.1 ~all", ["ip4:192.0.2.1"]],
    ["v=spf1 ?all", ["a:out.heronpost.example +all"], "v=spf1 a:out.heronpost.example ?all", []],
    ["v=spf1 redirect=spf.heronpost.example", ["ip4:192.0.2.1"], "v=spf1 ip4:192.0.2.1 redirect=spf.heronpost.example", []],
  ])("%s and %j", async (existing, wanted, text, dropped) => {
    const combined = await combineThoroughly(
      read(existing),
      wanted.map((one) => read(`v=spf1 ${one}`)),
      "brackwater.example",
      lookup,
    );
    expect(allInWords(combined.text)).toBe(text);
    expect(allInWords(combined.dropped.map((one) => one.text))).toEqual(dropped);
  });
});

describe("shrinking", () => {
  const flatten = (text: string, ...targets: string[]) => flattenSpf(read(text), name("brackwater.example"), targets, lookup);
  test("the fewest blocks, in the include's place, and what they stood for", async () => {
    expect(allInWords(await flatten("v=spf1 mx include:spf.heronpost.example ?all", "spf.heronpost.example"))).toEqual({
      ok: true,
      value: {
        text: "v=spf1 mx ip4:198.51.100.0/25 ip4:198.51.100.200 ip6:2001:db8::/48 ?all",
        parts: [],
        sources: [
          {
            term: "include:spf.heronpost.example",
            addresses: ["ip4:198.51.100.0/25", "ip4:198.51.100.200", "ip6:2001:db8::/48"],
          },
        ],
      },
    });
  });
  test("over several names where one record would be too long; the same senders pass", async () => {
    const flattened = await flatten("v=spf1 include:wide.heronpost.example -all", "include:wide.heronpost.example");
    if (!flattened.ok) throw new Error(flattened.error.term);
    const { text, parts } = flattened.value;
    expect(allInWords(text)).toBe("v=spf1 include:_addresses1.brackwater.example include:_addresses2.brackwater.example -all");
    for (const part of parts) expect(allInWords(part.text.length)).toBeLessThanOrEqual(MAX_OCTETS);
    const zone = `$TTL 60\n. SOA a. b. 1 1 1 1 60\nbrackwater.example. TXT "${text}"\n${parts.map((part) => `${part.name} TXT ${(part.text.match(/.{1,200}/g) ?? []).map((one) => `"${one}"`).join(" ")}`).join("\n")}\n`;
    const published = zoneLookup(zonesOf(readZone(zone)));
    for (let last = 0; last < 45; last++)
      for (const net of ["198.51.100", "203.0.113"]) {
        const expected = last % 2 === 0 && last < 40 ? "pass" : "fail";
        expect(
          allInWords((await checkSpf({ ip: `${net}.${last}`, from: "a@brackwater.example", helo: "" }, published)).result),
        ).toBe(expected);
      }
  });
  test.each<[string, string, RegExp]>([
    ["v=spf1 include:minus.heronpost.example -all", "minus.heronpost.example", /takes addresses away/],
    ["v=spf1 include:magic.heronpost.example -all", "magic.heronpost.example", /depends on each message/],
    ["v=spf1 include:gone.heronpost.example -all", "gone.heronpost.example", /no SPF record/],
    ["v=spf1 include:none.heronpost.example -all", "none.heronpost.example", /no address at all/],
    ["v=spf1 -all", "spf.heronpost.example", /no such include/],
  ])("%s cannot be shrunk", async (text, target, because) =>
    expect(allInWords(await flatten(text, target))).toMatchObject({
      ok: false,
      error: { because: expect.stringMatching(because) },
    }),
  );
});
