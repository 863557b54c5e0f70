import { describe, expect, test } from "@jest/globals";
import { allInWords } from "../../present/clauses/index.ts";
import { type DnsWant, type View, type Viewpoint, wantsOf } from "../ask/index.ts";
import { zoneLookup } from "../lookup/index.ts";
import { type DomainName, displayName, labelsOf, name, relativeText } from "../name/index.ts";
import { readRecords, readZone, zonesOf } from "../zone/index.ts";
import { diagnose } from "./index.ts";
import { NAME_MISTAKES, placesOf, VALUE_MISTAKES } from "./mistakes.ts";

const apex = name("brackwater.example");
const HEAD = "$TTL 300\n@ SOA ns1 h 1 2 3 4 5\n@ NS ns1\nns1 A 192.0.2.1\n";
const quote = (text: string): string =>
  `"${[...Buffer.from(text)].map((octet) => (octet < 32 || octet > 126 || octet === 34 || octet === 92 ? `\\${String(octet).padStart(3, "0")}` : String.fromCharCode(octet))).join("")}"`;

/** What is found in a zone where one ask wants one record. */
async function found(wanted: string, zone: string) {
  const [want] = wantsOf(readRecords(wanted, { origin: apex, ttl: 300 }).records) as [DnsWant];
  const lookup = zoneLookup(zonesOf(readZone(`${HEAD}${zone}\n`, { origin: apex })));
  const viewpoint = { role: "authoritative", name: "ns1", lookup } as Viewpoint;
  const answer = await lookup.ask(want.name, want.type);
  const view = { from: "ns1", role: "authoritative", name: want.name, type: want.type, sees: "nothing", answer } as View;
  return diagnose({
    wanted: want,
    apex,
    views: [view],
    viewpoints: [viewpoint],
    lookup,
    labels: ["seekmere"],
    undelegatedHosts: [],
    siblings: [],
    all: [want],
  });
}

const WANTED: readonly (readonly [host: string, value: string])[] = [
  ["@", "seekmere-owner=4f1d0c77a2"],
  ["_seek", "Wm9v-Q2FyZA=="],
  ["_pw.shop", "pagewick;claim=77aa01bc"],
  ["k1._domainkey", "v=DKIM1; k=ed25519; p=4uL6hzme/D7fN4dgN2Z8ZIptCmGWt2yyQQdV4en9qM4="],
];

describe("every mistake of a value is found", () => {
  const cases = WANTED.flatMap(([host, value]) =>
    VALUE_MISTAKES.flatMap(({ kind, spoil }) => (spoil(value) === value ? [] : [[kind, host, value, spoil(value)] as const])),
  );
  test.each(cases)("%s at %s", async (kind, host, value, spoilt) => {
    const [first] = await found(`${host} TXT ${quote(value)}`, `${host} TXT ${quote(spoilt)}`);
    expect(first?.kind).toBe(kind);
  });
});

describe("two mistakes of a value at once are both named", () => {
  const cases = WANTED.flatMap(([host, value]) =>
    VALUE_MISTAKES.flatMap((one) =>
      VALUE_MISTAKES.flatMap((other) => {
        const spoilt = other.spoil(one.spoil(value));
        return one === other || spoilt === value || spoilt.length > 250
          ? []
          : [[one.kind, other.kind, host, value, spoilt] as const];
      }),
    ),
  );
  test.each(cases)("%s and %s at %s", async (one, other, host, value, spoilt) => {
    const [first] = await found(`${host} TXT ${quote(value)}`, `${host} TXT ${quote(spoilt)}`);
    // Some pairs are undone by one mend; what is named is one of the two, or the blanks that both left.
    expect([one, other, "wrapped"]).toContain(first?.kind);
  });
});

describe("every mistake of a name is found, also where the value is spoilt", () => {
  const places = WANTED.flatMap(([host, value]) => {
    const wanted = name(host, apex);
    return placesOf(wanted, apex, ["seekmere"]).map(({ name: at, kind }) => [kind, displayName(at), host, value, at] as const);
  });
  test.each(places)("%s: %s for %s", async (kind, _, host, value, at) => {
    const [first] = await found(`${host} TXT ${quote(value)}`, `${at} TXT ${quote(value)}`);
    expect(first).toMatchObject({ kind, at: displayName(at) });
  });
  test.each(places)("%s: %s for %s, in quotation marks", async (kind, _, host, value, at) => {
    const [first] = await found(`${host} TXT ${quote(value)}`, `${at} TXT ${quote(`"${value}"`)}`);
    expect(first).toMatchObject({ kind, at: displayName(at) });
    expect(allInWords(first?.remedy)).toContain(value);
  });
  test("each of them leads somewhere, and none to the name itself", () => {
    const own = labelsOf(name("_pw.shop", apex)).slice(0, 2);
    for (const { spoil } of NAME_MISTAKES) expect(spoil(own, labelsOf(apex)).length).toBeGreaterThan(0);
    const wanted: DomainName = name("_pw.shop", apex);
    expect(placesOf(wanted, apex, []).some((place) => place.name === wanted)).toBe(false);
  });
});

test.each<[string, string, string, string, string]>([
  [
    "a term behind all",
    '@ TXT "v=spf1 include:a.example -all"',
    '@ TXT "v=spf1 mx -all include:a.example"',
    "broken-spf",
    "behind “all”",
  ],
  ["a missing blank", '@ TXT "v=spf1 include:a.example -all"', '@ TXT "v=spf1 mxinclude:a.example -all"', "broken-spf", "blank"],
  [
    "a mistyped host",
    '@ TXT "v=spf1 include:spf.heronpost.example -all"',
    '@ TXT "v=spf1 include:spf.heronpsot.example -all"',
    "broken-spf",
    "heronpsot",
  ],
  [
    "signs of web addresses",
    '@ TXT "v=spf1 include:a.example -all"',
    '@ TXT "v%3Dspf1 include:a.example -all"',
    "percent-encoded",
    "%3D",
  ],
  [
    "priorities turned round",
    "@ MX 10 a.example.\n@ MX 20 b.example.",
    "@ MX 20 a.example.\n@ MX 10 b.example.",
    "priorities-swapped",
    "a.example",
  ],
  [
    "an old key beside the new one",
    'k1._domainkey TXT "v=DKIM1; p=AAAA"',
    'k1._domainkey TXT "v=DKIM1; p=AAAA"\nk1._domainkey TXT "v=DKIM1; p=BBBB"',
    "second-key",
    "2 keys",
  ],
])("%s", async (_, wanted, zone, kind, words) => {
  const [first] = await found(wanted, zone);
  expect(first?.kind).toBe(kind);
  expect(allInWords(first?.because)).toContain(words);
});

test("a record that is wanted where it is, is no misplacement", async () => {
  const wants = wantsOf(readRecords('@ TXT "k=1"\nwww TXT "k=1"', { origin: apex, ttl: 300 }).records);
  const lookup = zoneLookup(zonesOf(readZone(`${HEAD}@ TXT "k=1"\n`, { origin: apex })));
  const [want] = wants.filter((one) => relativeText(one.name, apex) === "www") as [DnsWant];
  const answer = await lookup.ask(want.name, "TXT");
  const view = { from: "ns1", role: "authoritative", name: want.name, type: "TXT", sees: "nothing", answer } as View;
  const causes = await diagnose({
    ...{ wanted: want, apex, views: [view], viewpoints: [], lookup, labels: [], undelegatedHosts: [], siblings: [] },
    all: wants,
  });
  expect(causes).toEqual([]);
});
