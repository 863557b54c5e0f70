import { decodeUtf8 } from "../record/index.ts";

const WORD = /=\?([^?\s]{1,40})\?([bq])\?([^?\s]*)\?=(?:[ \t\r\n]+(?==\?[^?\s]{1,40}\?[bq]\?[^?\s]*\?=))?/gi;

const octetsOfQ = (text: string): Buffer =>
  Buffer.from(
    text.replaceAll("_", " ").replace(/=([0-9a-f]{2})/gi, (_, hex: string) => String.fromCharCode(Number.parseInt(hex, 16))),
    "latin1",
  );

/**
 * A header value, given as octets, as a text for people: encoded words decoded (RFC 2047), raw UTF-8 as it is
 * (RFC 6532). A word in a character set that is not known stays as it stands.
 */
export function decodeWords(octets: string): string {
  if (!octets.includes("=?")) return decodeUtf8(octets);
  return decodeUtf8(octets).replace(WORD, (word, charset: string, encoding: string, text: string) => {
    try {
      const bytes = encoding.toLowerCase() === "b" ? Buffer.from(text, "base64") : octetsOfQ(text);
      return new TextDecoder(charset.replace(/\*.*$/, "")).decode(bytes);
    } catch {
      return word;
    }
  });
}
