import { describe, expect, test } from "@jest/globals";
import { type Lookup, zoneLookup } from "../../core/lookup/index.ts";
import { name } from "../../core/name/index.ts";
import { type RecordSet, toSets } from "../../core/record/index.ts";
import { readRecords, readZone, zonesOf } from "../../core/zone/index.ts";
import { compare } from "./zone-look.ts";

const apex = name("brackwater.example");
const zone = (records: string): Lookup =>
  zoneLookup(zonesOf(readZone(`$TTL 1h\n@ SOA ns1 h 1 2h 15m 2w 5m\n@ NS ns1\n${records}\n`, { origin: apex })));
const set = (records: string): RecordSet | undefined => toSets(readRecords(records, { origin: apex, ttl: 3600 }).records)[0];

describe("whether a sheet is carried out", () => {
  test.each<[string, string, string, string, boolean]>([
    ["the token is beside another", '@ TXT "a"', '@ TXT "a"\n@ TXT "b"', '@ TXT "a"\n@ TXT "b"\n@ TXT "c"', true],
    ["the token is not there", '@ TXT "a"', '@ TXT "a"\n@ TXT "b"', '@ TXT "a"', false],
    ["a stricter policy was entered", "", '_dmarc TXT "v=DMARC1; p=none"', '_dmarc TXT "v=DMARC1; p=reject"', true],
    [
      "a policy without its reports",
      "",
      '_dmarc TXT "v=DMARC1; p=none; rua=mailto:a@x.test"',
      '_dmarc TXT "v=DMARC1; p=none"',
      false,
    ],
    [
      "SPF in another order, with one more",
      '@ TXT "v=spf1 mx -all"',
      '@ TXT "v=spf1 mx include:b.example -all"',
      '@ TXT "v=spf1 a include:b.example mx -all"',
      true,
    ],
    [
      "SPF overwritten by the new term",
      '@ TXT "v=spf1 mx -all"',
      '@ TXT "v=spf1 mx include:b.example -all"',
      '@ TXT "v=spf1 include:b.example -all"',
      false,
    ],
    ["the old address is still there", "@ A 192.0.2.1", "@ A 192.0.2.2", "@ A 192.0.2.1\n@ A 192.0.2.2", false],
    ["the address was changed", "@ A 192.0.2.1", "@ A 192.0.2.2", "@ A 192.0.2.2", true],
    ["what was to go is gone", '@ TXT "a"\n@ TXT "b"', '@ TXT "b"', '@ TXT "b"\n@ TXT "c"', true],
    ["all of it is gone", "www CNAME x.example.", "", "", true],
    ["it still stands", "www CNAME x.example.", "", "www CNAME x.example.", false],
    ["a TTL that is still long", "@ 3600 A 192.0.2.1", "@ 300 A 192.0.2.1", "@ 3600 A 192.0.2.1", false],
    ["a TTL that was lowered", "@ 3600 A 192.0.2.1", "@ 300 A 192.0.2.1", "@ 300 A 192.0.2.1", true],
  ])("%s", async (_, was, is, now, done) => {
    const [before, after] = [set(was), set(is)];
    const { name: of, type } = (before ?? after) as RecordSet;
    const change = {
      ...{ action: "replace", name: of, type, asks: ["a"] },
      ...(before === undefined ? {} : { before }),
      ...(after === undefined ? {} : { after }),
    } as const;
    expect((await compare([change], apex, zone(now), "entered")).done).toBe(done ? 1 : 0);
  });
});
