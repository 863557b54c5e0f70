import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { decodeText, encodingOf } from "./encoding.ts";

const TEXT = "Type: TXT\nValue: bühne=1\n";
const big = (text: string) => Buffer.from(text, "utf16le").swap16();

describe("a text is read in the encoding it was saved in", () => {
  test.each<[string, Uint8Array]>([
    ["UTF-8", Buffer.from(TEXT)],
    ["UTF-8 with a mark", Buffer.from(`\ufeff${TEXT}`)],
    ["UTF-16 with a mark", Buffer.from(`\ufeff${TEXT}`, "utf16le")],
    ["UTF-16 without one", Buffer.from(TEXT, "utf16le")],
    ["UTF-16 the other way round", big(`\ufeff${TEXT}`)],
    ["UTF-16 the other way round without a mark", big(TEXT)],
    ["one octet a character", Buffer.from(TEXT, "latin1")],
  ])("%s", (_, octets) => expect(decodeText(octets)).toBe(TEXT));

  test("quotation marks of one octet are those of an editor", () =>
    expect(decodeText(Buffer.from([0x93, 0x61, 0x3d, 0x31, 0x94]))).toBe("“a=1”"));
});

test("any text in UTF-8 is read as it is, wherever its beginning was cut", () =>
  fc.assert(
    fc.property(fc.string({ unit: "grapheme" }), fc.nat(), (text, cut) => {
      const octets = Buffer.from(text.replaceAll("\0", ""));
      expect(encodingOf(octets.subarray(0, cut % (octets.length + 1)))).toBe("utf-8");
      expect(decodeText(octets)).toBe(octets.toString().replace(/^\ufeff/, ""));
    }),
  ));
