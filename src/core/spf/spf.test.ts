import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { allInWords } from "../../present/clauses/index.ts";
import { type Lookup, zoneLookup } from "../lookup/index.ts";
import type { RecordSet } from "../record/index.ts";
import { readZone, zonesOf } from "../zone/index.ts";
import { combine, hasTerms, isReordered, readSpfRecord, type SpfRecord, spfCost, spfMistake } from "./index.ts";
import { spfIn } from "./published.ts";

const spf = (text: string): SpfRecord => {
  const parsed = readSpfRecord(text);
  if (!parsed.ok) throw new Error(JSON.stringify(parsed.error));
  return parsed.value;
};

describe("the grammar (RFC 7208 section 12)", () => {
  test.each([
    "v=spf1",
    "v=spf1 ",
    "V=SPF1 -ALL",
    "v=spf1 a mx ptr -all",
    "v=spf1 a:mail.brackwater.example/24//64 mx/28 ~all",
    "v=spf1 a//128 mx:brackwater.example//0 a/0",
    "v=spf1 ip4:192.0.2.0/24 ip4:192.0.2.1 ip6:2001:db8::/32 ip6:::1/0 ?all",
    "v=spf1 include:spf.heronpost.example exists:%{ir}.%{v}._spf.%{d2} -all",
    "v=spf1 exists:%{l1r-}.x.example include:%{d} redirect=_spf.brackwater.example",
    "v=spf1 exp=explain._spf.%{d} unknown=a%%b%_c%-d other.name=x",
    "v=spf1   mx   -all  ",
    "v=spf1 a:x-1.example. -all",
    "v=spf1 exists:%{i}.x%% -all",
    "v=spf1 exists:%{i}.x%_ -all",
    "v=spf1 exists:%{i}.x%- -all",
    "v=spf1 include:%{d02}.x.example -all",
    "v=spf1 mx v=spf1 -all",
  ])("%s", (text) => expect(allInWords(readSpfRecord(text).ok)).toBe(true));

  test.each<[string, number, RegExp, string | undefined]>([
    ["v=spf1 ipv4:192.0.2.0/24 -all", 7, /no mechanism “ipv4”/, "ip4:192.0.2.0/24"],
    ["v=spf1 include: spf.heronpost.example -all", 7, /directly behind it, without a space/, "include:spf.heronpost.example"],
    ["v=spf1include:x.example -all", 0, /needs a space/, "v=spf1 include:x.example -all"],
    ["spf2.0/pra mx -all", 0, /older proposal/, "v=spf1 …"],
    ["v=spf1 192.0.2.1 -all", 7, /needs its mechanism/, "ip4:192.0.2.1"],
    ["v=spf1 2001:db8::1 -all", 7, /needs its mechanism/, "ip6:2001:db8::1"],
    ["v=spf1 ip4:192.0.2.0/33 -all", 7, /0 to 32/, undefined],
    ["v=spf1 ip6:2001:db8::/129 -all", 7, /0 to 128/, undefined],
    ["v=spf1 ip4:2001:db8::1 -all", 7, /IPv4 address/, "ip6:2001:db8::1"],
    ["v=spf1 ip6:192.0.2.1 -all", 7, /IPv6 address/, "ip4:192.0.2.1"],
    ["v=spf1 a/33 -all", 7, /0 to 32/, undefined],
    ["v=spf1 ptr/24 -all", 7, /no length/, undefined],
    ["v=spf1 inculde:x.example -all", 7, /no mechanism “inculde”/, "include:x.example"],
    ["v=spf1 all:x -all", 7, /nothing behind it/, "all"],
    ["v=spf1 spf.heronpost.example -all", 7, /needs its mechanism/, "include:spf.heronpost.example"],
    ["v=spf1 redirect=a.example redirect=b.example", 26, /only once/, undefined],
    ["v=spf1 exp=", 7, /needs a domain/, undefined],
    ["v=spf1 include:%{d0} -all", 7, /not a domain/, undefined],
    ["v=spf1 include:%{d00r}.example -all", 7, /not a domain/, undefined],
    ["v=spf1 include:x.%%{d} -all", 7, /not a domain/, undefined],
    ["v=spf1 include:%%.%{c}.example -all", 7, /not a domain/, undefined],
    ["v=spf1 include:%{x}.example -all", 7, /not a domain/, undefined],
    ["v=spf1 include:%{c}.example -all", 7, /not a domain/, undefined],
    ["v=spf1 exists:x%y.example -all", 7, /not a domain/, undefined],
    ["v=spf1 a: -all", 7, /a colon and a domain/, undefined],
    ["v=spf1 a:example -all", 7, /not a domain/, undefined],
    ["v=spf1 a:1.2.3.4 -all", 7, /not a domain/, undefined],
    ["v=spf10 -all", 0, /begins with v=spf1/, "v=spf1 -all"],
    ["v=spf2 -all", 0, /begins with v=spf1/, "v=spf1 -all"],
    ["spf1 include:x.example ~all", 0, /begins with v=spf1/, "v=spf1 include:x.example ~all"],
    ["v:spf1 mx -all", 0, /begins with v=spf1/, "v=spf1 mx -all"],
    ['"v=spf1 include:x.example -all"', 0, /begins with v=spf1/, "v=spf1 include:x.example -all"],
    [" v=spf1 -all", 0, /begins with v=spf1/, "v=spf1 -all"],
    ["v=spf1; include:x.example; -all;", 0, /needs a space/, "v=spf1 include:x.example -all"],
    ["v=spf1,include:x.example,-all", 0, /needs a space/, "v=spf1 include:x.example -all"],
    ["v=spf1 ip4:192.0.2.1,ip4:192.0.2.2 -all", 7, /spaces between them/, "ip4:192.0.2.1 ip4:192.0.2.2"],
    ["v=spf1 mx; -all", 7, /spaces between them/, "mx"],
    ["v=spf1 mx all-", 10, /nothing behind it/, "-all"],
    ["v=spf1 mx ~all-", 10, /nothing behind it/, "~all"],
    ["spf1-proof=77aa", 0, /begins with v=spf1/, undefined],
    ["k=v", 0, /begins with v=spf1/, undefined],
  ])("%s", (text, at, message, meant) => {
    const parsed = readSpfRecord(text);
    if (parsed.ok) throw new Error("accepted");
    expect(allInWords(parsed.error[0])).toMatchObject({
      at,
      message: expect.stringMatching(message),
      ...(meant === undefined ? {} : { meant }),
    });
  });
  test("a second record inside is an unknown modifier, and worth a warning", () => {
    expect(allInWords(spf("v=spf1 mx v=spf1 -all").warnings)).toMatchObject([
      { at: 10, message: expect.stringMatching(/second record/) },
    ]);
    expect(allInWords(spf("v=spf1 mx v=spf2 -all").warnings)).toEqual([]);
  });
  test("a comma between two names is part of a name for receivers, and worth a warning", () => {
    expect(allInWords(spf("v=spf1 include:a.example,include:b.example -all").warnings)).toMatchObject([
      { at: 7, message: expect.stringMatching(/spaces between them/), meant: "include:a.example include:b.example" },
    ]);
    expect(spf("v=spf1 exists:%{l,}.a,mail.example include:a.example -all").warnings).toEqual([]);
  });
  test("a token that only resembles one is another text", () => {
    expect(["spf1-proof=77aa", "seekmere-owner=1", "v=spf1 mx -all"].map(spfMistake)).toEqual([undefined, undefined, undefined]);
    expect(allInWords(spfMistake("v=spf2 mx -all"))).toMatchObject({ meant: "v=spf1 mx -all" });
  });
  test("a byte-order mark in front makes it no record", () => {
    const set = { name: "a.test.", type: "TXT", ttl: 60, data: [{ strings: ["\xef\xbb\xbfv=spf1 -all"] }] };
    expect(allInWords(spfIn(set as unknown as RecordSet).texts)).toEqual([]);
  });
  test("terms behind “all” are not there, and are put in front of it where they are wanted", () => {
    expect(allInWords(hasTerms(spf("v=spf1 -all include:a.example"), spf("v=spf1 include:a.example")))).toBe(false);
    expect(allInWords(combine(spf("v=spf1 mx -all include:a.example"), [spf("v=spf1 include:a.example")]))).toBe(
      "v=spf1 mx include:a.example -all",
    );
  });
  test("any text is a record or has a mistake inside it", () => {
    const word = fc.constantFrom(
      "v=spf1",
      "a",
      "mx",
      "include:",
      "ip4:",
      "192.0.2.1",
      "/24",
      "//64",
      "~all",
      "-",
      " ",
      "%{",
      "}",
      "=",
      "redirect",
      "x.example",
      "\u00e9",
    );
    fc.assert(
      fc.property(fc.array(word, { maxLength: 12 }), (words) => {
        const text = words.join("");
        const parsed = readSpfRecord(text);
        if (!parsed.ok) for (const { at } of parsed.error) expect(allInWords(at)).toBeLessThanOrEqual(text.length);
      }),
    );
  });
});

describe("combining", () => {
  test.each<[string | undefined, string[], string]>([
    [undefined, ["v=spf1 include:spf.heronpost.example ~all"], "v=spf1 include:spf.heronpost.example ~all"],
    [
      "v=spf1 include:spf.inglemail.example -all",
      ["v=spf1 include:spf.heronpost.example ~all"],
      "v=spf1 include:spf.inglemail.example include:spf.heronpost.example -all",
    ],
    ["v=spf1 mx ?all", ["v=spf1 mx a", "v=spf1 MX +a ip4:192.0.2.1"], "v=spf1 mx a ip4:192.0.2.1 ?all"],
    ["v=spf1 mx redirect=_spf.brackwater.example", ["v=spf1 a"], "v=spf1 mx a redirect=_spf.brackwater.example"],
    ["v=spf1 -ip4:192.0.2.9 mx exp=e.example", ["v=spf1 a +all"], "v=spf1 -ip4:192.0.2.9 mx exp=e.example a"],
  ])("%s and %j", (existing, wanted, combined) => {
    expect(allInWords(combine(existing === undefined ? undefined : spf(existing), wanted.map(spf)))).toBe(combined);
    for (const one of wanted) expect(allInWords(hasTerms(spf(combined), spf(one)))).toBe(true);
  });
  test("combining again changes nothing", () => {
    const terms = fc.uniqueArray(fc.constantFrom("mx", "a", "include:x.example", "ip4:192.0.2.1", "~ptr"), { minLength: 1 });
    fc.assert(
      fc.property(terms, terms, fc.constantFrom("-all", "~all", "", "redirect=r.example"), (own, more, end) => {
        const once = combine(spf(`v=spf1 ${own.join(" ")} ${end}`), [spf(`v=spf1 ${more.join(" ")} -all`)]);
        expect(allInWords(combine(spf(once), [spf(`v=spf1 ${more.join(" ")} -all`)]))).toBe(once);
        expect(allInWords(once.endsWith(end))).toBe(true);
      }),
    );
  });
});

describe("the same in another order", () => {
  test.each<[string, string, boolean]>([
    ["v=spf1 include:a.example include:b.example -all", "v=spf1 include:b.example +include:A.example -all", true],
    ["v=spf1 a redirect=b.example", "v=spf1 redirect=b.example a", true],
    ["v=spf1 include:a.example -all", "v=spf1 -all include:a.example", false],
    ["v=spf1 -ip4:192.0.2.1 include:a.example -all", "v=spf1 include:a.example -ip4:192.0.2.1 -all", false],
    ["v=spf1 ~a mx ~ptr -all", "v=spf1 ~a ~ptr mx -all", false],
    ["v=spf1 a -all", "v=spf1 a ~all", false],
    ["v=spf1 a a -all", "v=spf1 a -all", false],
  ])("%s and %s: %s", (a, b, same) => {
    const [one, other] = [readSpfRecord(a), readSpfRecord(b)];
    expect(allInWords(one.ok && other.ok && isReordered(one.value, other.value))).toBe(same);
  });
});

describe("counting lookups (RFC 7208 section 4.6.4)", () => {
  const zones = zonesOf(
    readZone(
      '$TTL 60\n$ORIGIN example.\n@ SOA a b 1 1 1 1 1\nflat TXT "v=spf1 ip4:192.0.2.1 -all"\ntwo TXT "v=spf1 a mx -all"\ndeep TXT "v=spf1 include:two.example include:flat.example -all"\nring TXT "v=spf1 include:ring.example -all"\nbad TXT "v=spf1 ipv4:x -all"\nend TXT "v=spf1 redirect=two.example"\n',
    ),
  );
  const lookup: Lookup = zoneLookup(zones);
  test.each<[string, number, string[]]>([
    ["v=spf1 ip4:192.0.2.1 -all", 0, []],
    ["v=spf1 a mx ptr exists:x.example -all", 4, []],
    ["v=spf1 include:flat.example -all", 1, []],
    ["v=spf1 include:deep.example -all", 5, []],
    ["v=spf1 redirect=end.example", 4, []],
    ["v=spf1 -all redirect=end.example", 0, []],
    ["v=spf1 include:%{d}.example -all", 1, []],
    ["v=spf1 include:gone.example include:bad.example -all", 2, ["gone.example", "bad.example"]],
    ["v=spf1 include:ring.example -all", 2, ["ring.example"]],
  ])("%s costs %i", async (text, lookups, uncounted) => {
    expect(allInWords(await spfCost(spf(text), lookup))).toMatchObject({ lookups, uncounted });
  });
});
