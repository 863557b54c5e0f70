/** Octet strings: JavaScript strings in which each character stands for one octet. */

/** The octets of a text, as UTF-8, as an octet string. */
export const octetsOf = (text: string): string => Buffer.from(text, "utf8").toString("latin1");

/** A byte-order mark is a character like any other: what begins with one does not begin with what follows it. */
const strict = new TextDecoder("utf-8", { fatal: true, ignoreBOM: true });

/** An octet string as text: UTF-8 where it is UTF-8, each octet as the character of that number where not. */
export function decodeUtf8(octets: string): string {
  if (!/[^\x00-\x7f]/.test(octets)) return octets;
  try {
    return strict.decode(Buffer.from(octets, "latin1"));
  } catch {
    return octets;
  }
}

/** Longest string inside a TXT record, in octets (RFC 1035 section 3.3). */
export const MAX_STRING_OCTETS = 255;

/** Cuts a long octet string into the strings of one TXT record; readers join them without a space (RFC 7208 section 3.3). */
export function splitCharacterStrings(octets: string, size = MAX_STRING_OCTETS): string[] {
  const strings: string[] = [];
  for (let i = 0; i < octets.length; i += size) strings.push(octets.slice(i, i + size));
  return strings.length === 0 ? [""] : strings;
}

/** An octet string in quotes as zone files write it (RFC 1035 section 5.1). */
export function quoted(octets: string): string {
  let text = '"';
  for (let i = 0; i < octets.length; i++) {
    const code = octets.charCodeAt(i);
    if (code === 34 || code === 92) text += `\\${octets[i]}`;
    else if (code < 32 || code > 126) text += `\\${String(code).padStart(3, "0")}`;
    else text += octets[i];
  }
  return `${text}"`;
}

/** The octet string a zone-file token stands for, or undefined where an escape in it is broken. */
export function unescaped(token: string): string | undefined {
  if (!token.includes("\\")) return token;
  let octets = "";
  for (let i = 0; i < token.length; i++) {
    if (token[i] !== "\\") {
      octets += token[i];
      continue;
    }
    const digits = /^\d{3}/.exec(token.slice(i + 1, i + 4))?.[0];
    if (digits !== undefined) {
      if (Number(digits) > 255) return undefined;
      octets += String.fromCharCode(Number(digits));
      i += 3;
    } else if (i + 1 < token.length && !/\d/.test(token[i + 1] as string)) {
      octets += token[i + 1];
      i += 1;
    } else {
      return undefined;
    }
  }
  return octets;
}
