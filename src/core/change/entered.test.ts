import { describe, expect, test } from "@jest/globals";
import { name } from "../name/index.ts";
import { toSets } from "../record/index.ts";
import { readRecords, type SetChange } from "../zone/index.ts";
import { COMMON_FORM, isCarriedOut, sheetSteps } from "./index.ts";

const apex = name("brackwater.example");
const set = (records: string) => toSets(readRecords(records, { origin: apex, ttl: 3600 }).records)[0];

describe("whether a sheet is carried out, as its whole and step by step", () => {
  const SPF = 'x TXT "v=spf1 mx -all"';
  const MERGED = 'x TXT "v=spf1 mx include:a.example -all"';
  test.each<[string, string | undefined, string | undefined, string | undefined, boolean]>([
    ["an SPF record merged as it says", SPF, MERGED, MERGED, true],
    ["in another order", SPF, MERGED, 'x TXT "v=spf1 include:a.example mx -all"', true],
    ["with somebody else's term beside it", SPF, MERGED, 'x TXT "v=spf1 a mx include:a.example ~all"', true],
    ["behind all", SPF, MERGED, 'x TXT "v=spf1 mx -all include:a.example"', false],
    ["as it was", SPF, MERGED, SPF, false],
    ["as a second record", SPF, MERGED, `${SPF}\n${MERGED}`, false],
    ["gone", SPF, MERGED, undefined, false],
    ["an SPF term taken out", MERGED, SPF, SPF, true],
    ["an SPF term not taken out yet", MERGED, SPF, MERGED, false],
    [
      "an SPF term taken out, in another order",
      'x TXT "v=spf1 a mx ip4:192.0.2.1 -all"',
      'x TXT "v=spf1 a mx -all"',
      'x TXT "v=spf1 mx a -all"',
      true,
    ],
    [
      "an SPF term exchanged, the old one left",
      'x TXT "v=spf1 include:a.example -all"',
      'x TXT "v=spf1 include:b.example -all"',
      'x TXT "v=spf1 include:a.example include:b.example -all"',
      false,
    ],
    [
      "an SPF term exchanged",
      'x TXT "v=spf1 include:a.example -all"',
      'x TXT "v=spf1 include:b.example -all"',
      'x TXT "v=spf1 mx include:b.example -all"',
      true,
    ],
    ["an SPF end not changed yet", 'x TXT "v=spf1 mx ~all"', 'x TXT "v=spf1 mx -all"', 'x TXT "v=spf1 mx ~all"', false],
    ["an SPF end changed", 'x TXT "v=spf1 mx ~all"', 'x TXT "v=spf1 mx -all"', 'x TXT "v=spf1 mx -all"', true],
    ["a policy lowered", 'x TXT "v=DMARC1; p=reject"', 'x TXT "v=DMARC1; p=none"', 'x TXT "v=DMARC1;p=none"', true],
    ["a policy not lowered yet", 'x TXT "v=DMARC1; p=reject"', 'x TXT "v=DMARC1; p=none"', 'x TXT "v=DMARC1; p=reject"', false],
    [
      "an address for reports not taken out yet",
      'x TXT "v=DMARC1; p=none; rua=mailto:a@x.test"',
      'x TXT "v=DMARC1; p=none"',
      'x TXT "v=DMARC1; p=none; rua=mailto:a@x.test"',
      false,
    ],
    ["a policy that does more", undefined, 'x TXT "v=DMARC1; p=none"', 'x TXT "v=DMARC1;p=reject;rua=mailto:a@x.test"', true],
    ["a policy that does less", undefined, 'x TXT "v=DMARC1; p=reject"', 'x TXT "v=DMARC1; p=none"', false],
    ["a key in other spelling", undefined, 'x TXT "v=DKIM1; k=rsa; p=AAAA"', 'x TXT "v=DKIM1;k=rsa;p=AA AA"', true],
    ["another key", undefined, 'x TXT "v=DKIM1; p=AAAA"', 'x TXT "v=DKIM1; p=AAAB"', false],
    ["a token in other case", undefined, 'x TXT "a=B"', 'x TXT "a=b"', false],
    ["a target in other case", undefined, "x CNAME a.example.", "x CNAME A.Example.", true],
    ["a target beside the old one", "x MX 1 a.example.", "x MX 1 b.example.", "x MX 1 a.example.\nx MX 1 b.example.", false],
    ["something that goes, gone", "x A 192.0.2.1", undefined, undefined, true],
    ["something that goes, still there", "x A 192.0.2.1", undefined, "x A 192.0.2.1", false],
    ["an own addition beside", undefined, "x A 192.0.2.1", "x A 192.0.2.1\nx A 192.0.2.2", true],
    ["a lower TTL", "x A 192.0.2.1", "x 60 A 192.0.2.1", "x 60 A 192.0.2.1", true],
    ["a TTL lower still", "x A 192.0.2.1", "x 60 A 192.0.2.1", "x 30 A 192.0.2.1", true],
    ["a TTL not lowered", "x A 192.0.2.1", "x 60 A 192.0.2.1", "x A 192.0.2.1", false],
    ["a TTL lowered beside another record", "x A 192.0.2.1", "x 60 A 192.0.2.1", "x 60 A 192.0.2.1\nx A 192.0.2.2", true],
  ])("%s", (_, was, is, there, done) => {
    const [before, after, now] = [was, is, there].map((records) => (records === undefined ? undefined : set(records)));
    const any = (before ?? after)!;
    const change: SetChange = { name: any.name, type: any.type, before, after };
    expect(isCarriedOut(now, change)).toBe(done);
    expect(sheetSteps([change], apex, COMMON_FORM).every(({ isDone }) => isDone(now))).toBe(done);
  });
});
