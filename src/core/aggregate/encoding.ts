/**
 * The encoding of an XML document by its first octets (XML 1.0 appendix F): a byte-order mark, the shape of `<?` in
 * UTF-16, or what the declaration names. UTF-8 where none of these says anything a decoder knows.
 */
export function xmlEncoding(start: Uint8Array): string {
  const [a, b] = start;
  if (a === 0xff && b === 0xfe) return "utf-16le";
  if (a === 0xfe && b === 0xff) return "utf-16be";
  if (a === 0x3c && b === 0) return "utf-16le";
  if (a === 0 && b === 0x3c) return "utf-16be";
  const declared = /^(?:\xef\xbb\xbf)?\s*<\?xml[^>]{0,100}\bencoding\s*=\s*["']([A-Za-z][\w.:-]{0,40})["']/.exec(
    Buffer.from(start.subarray(0, 200)).toString("latin1"),
  )?.[1];
  if (declared === undefined || /^utf-?16/i.test(declared)) return "utf-8";
  try {
    return new TextDecoder(declared).encoding;
  } catch {
    return "utf-8";
  }
}
