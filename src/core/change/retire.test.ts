import { describe, expect, test } from "@jest/globals";
import { allInWords } from "../../present/clauses/index.ts";
import { type Ask, type Want, wantsOf } from "../ask/index.ts";
import { zoneLookup } from "../lookup/index.ts";
import { name } from "../name/index.ts";
import { printData } from "../record/index.ts";
import { readRecords, readZone, zonesOf } from "../zone/index.ts";
import { retireAsk } from "./index.ts";

const apex = name("brackwater.example");
const ask = (id: string, records: string, ...wants: Want[]): Ask => ({
  id,
  service: "s",
  purpose: "sending",
  domain: apex,
  after: [],
  wants: [...wantsOf(readRecords(records, { origin: apex, ttl: 3600 }).records), ...wants],
});
const minimum: Want = { kind: "dmarc-minimum", name: name("_dmarc", apex), type: "TXT", ttl: 3600, policy: "none" };

/** What goes and what stays when an ask ends, in a zone with these records. */
function retire(zone: string, one: Ask, { ours = false, named = [] as string[], others = [] as Ask[] } = {}) {
  const text = `$TTL 1h\n@ SOA ns1 hostmaster 1 2h 15m 2w 5m\n@ NS ns1\n${zone}\n`;
  return retireAsk({
    ask: one,
    others,
    lookup: zoneLookup(zonesOf(readZone(text, { origin: apex }))),
    isOurs: () => ours,
    named: new Set(named.map((each) => name(each, apex))),
  });
}
async function ended(...given: Parameters<typeof retire>) {
  const { changes, stays } = await retire(...given);
  return { gone: changes.map((change) => change.name), stays: stays.map(({ because }) => because) };
}

describe("a DMARC record stays", () => {
  const record = '_dmarc TXT "v=DMARC1; p=none"';
  test.each<[string, Ask, boolean, string[]]>([
    ["that somebody else put there, asked for as a minimum", ask("a", "", minimum), false, []],
    ["that Zandrel put there, asked for as a minimum", ask("a", "", minimum), true, []],
    ["that somebody else put there, asked for word by word", ask("a", record), false, []],
    ["that Zandrel put there, asked for word by word", ask("a", record), true, []],
    ["even where its name is given to be replaced", ask("a", record), false, ["_dmarc"]],
  ])("%s", async (_, one, ours, named) => {
    const { gone, stays } = await ended(record, one, { ours, named });
    expect(allInWords(gone)).toEqual([]);
    expect(allInWords(stays)).toEqual([expect.stringContaining("keeps its DMARC record")]);
  });
});

describe("SPF terms", () => {
  const asked = '@ TXT "v=spf1 include:spf.heronpost.example ~all"';
  const published = '@ TXT "v=spf1 include:spf.heronpost.example include:spf.inglemail.example -all"';
  const one = ask("a", asked);
  test("go from the one record, which stays with its other terms", async () => {
    const { changes, stays } = await retire(published, one, { ours: true });
    expect(allInWords(changes.flatMap(({ after }) => after?.data.map((data) => printData("TXT", data))))).toEqual([
      '"v=spf1 include:spf.inglemail.example -all"',
    ]);
    expect(allInWords(stays)).toEqual([]);
  });
  test.each<[string, string, Ask[], string[]]>([
    ["that another ask needs", published, [ask("b", asked)], ["another ask needs these terms too"]],
    ["in a record that Zandrel did not write", published, [], ["not last written by Zandrel"]],
    ["that are not there", '@ TXT "v=spf1 -all"', [], []],
    ["of a domain without an SPF record", '@ TXT "other"', [], []],
  ])("%s stay or are not mentioned", async (_, zone, others, because) => {
    const { gone, stays } = await ended(zone, one, { ours: others.length > 0, others });
    expect(allInWords(gone)).toEqual([]);
    expect(allInWords(stays)).toEqual(because.map((part) => expect.stringContaining(part)));
  });
});

describe("any other record", () => {
  const token = '@ TXT "seekmere-owner=4f1d"';
  test("goes where Zandrel put it there, and stays where it was there before", async () => {
    expect(allInWords(await ended(token, ask("a", token), { ours: true }))).toEqual({ gone: [apex], stays: [] });
    const before = await ended(token, ask("a", token));
    expect(allInWords(before)).toEqual({ gone: [], stays: [expect.stringContaining("--replace brackwater.example")] });
    expect(allInWords((await ended(token, ask("a", token), { named: ["@"] })).gone)).toEqual([apex]);
  });
  test("stays where another ask needs it", async () =>
    expect(allInWords(await ended(token, ask("a", token), { ours: true, others: [ask("b", token)] }))).toEqual({
      gone: [],
      stays: ["b needs it too"],
    }));
  test("that is not there is not mentioned", async () =>
    expect(allInWords(await ended('@ TXT "other"', ask("a", token), { ours: true }))).toEqual({ gone: [], stays: [] }));
});
