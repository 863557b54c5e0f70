import { describe, expect, test } from "@jest/globals";
import { allInWords } from "../../present/clauses/index.ts";
import { verbatim } from "../clause/index.ts";
import { failed, type Lookup, zoneLookup } from "../lookup/index.ts";
import { name } from "../name/index.ts";
import { printData, toSets } from "../record/index.ts";
import { readRecords, readZone, type SetChange, zonesOf } from "../zone/index.ts";
import { lostOf, standingAt } from "./index.ts";

const apex = name("brackwater.example");
const START = "$TTL 1h\n@ SOA ns1 h 1 2h 15m 2w 5m\n@ NS ns1\n";
const zone = (records: string): Lookup => zoneLookup(zonesOf(readZone(`${START}${records}\n`, { origin: apex })));
const set = (records: string) => toSets(readRecords(records, { origin: apex, ttl: 3600 }).records)[0];
const change = (before: string | undefined, after: string | undefined): SetChange => {
  const [was, is] = [before, after].map((records) => (records === undefined ? undefined : set(records)));
  const any = (was ?? is)!;
  return { name: any.name, type: any.type, before: was, after: is };
};
const BEFORE = '@ MX 10 mx1.inglemail.example.\n@ TXT "a"\n@ TXT "b"\nwww A 192.0.2.1\nold CNAME x.example.';

describe("what was deleted beside a change", () => {
  const lost = async (now: string | Lookup, ...changes: SetChange[]) => {
    const beside = await standingAt(
      ["@", "www", "old"].map((label) => name(label, apex)),
      zone(BEFORE),
      apex,
    );
    const sets = await lostOf(beside, changes, typeof now === "string" ? zone(now) : now, apex);
    return sets.map(({ name: of, type, data }) => `${of} ${type} ${data.map((one) => printData(type, one)).join(",")}`);
  };
  test("nothing, where all of it is there", async () => expect(allInWords(await lost(BEFORE))).toEqual([]));
  test("a whole set, and one text of several", async () => {
    expect(allInWords(await lost('@ TXT "b"\nwww A 192.0.2.1\nold CNAME x.example.'))).toEqual([
      "brackwater.example. MX 10 mx1.inglemail.example.",
      'brackwater.example. TXT "a"',
    ]);
  });
  test("not what the change was to remove", async () => {
    const changes = [change("www A 192.0.2.1", undefined), change("old CNAME x.example.", "old CNAME y.example.")];
    expect(
      allInWords(await lost('@ MX 10 mx1.inglemail.example.\n@ TXT "a"\n@ TXT "b"\nold CNAME y.example.', ...changes)),
    ).toEqual([]);
  });
  test("not what could not be asked about", async () =>
    expect(allInWords(await lost({ ask: async () => failed("timeout", verbatim("late")) }))).toEqual([]));
  test("not what a wildcard still answers", async () => {
    expect(allInWords(await lost(`${BEFORE.replace("www A", "*.x A")}\n* A 192.0.2.1`))).toEqual([]);
  });
});
