import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { literalName, mailDomainOf, readMailDomain } from "./index.ts";

describe("a domain in mail (RFC 5321 section 4.1.2, RFC 6531)", () => {
  test.each([
    ["brackwater.example", "brackwater.example."],
    ["BrackWater.EXAMPLE", "brackwater.example."],
    ["_dmarc.a-b.example", "_dmarc.a-b.example."],
    ["bühne.example", "xn--bhne-0ra.example."],
    ["localhost", "localhost."],
  ])("%j is %s", (text, name) => expect(readMailDomain(text)).toEqual({ ok: true, value: name }));
  test.each([
    "",
    ".",
    "@",
    "brackwater.example.",
    ".brackwater.example",
    "brackwater..example",
    "c\\orp.example",
    "\\099orp.example",
    "a\\.b.example",
    "in it.example",
    "brackwater.example ",
    "brackwater.example\t",
    "brackwater.example (theatre)",
    '"brackwater".example',
    "[192.0.2.1]",
    "brackwater。example",
    "brack\u200bwater.example",
    "brack\u00a0water.example",
    "brackwater.example\u0085",
    "a@b.example",
    `${"a".repeat(64)}.example`,
    "brack\ufe59water.example",
  ])("%j is none", (text) => expect(readMailDomain(text).ok).toBe(false));
  test("whatever is read holds no escape, so that it is equal to no other name by accident", () =>
    fc.assert(
      fc.property(fc.string({ unit: "binary", maxLength: 40 }), (text) => {
        const read = readMailDomain(text);
        if (read.ok) expect(read.value).toMatch(/^[a-z0-9_.-]+\.$/);
      }),
    ));
  test.each([
    ["news@brackwater.example", "brackwater.example."],
    ['"a@b"@brackwater.example', "brackwater.example."],
    ["x@in\\it.example", undefined],
    ["x@[192.0.2.1]", undefined],
    ["", undefined],
  ])("that of the address %j is %s", (address, name) => expect(mailDomainOf(address)).toBe(name));
});

describe("the target of an SPF term, in which nothing escapes anything", () => {
  test.each([
    ["Brackwater.example", "brackwater.example."],
    ["brackwater.example.", "brackwater.example."],
    ["c\\orp.example", "c\\\\orp.example."],
    ["a b.example", "a\\032b.example."],
    ["a@b.example", "a\\@b.example."],
    ["a..example", undefined],
    ["", undefined],
  ])("%j is %s", (text, name) => expect(literalName(text)).toBe(name));
});
