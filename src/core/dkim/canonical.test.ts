import { createHash } from "node:crypto";
import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { field } from "../message/index.ts";
import { BodyHash, type Canonicalization, canonicalField } from "./index.ts";

const sha256 = (text: string): string => createHash("sha256").update(Buffer.from(text, "latin1")).digest("base64");

function hashOf(body: string, how: Canonicalization, length?: number, cut = Number.POSITIVE_INFINITY): BodyHash {
  const hash = new BodyHash(how, length);
  const octets = Buffer.from(body, "latin1");
  for (let i = 0; i < octets.length; i += cut) hash.write(octets.subarray(i, Math.min(octets.length, i + cut)));
  hash.end();
  return hash;
}

describe("header fields (RFC 6376 sections 3.4.1 and 3.4.2)", () => {
  test.each<[Canonicalization, string, string]>([
    ["simple", "A: X", "A: X"],
    ["simple", "B : Y\t\r\n\tZ  ", "B : Y\t\r\n\tZ  "],
    ["relaxed", "A: X", "a:X"],
    ["relaxed", "B : Y\t\r\n\tZ  ", "b:Y Z"],
    ["relaxed", "SUBJect:", "subject:"],
    ["relaxed", "Subject:   ", "subject:"],
    ["relaxed", "Subject: \t a \t b\t", "subject:a b"],
    ["relaxed", "Subject: a\r\n b\r\n\tc", "subject:a b c"],
    ["relaxed", "Subject:a:b : c", "subject:a:b : c"],
    ["relaxed", "Subject: \xa0non-breaking\xa0", "subject:\xa0non-breaking\xa0"],
    ["relaxed", "X\t: \x0b", "x:\x0b"],
    ["relaxed", "X: caf\xc3\xa9", "x:caf\xc3\xa9"],
  ])("%s of %j is %j", (how, raw, canonical) => expect(canonicalField(field(raw), how)).toBe(canonical));
});

describe("bodies (RFC 6376 sections 3.4.3 to 3.4.5)", () => {
  test.each<[Canonicalization, string, string]>([
    ["simple", "", "\r\n"],
    ["simple", "\r\n", "\r\n"],
    ["simple", "\r\n\r\n\r\n", "\r\n"],
    ["simple", "a", "a\r\n"],
    ["simple", "a\r\n", "a\r\n"],
    ["simple", "a\r\n\r\n\r\n", "a\r\n"],
    ["simple", "a \r\n \r\n\r\n", "a \r\n \r\n"],
    ["simple", " C \r\nD \t E\r\n\r\n\r\n", " C \r\nD \t E\r\n"],
    ["simple", "\r\n\r\na\r\n", "\r\n\r\na\r\n"],
    ["simple", "a\n\nb\n", "a\r\n\r\nb\r\n"],
    ["simple", "a\rb\r\n", "a\rb\r\n"],
    ["simple", "a\r\r\n", "a\r\r\n"],
    ["simple", "a\r", "a\r\r\n"],
    ["simple", "\r", "\r\r\n"],
    ["simple", "a\x00b\r\n", "a\x00b\r\n"],
    ["relaxed", "", ""],
    ["relaxed", "\r\n", ""],
    ["relaxed", " \t\r\n\r\n", ""],
    ["relaxed", "a", "a\r\n"],
    ["relaxed", "a \r\n", "a\r\n"],
    ["relaxed", " C \r\nD \t E\r\n\r\n\r\n", " C\r\nD E\r\n"],
    ["relaxed", "a  \t b\r\n", "a b\r\n"],
    ["relaxed", "  a\r\n", " a\r\n"],
    ["relaxed", "a\r\n \r\n\t\r\n", "a\r\n"],
    ["relaxed", "a\r\n \r\nb\r\n", "a\r\n\r\nb\r\n"],
    ["relaxed", "a\n \nb \n\n", "a\r\n\r\nb\r\n"],
    ["relaxed", "a \rb\r\n", "a \rb\r\n"],
    ["relaxed", "a \r\r\n", "a \r\r\n"],
    ["relaxed", "a\xa0 \r\n", "a\xa0\r\n"],
  ])("%s of %j is %j", (how, body, canonical) => {
    const hash = hashOf(body, how);
    expect(hash.digest).toBe(sha256(canonical));
    expect(hash.length).toBe(canonical.length);
  });

  test("the published body of RFC 8463 appendix A", () =>
    expect(hashOf("Hi.\r\n\r\nWe lost the game.  Are you hungry yet?\r\n\r\nJoe.\r\n", "relaxed").digest).toBe(
      "2jUSOH9NhtVGCQWNr9BrIAPreKQjO6Sn7XIkfJVOzv8=",
    ));

  test.each<[number, string]>([
    [0, ""],
    [3, "a\r\n"],
    [4, "a\r\nb"],
    [99, "a\r\nb\r\n"],
  ])("with l=%i only that much is hashed (section 3.5)", (length, hashed) => {
    const hash = hashOf("a\r\nb\r\n\r\n", "simple", length);
    expect(hash.digest).toBe(sha256(hashed));
    expect(hash.length).toBe(6);
  });

  /** The same, said as simply as can be. */
  const plainly = (body: string, how: Canonicalization): string => {
    let text = body.replace(/\r?\n/g, "\n");
    if (how === "relaxed") text = text.replace(/[ \t]+/g, " ").replace(/ (?=\n|$)/g, "");
    text = text.replace(/\n*$/, "\n");
    if (text === "\n" && how === "relaxed") return "";
    return text.replace(/\n/g, "\r\n");
  };
  const octets = fc
    .array(fc.constantFrom("a", "b", " ", "\t", "\r\n", "\r\n", "\n", "\r", ".", "\xe9"), { maxLength: 60 })
    .map((parts) => parts.join(""));
  test.each<Canonicalization>(["simple", "relaxed"])("%s: however the body is cut into chunks, the hash is the same", (how) => {
    fc.assert(
      fc.property(octets, fc.integer({ min: 1, max: 7 }), (body, cut) => {
        expect(hashOf(body, how, undefined, cut).digest).toBe(sha256(plainly(body, how)));
      }),
      { numRuns: 2000 },
    );
  });

  test("a body larger than what is hashed at a time, and a flood of empty lines", () => {
    const lines = "All seats are taken.  \t Sorry. \r\n".repeat(20_000);
    expect(hashOf(lines, "relaxed", undefined, 50_000).digest).toBe(sha256("All seats are taken. Sorry.\r\n".repeat(20_000)));
    const empty = `a${"\r\n".repeat(200_000)}b`;
    expect(hashOf(empty, "simple", undefined, 65_536).digest).toBe(sha256(`${empty}\r\n`));
  });
});
