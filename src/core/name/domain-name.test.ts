import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import {
  type DomainName,
  displayName,
  fromLabels,
  isAtOrBelow,
  isBelow,
  labelOctets,
  labelsOf,
  labelText,
  name,
  parentOf,
  parseName,
  ROOT,
  relativeText,
  under,
  upwards,
  wireOctets,
} from "./index.ts";

const origin = name("brackwater.example");
const long = (n: number) => "a".repeat(n);

describe("parseName (RFC 1035 sections 2.3.4 and 5.1, RFC 4343, RFC 5891)", () => {
  test.each([
    ["www", "www.brackwater.example."],
    ["@", "brackwater.example."],
    ["WWW.Brackwater.EXAMPLE.", "www.brackwater.example."],
    [".", "."],
    ["*.x", "*.x.brackwater.example."],
    ["_dmarc", "_dmarc.brackwater.example."],
    ["bücher.example.", "xn--bcher-kva.example."],
    ["XN--BCHER-KVA.example.", "xn--bcher-kva.example."],
    ["bücher。example.", "xn--bcher-kva.example."],
    ["a\\.b.example.", "a\\.b.example."],
    ["a\\046b.example.", "a\\.b.example."],
    ["\\097bc.example.", "abc.example."],
    ["a\\ b.example.", "a\\032b.example."],
    ["\\@.example.", "\\@.example."],
    ["x\\255.example.", "x\\255.example."],
    ["\\065.example.", "a.example."],
    ["a\\.", "a\\..brackwater.example."],
    [`${long(63)}.example.`, `${long(63)}.example.`],
  ])("%s is %s", (text, expected) => {
    expect(parseName(text, origin)).toEqual({ ok: true, value: expected });
  });

  test.each([
    ["", "empty", 0],
    ["a..b", "empty-label", 2],
    [".a", "empty-label", 0],
    ["a\\25.b", "bad-escape", 1],
    ["a\\256.b", "bad-escape", 1],
    ["a\\", "bad-escape", 1],
    [`x.${long(64)}.example.`, "label-too-long", 2],
    [`${[63, 63, 63, 62].map(long).join(".")}.`, "name-too-long", 0],
    ["\u{1F4A9}\u00ad\u200d\ud800.example.", "not-a-name", 0],
  ])("%j is refused: %s at %i", (text, code, at) => {
    expect(parseName(text, origin)).toMatchObject({ ok: false, error: { code, at } });
  });

  test("255 octets on the wire are allowed, 256 are not", () => {
    const longestWindow = `${[63, 63, 63, 61].map(long).join(".")}.`;
    expect(wireOctets(name(longestWindow))).toBe(255);
    expect(parseName(`${long(63)}.${long(63)}.${long(63)}.${long(62)}.`).ok).toBe(false);
  });
});

describe("relations between names", () => {
  test("an escaped dot does not separate", () => {
    expect(isAtOrBelow(name("a\\.brackwater.example."), origin)).toBe(false);
    expect(labelsOf(name("a\\.b.c."))).toEqual(["a\\.b", "c"]);
    expect(parentOf(name("a\\.b.c."))).toBe("c.");
  });
  test("upwards ends at the root", () => {
    expect([...upwards(name("a.b."))]).toEqual(["a.b.", "b.", "."]);
    expect(parentOf(ROOT)).toBe(ROOT);
  });
  test("relative text", () => {
    expect(relativeText(origin, origin)).toBe("@");
    expect(relativeText(name("www", origin), origin)).toBe("www");
    expect(relativeText(name("pagewick.example"), origin)).toBe("pagewick.example.");
    expect(relativeText(origin, ROOT)).toBe("brackwater.example.");
  });
  test("below is strict", () => {
    expect(isBelow(origin, origin)).toBe(false);
    expect(isBelow(name("x", origin), origin)).toBe(true);
    expect(isBelow(name("xbrackwater.example"), origin)).toBe(false);
  });
  test("under puts one name below another, and says when it gets too long", () => {
    expect(under(origin, origin)).toBe("brackwater.example.brackwater.example.");
    expect(under(name(`${[63, 63, 63].map(long).join(".")}.`), name(`${long(63)}.${long(10)}.`))).toBeUndefined();
  });
  test("display shows U-labels beside A-labels", () => {
    expect(displayName(name("bücher.example"))).toBe("bücher.example (xn--bcher-kva.example)");
    expect(displayName(origin)).toBe("brackwater.example");
  });
});

describe("laws", () => {
  const octets = fc.uint8Array({ minLength: 1, maxLength: 20 });
  const anyName = fc
    .array(octets, { minLength: 1, maxLength: 6 })
    .map((labels) => fromLabels(labels.map((label) => labelText(label))) as DomainName);

  test("printing and parsing a name is the identity", () => {
    fc.assert(fc.property(anyName, (of) => expect(parseName(of)).toEqual({ ok: true, value: of })));
  });
  test("a label is its octets, but for upper case", () => {
    fc.assert(
      fc.property(octets, (label) => {
        const lower = Buffer.from(
          Buffer.from(label)
            .toString("latin1")
            .replace(/[A-Z]/g, (c) => c.toLowerCase()),
          "latin1",
        );
        expect(labelOctets(labelText(label))).toEqual(lower);
      }),
    );
  });
  test("a relative text leads back to its name", () => {
    fc.assert(fc.property(anyName, anyName, (of, base) => expect(name(relativeText(of, base), base)).toBe(of)));
  });
});
