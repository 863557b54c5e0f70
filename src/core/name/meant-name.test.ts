import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { inWords } from "../../present/clauses/index.ts";
import { type DomainName, labelText, parseName, readMeantName } from "./index.ts";

describe("a name that a person means", () => {
  test.each([
    ["brackwater.example", "brackwater.example."],
    ["  Brackwater.Example. ", "brackwater.example."],
    ["https://www.brackwater.example/tickets?a=b#c", "www.brackwater.example."],
    ["http://user:pw@brackwater.example:8080/", "brackwater.example."],
    ["brackwater.example/", "brackwater.example."],
    ["brackwater.example:443", "brackwater.example."],
    ["news@mail.brackwater.example", "mail.brackwater.example."],
    ["mailto:news@brackwater.example", "brackwater.example."],
    ["bücher.example", "xn--bcher-kva.example."],
    ["_dmarc.brackwater.example", "_dmarc.brackwater.example."],
    ["*.brackwater.example", "*.brackwater.example."],
    ["a\\032b.example", "a\\032b.example."],
    ["news\\@brackwater.example", "news\\@brackwater.example."],
    ["4.3.2.1.in-addr.arpa", "4.3.2.1.in-addr.arpa."],
    ["0/25.2.0.192.in-addr.arpa", "0/25.2.0.192.in-addr.arpa."],
    [".", "."],
  ])("%j", (text, expected) => expect(readMeantName(text)).toEqual({ ok: true, value: expected }));

  test.each([
    ["192.0.2.1", /it is an IP address/],
    ["http://192.0.2.1/x", /it is an IP address/],
    ["2001:db8::7", /it is an IP address/],
    ["https://[2001:db8::7]/", /it is an IP address/],
    ["a b.example", /white space/],
    ["brackwater,example", /“,” does not belong/],
    ["brackwater.example;", /“;” does not belong/],
    ["“brackwater.example”", /“ does not belong|““” does not belong/],
    ["(brackwater.example)", /“\(” does not belong/],
    ["brackwater..example", /nothing between two dots/],
    ["", /empty/],
    ["https://", /empty/],
  ])("%j is none", (text, expected) => {
    const read = readMeantName(text);
    expect(read.ok ? read.value : inWords(read.error.message)).toMatch(expected);
  });

  /** Letters and the like, and everything that is shown with a backslash. */
  const octet = fc.oneof(
    fc.constantFrom(...Buffer.from("abz09-_")),
    fc.integer({ min: 0, max: 255 }).filter((one) => labelText([one]).startsWith("\\")),
  );
  test("a name that was shown is understood again", () => {
    fc.assert(
      fc.property(fc.array(fc.array(octet, { minLength: 1, maxLength: 10 }), { minLength: 2, maxLength: 4 }), (labels) => {
        const shown = `${labels.map((octets) => labelText(octets)).join(".")}.` as DomainName;
        const plain = parseName(shown);
        // What looks like an address is one.
        fc.pre(plain.ok && !/^[\d.]+$/.test(shown));
        expect(readMeantName(shown)).toEqual(plain);
      }),
    );
  });
});
