import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { doesAllOf, readDmarcRecord, uniteDmarc } from "./index.ts";

describe("what a record does of what another asks for", () => {
  test.each([
    ["v=DMARC1; p=none", "v=DMARC1;p=none", true],
    ["v=DMARC1; p=reject", "v=DMARC1; p=none", true],
    ["v=DMARC1; p=none", "v=DMARC1; p=quarantine", false],
    ["v=DMARC1; p=reject; sp=none", "v=DMARC1; p=quarantine", false],
    ["v=DMARC1; p=reject; sp=none", "v=DMARC1; p=quarantine; sp=none", true],
    ["v=DMARC1; p=reject; pct=10", "v=DMARC1; p=reject", false],
    ["v=DMARC1; p=reject; t=y", "v=DMARC1; p=reject", false],
    ["v=DMARC1; p=none; rua=mailto:A@x.test,mailto:b@x.test", "v=DMARC1; p=none; rua=mailto:a@x.test", true],
    ["v=DMARC1; p=none", "v=DMARC1; p=none; rua=mailto:a@x.test", false],
    ["v=DMARC1; p=none; adkim=s", "v=DMARC1; p=none", true],
    ["v=DMARC1; p=none; adkim=s", "v=DMARC1; p=none; adkim=r", false],
    ["v=DMARC1; p=none; fo=1:d", "v=DMARC1; p=none; fo=1", true],
  ])("%s for %s: %p", (there, asked, does) => expect(doesAllOf(there, asked)).toBe(does));
});

describe("one record of several", () => {
  test.each<[readonly string[], string | undefined]>([
    [
      ["v=DMARC1; p=none; rua=mailto:a@x.test; fo=1", "v=DMARC1; p=quarantine"],
      "v=DMARC1; p=quarantine; fo=1; rua=mailto:a@x.test",
    ],
    [
      ["v=DMARC1; p=reject; sp=none", "v=DMARC1; p=none; rua=mailto:b@y.test"],
      "v=DMARC1; p=reject; sp=none; rua=mailto:b@y.test",
    ],
    [
      ["v=DMARC1; p=none; rua=mailto:a@x.test", "v=DMARC1; p=none; rua=mailto:b@y.test!10m"],
      "v=DMARC1; p=none; rua=mailto:a@x.test,mailto:b@y.test!10m",
    ],
    [["v=DMARC1; p=none; adkim=s", "v=DMARC1; p=none; adkim=r"], undefined],
    [["v=DMARC1;p=none;x=1"], "v=DMARC1;p=none;x=1"],
  ])("%j", (texts, expected) => {
    const united = uniteDmarc(texts);
    expect(united.ok ? united.value : undefined).toBe(expected);
  });

  const policy = fc.constantFrom("none", "quarantine", "reject");
  const record = fc
    .record({
      p: policy,
      sp: fc.option(policy),
      np: fc.option(policy),
      pct: fc.option(fc.integer({ min: 0, max: 100 })),
      t: fc.option(fc.constantFrom("y", "n")),
      fo: fc.option(fc.constantFrom("0", "1", "1:d", "s")),
      ri: fc.option(fc.integer({ min: 3600, max: 90_000 })),
      rua: fc.option(fc.constantFrom("mailto:a@x.test", "mailto:b@y.test,mailto:a@x.test", "mailto:c@z.test!5m")),
    })
    .map((tags) =>
      ["v=DMARC1", ...Object.entries(tags).flatMap(([name, value]) => (value === null ? [] : [`${name}=${value}`]))].join("; "),
    );
  test("does all that each of them asks for, can be read, and is the same when united again", () =>
    fc.assert(
      fc.property(fc.array(record, { minLength: 1, maxLength: 4 }), (texts) => {
        const united = uniteDmarc(texts);
        if (!united.ok) return;
        expect(readDmarcRecord(united.value).ok).toBe(true);
        for (const text of texts) expect([united.value, text, doesAllOf(united.value, text)]).toEqual([united.value, text, true]);
        const again = uniteDmarc([united.value, ...texts]);
        expect(again.ok && doesAllOf(united.value, again.value) && doesAllOf(again.value, united.value)).toBe(true);
      }),
    ));
});
