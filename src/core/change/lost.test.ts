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
    return sets.map(({ name: of, type, was }) => `${of} ${type} ${was.data.map((one) => printData(type, one)).join(",")}`);
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

  test.each<[string, string, string | undefined, string | undefined]>([
    [
      "an SPF record that was overwritten",
      "v=spf1 include:a.example -all",
      "v=spf1 include:new.example ~all",
      "v=spf1 include:new.example include:a.example ~all",
    ],
    ["an SPF record that a colleague added to", "v=spf1 include:a.example -all", "v=spf1 mx include:a.example -all", undefined],
    ["an SPF record in another order", "v=spf1 mx include:a.example -all", "v=spf1 include:a.example mx -all", undefined],
    ["an SPF term behind all", "v=spf1 include:a.example -all", "v=spf1 -all include:a.example", "v=spf1 include:a.example -all"],
    ["a policy that was raised", "v=DMARC1; p=none; rua=mailto:a@x.test", "v=DMARC1;p=reject;rua=mailto:a@x.test", undefined],
    [
      "a policy that was rewritten bare",
      "v=DMARC1; p=none; rua=mailto:a@x.test",
      "v=DMARC1; p=reject",
      "v=DMARC1; p=reject; rua=mailto:a@x.test",
    ],
    ["a policy that was lowered", "v=DMARC1; p=reject", "v=DMARC1; p=none", "v=DMARC1; p=reject"],
    ["an SPF record that lets everybody in", "v=spf1 mx -all", "v=spf1 mx +all", "v=spf1 mx -all"],
    ["an SPF record that says nothing of others", "v=spf1 mx ~all", "v=spf1 mx a", "v=spf1 mx a ~all"],
    ["an SPF record softened as reports do not notice", "v=spf1 mx -all", "v=spf1 mx ~all", undefined],
    ["an SPF record that was opened before", "v=spf1 mx ?all", "v=spf1 mx a ?all", undefined],
    [
      "a second SPF record beside it",
      "v=spf1 mx -all",
      'v=spf1 mx -all"\nx TXT "v=spf1 include:a.example ~all',
      "v=spf1 mx include:a.example -all",
    ],
    [
      "a second policy beside it",
      "v=DMARC1; p=reject",
      'v=DMARC1; p=none; rua=mailto:a@x.test"\nx TXT "v=DMARC1; p=reject',
      "v=DMARC1; p=reject; rua=mailto:a@x.test",
    ],
    ["a second key beside it", "v=DKIM1; p=AAAA", 'v=DKIM1; p=AAAA"\nx TXT "v=DKIM1; p=BBBB', "v=DKIM1; p=AAAA"],
    ["a key in other spelling", "v=DKIM1; k=rsa; p=AAAA", "k=rsa;p=AA AA", undefined],
  ])("%s is judged by what it says", async (_, was, now, mended) => {
    const beside = toSets(readRecords(`x TXT "${was}"`, { origin: apex, ttl: 60 }).records);
    const [loss, ...more] = await lostOf(beside, [], zone(`x TXT "${now}"`), apex);
    expect(more).toEqual([]);
    expect(loss?.mend.after?.data.map((data) => printData("TXT", data))).toEqual(
      mended === undefined ? undefined : [`"${mended}"`],
    );
    expect(loss?.now === undefined).toBe(mended === undefined);
  });
  test("a merge that the sheet says, and of which only the new half was entered", async () => {
    const merged = change('x TXT "v=spf1 include:a.example -all"', 'x TXT "v=spf1 include:a.example include:b.example -all"');
    const beside = [merged.before as NonNullable<typeof merged.before>];
    const of = async (now: string) =>
      (await lostOf(beside, [merged], zone(now), apex)).map(({ mend }) => mend.after?.data.map((data) => printData("TXT", data)));
    expect(await of('x TXT "v=spf1 include:b.example -all"')).toEqual([['"v=spf1 include:b.example include:a.example -all"']]);
    expect(await of('x TXT "v=spf1 include:a.example include:b.example -all"')).toEqual([]);
    // Not entered yet is not lost.
    expect(await of('x TXT "v=spf1 include:a.example -all"')).toEqual([]);
  });
  test.each<[string, string, string, string, string | undefined]>([
    ["a policy that the sheet lowers", "v=DMARC1; p=reject", "v=DMARC1; p=none", "v=DMARC1; p=none", undefined],
    ["a policy not lowered yet", "v=DMARC1; p=reject", "v=DMARC1; p=none", "v=DMARC1; p=reject", undefined],
    [
      "a policy rewritten without what the sheet says",
      "v=DMARC1; p=reject",
      "v=DMARC1; p=quarantine; rua=mailto:a@x.test",
      "v=DMARC1; p=none",
      "v=DMARC1; p=quarantine; rua=mailto:a@x.test",
    ],
    ["a policy nobody could read", "v=DMARC1; p=nne", "v=DMARC1; p=nne", "v=DMARC1; p=rejct", "v=DMARC1; p=nne"],
    ["a key that the sheet replaces", "v=DKIM1; p=AAAA", "v=DKIM1; p=BBBB", "v=DKIM1; p=BBBB", undefined],
    ["a key not replaced yet", "v=DKIM1; p=AAAA", "v=DKIM1; p=BBBB", "v=DKIM1; p=AAAA", undefined],
    ["a key that is neither", "v=DKIM1; p=AAAA", "v=DKIM1; p=BBBB", "v=DKIM1; p=CCCC", "v=DKIM1; p=BBBB"],
  ])("%s", async (_, was, after, now, mended) => {
    const planned = change(`x TXT "${was}"`, `x TXT "${after}"`);
    const [loss] = await lostOf([planned.before!], [planned], zone(`x TXT "${now}"`), apex);
    expect(loss?.mend.after?.data.map((data) => printData("TXT", data))).toEqual(
      mended === undefined ? undefined : [`"${mended}"`],
    );
  });
  test("an alias to a name that is not there stood there, too", async () => {
    const parked = "www CNAME gone.brackwater.example.";
    const beside = await standingAt([name("www", apex)], zone(parked), apex);
    expect(beside.map(({ type }) => type)).toEqual(["CNAME"]);
    expect(await lostOf(beside, [], zone(parked), apex)).toEqual([]);
    expect(await lostOf(beside, [], zone("shop A 192.0.2.1"), apex)).toMatchObject([{ type: "CNAME", now: undefined }]);
  });
  test.each([
    ["www A 192.0.2.1", "www A 192.0.2.9", "changed"],
    ["www A 192.0.2.1", "www AAAA 2001:db8::1", "deleted"],
    ["www MX 10 a.example.\nwww MX 20 b.example.", "www MX 10 a.example.", "deleted"],
    ["www MX 10 a.example.", "www MX 10 c.example.", "changed"],
    ["www CNAME a.example.", "www CNAME b.example.", "changed"],
  ])("%j, and then %j, was %s", async (was, now, how) => {
    const [loss] = await lostOf(toSets(readRecords(was, { origin: apex, ttl: 60 }).records), [], zone(now), apex);
    expect([how, loss?.now === undefined]).toEqual([how, how === "deleted"]);
    expect(loss?.mend.after?.data.map((data) => printData(loss.type, data))).toEqual(
      readRecords(was, { origin: apex, ttl: 60 }).records.map(({ type, data }) => printData(type, data)),
    );
  });
});
