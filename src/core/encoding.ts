/** How the characters of a text are written as octets. */
export type Encoding = "utf-8" | "utf-16le" | "utf-16be" | "windows-1252";

/**
 * The encoding of a text that somebody saved or pasted, by its first octets: a byte-order mark (RFC 3629 section 6), the zero
 * octets of UTF-16, and otherwise whether it is UTF-8. What is none of these was saved by a program of one octet a character.
 * `start` may end within a character.
 */
export function encodingOf(start: Uint8Array): Encoding {
  const [first, second] = start;
  if (first === 0xff && second === 0xfe) return "utf-16le";
  if (first === 0xfe && second === 0xff) return "utf-16be";
  // Most characters of a table or a page are those of ASCII.
  const zeros = [0, 0];
  start.forEach((octet, i) => {
    if (octet === 0) zeros[i % 2] = (zeros[i % 2] as number) + 1;
  });
  const [even = 0, odd = 0] = zeros;
  if (odd > start.length / 4 && even < odd / 10) return "utf-16le";
  if (even > start.length / 4 && odd < even / 10) return "utf-16be";
  try {
    new TextDecoder("utf-8", { fatal: true }).decode(start, { stream: true });
    return "utf-8";
  } catch {
    return "windows-1252";
  }
}

/** The characters of 0x80 to 0x9F in windows-1252 (the Encoding Standard, index windows-1252), which not every runtime knows. */
const UPPER = "€\u0081‚ƒ„…†‡ˆ‰Š‹Œ\u008dŽ\u008f\u0090‘’“”•–—˜™š›œ\u009džŸ";

/** Decodes a text piece by piece, without its byte-order mark; called with nothing at its end. */
export function decoderOf(encoding: Encoding): (octets?: Uint8Array) => string {
  const decoder = new TextDecoder(encoding);
  return (octets) => {
    const text = octets === undefined ? decoder.decode() : decoder.decode(octets, { stream: true });
    return encoding === "windows-1252" ? text.replace(/[\x80-\x9f]/g, (one) => UPPER.charAt(one.charCodeAt(0) - 0x80)) : text;
  };
}

/** A text that somebody saved or pasted, in whatever encoding, without a byte-order mark. */
export function decodeText(octets: Uint8Array): string {
  const decode = decoderOf(encodingOf(octets));
  return decode(octets) + decode();
}
