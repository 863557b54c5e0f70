import { describe, expect, test } from "@jest/globals";
import { allInWords } from "../../present/clauses/index.ts";
import { type DnsWant, look, type Viewpoint, wantsOf } from "../ask/index.ts";
import { type Lookup, zoneLookup } from "../lookup/index.ts";
import { name } from "../name/index.ts";
import { readRecords, readZone, zonesOf } from "../zone/index.ts";
import { type CauseKind, diagnose, valueMismatch } from "./index.ts";

const apex = name("brackwater.example");
const token = "seekmere-owner=4f1d0c77a2";

describe("how a value misses", () => {
  test.each<[string, string | undefined]>([
    [token, undefined],
    [`"${token}"`, "quoted-twice"],
    [`\\"${token}\\"`, "quoted-twice"],
    [`“${token}”`, "typographic"],
    [token.replace("-", "–"), "typographic"],
    [` ${token}`, "white-space"],
    [`${token}\u00a0`, "white-space"],
    [`${token}\u200b`, "white-space"],
    ["seekmere-owner= 4f1d0c77a2", "wrapped"],
    ["seekmere-owner=4f1d\n0c77a2", "wrapped"],
    [token.toUpperCase(), "case-changed"],
    ["seekmere-owner=4F1D0c77a2", "case-changed"],
    [token.replace("=", "\\="), "escaped"],
    [token.slice(0, 20), "cut"],
    [token.slice(4), "cut"],
    [`TXT ${token}`, "extra-text"],
    [`${token}${token}`, "extra-text"],
    ["seekmere-owner=0000000000", "other-value"],
    [`"${token.toUpperCase()}"`, "quoted-twice"],
    ["v=spf1 -all", undefined],
    ["", undefined],
    ["s", undefined],
  ])("%j: %s", (seen, kind) => {
    expect(allInWords(valueMismatch(token, seen))).toBe(kind);
  });
});

const zone = (lines: string) => zonesOf(readZone(`$TTL 300\n@ SOA a b 1 1 1 1 60\n${lines}`, { origin: apex }));
const wantOf = (line: string): DnsWant => wantsOf(readRecords(line, { origin: apex, ttl: 300 }).records)[0]!;

interface Scene {
  readonly wanted?: string;
  readonly zone: string;
  /** What a second name server serves, where it differs. */
  readonly second?: string;
  readonly thirdParty?: string;
  readonly sibling?: string;
}

async function causes({ wanted = `@ TXT "${token}"`, zone: lines, second, thirdParty, sibling }: Scene) {
  const set = wantOf(wanted);
  const lookup: Lookup = zoneLookup(zone(lines));
  const viewpoints: Viewpoint[] = [
    { name: "ns1", role: "authoritative", lookup },
    { name: "ns2", role: "authoritative", lookup: second === undefined ? lookup : zoneLookup(zone(second)) },
  ];
  const elsewhere = name("puppetfest.example");
  return diagnose({
    wanted: set,
    apex,
    views: await look([set], viewpoints),
    viewpoints,
    lookup,
    labels: ["seekmere"],
    undelegatedHosts: thirdParty === undefined ? [] : [{ title: "Zonemarrow", lookup: zoneLookup(zone(thirdParty)) }],
    siblings:
      sibling === undefined
        ? []
        : [
            {
              domain: elsewhere,
              lookup: zoneLookup(zonesOf(readZone(`$TTL 60\n@ SOA a b 1 1 1 1 60\n${sibling}`, { origin: elsewhere }))),
            },
          ],
  });
}

describe("the diagnosis names the true cause first", () => {
  const long = "k".repeat(300);
  test.each<[string, Scene, CauseKind, string]>([
    ["the name doubled, at the apex", { zone: `brackwater.example TXT "${token}"` }, "name-doubled", "host of that record to @"],
    ["the first label doubled", { zone: `brackwater TXT "${token}"` }, "name-doubled", "host"],
    [
      "the name doubled, at a label",
      { wanted: `_sm TXT "${token}"`, zone: `_sm.brackwater.example TXT "${token}"` },
      "name-doubled",
      "to _sm",
    ],
    ["at the apex instead of a label", { wanted: `_sm TXT "${token}"`, zone: `@ TXT "${token}"` }, "at-apex", "to _sm"],
    ["at a label instead of the apex", { zone: `www TXT "${token}"` }, "at-label", "to @"],
    ["at a label that is an @", { zone: `\\@ TXT "${token}"` }, "at-label", "to @"],
    ["at the service's name", { zone: `_seekmere TXT "${token}"` }, "at-label", "to @"],
    ["without the underscore", { wanted: `_sm TXT "${token}"`, zone: `sm TXT "${token}"` }, "at-label", "to _sm"],
    ["quoted twice", { zone: `@ TXT "\\"${token}\\""` }, "quoted-twice", "without quotation marks"],
    [
      "cut",
      { wanted: `@ TXT "${long.slice(0, 255)}" "${long.slice(255)}"`, zone: `@ TXT "${long.slice(0, 255)}"` },
      "cut",
      "whole",
    ],
    ["wrapped", { zone: '@ TXT "seekmere-owner= 4f1d0c77a2"' }, "wrapped", "unbroken"],
    [
      "split over two records",
      { wanted: `@ TXT "${token}"`, zone: `@ TXT "${token.slice(0, 7)}"\n@ TXT "${token.slice(7)}"` },
      "split-records",
      "one record",
    ],
    ["changed in case", { zone: `@ TXT "${token.toUpperCase()}"` }, "case-changed", "exactly"],
    ["with spaces around it", { zone: `@ TXT " ${token} "` }, "white-space", "without spaces"],
    ["with typographic quotes", { zone: `@ TXT "\\226\\128\\156${token}\\226\\128\\157"` }, "typographic", "again"],
    [
      "a CNAME in the way",
      { wanted: `www TXT "${token}"`, zone: "www CNAME box\nbox A 192.0.2.1" },
      "alias-in-the-way",
      "zandrel draft",
    ],
    [
      "below a DNAME",
      { wanted: `_p.old TXT "${token}"`, zone: `old DNAME new\n_p.old TXT "${token}"` },
      "below-dname",
      "publish the record at _p.new.brackwater.example",
    ],
    ["on some servers only", { zone: `@ TXT "${token}"`, second: "@ TXT other" }, "some-servers-only", "wait"],
    ["at a DNS host nobody asks", { zone: "", thirdParty: `@ TXT "${token}"` }, "not-delegated", "name servers"],
    ["in another domain", { zone: "", sibling: `@ TXT "${token}"` }, "other-zone", "at brackwater.example"],
    ["an older token", { zone: '@ TXT "seekmere-owner=00"' }, "other-value", "the token the service shows now"],
    [
      "a target without its final dot",
      { wanted: "www CNAME sites.pagewick.example.", zone: "www CNAME sites.pagewick.example" },
      "target-doubled",
      "final dot",
    ],
    [
      "another target",
      { wanted: "www CNAME sites.pagewick.example.", zone: "www CNAME parked.nettlehost.example." },
      "other-target",
      "sites.pagewick.example.",
    ],
    [
      "another version of a policy",
      { wanted: '_dmarc TXT "v=DMARC1; p=quarantine; adkim=s"', zone: '_dmarc TXT "v=DMARC1; p=none; pct=50"' },
      "other-value",
      "publish the new version",
    ],
    [
      "a CNAME entered as TXT",
      { wanted: "www CNAME sites.pagewick.example.", zone: '@ TXT x\nwww TXT "sites.pagewick.example"' },
      "wrong-type",
      "CNAME",
    ],
  ])("%s", async (_, scene, kind, remedy) => {
    const [first] = await causes(scene);
    expect(allInWords(first?.kind)).toBe(kind);
    expect(allInWords(first?.remedy)).toContain(remedy);
  });

  test("a server that lags behind is named by its serial", async () => {
    const token1 = `@ TXT "${token}"`;
    const old = zonesOf(readZone("$TTL 300\n@ SOA a b 7 1 1 1 60\n", { origin: apex }));
    const fresh = zonesOf(readZone(`$TTL 300\n@ SOA a b 9 1 1 1 60\n${token1}\n`, { origin: apex }));
    const viewpoints: Viewpoint[] = [fresh, old].map((zones, i) => ({
      name: `ns${i + 1}`,
      role: "authoritative",
      lookup: zoneLookup(zones),
    }));
    const wanted = wantOf(token1);
    const [first] = await diagnose({
      wanted,
      apex,
      views: await look([wanted], viewpoints),
      viewpoints,
      lookup: viewpoints[0]?.lookup,
      labels: [],
      undelegatedHosts: [],
      siblings: [],
    });
    expect(allInWords(first)).toMatchObject({
      kind: "some-servers-only",
      because: expect.stringContaining("ns2 has version 7 of the zone, and 9 is the newest"),
    });
  });
  test("a policy is compared tag by tag, and only what differs is named", async () => {
    const wanted = '_dmarc TXT "v=DMARC1; p=quarantine; adkim=s"';
    expect(await causes({ wanted, zone: '_dmarc TXT "v=DMARC1;p=none; adkim=s; pct=50"' })).toMatchObject([
      {
        because: {
          clause: "cause-other-policy",
          differences: [
            { tag: "p", is: "quarantine", was: "none" },
            { tag: "pct", is: undefined, was: "50" },
          ],
        },
      },
    ]);
  });
  test("nothing is made up where there is no trace", async () => {
    expect(allInWords(await causes({ zone: '@ TXT "v=spf1 -all"\nwww A 192.0.2.1' }))).toEqual([]);
  });
  test("a record that is there has no cause", async () => {
    expect(allInWords(await causes({ zone: `@ TXT "${token}"` }))).toEqual([]);
  });
});
