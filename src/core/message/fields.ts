/** One field of a message's header, as octets. */
export interface HeaderField {
  /** In lower case. */
  readonly name: string;
  /** The whole field as it stands, folded, lines ended by CRLF, without the last CRLF: an octet string. */
  readonly raw: string;
  /** Offset of the colon in `raw`. */
  readonly colon: number;
}

/** The header of a message (RFC 5322 section 2.2). */
export interface MessageHeader {
  readonly fields: readonly HeaderField[];
  /** Lines that are not fields and continue none. */
  readonly stray: readonly string[];
  /** Whether some line ended without a carriage return; such lines are read as if it were there. */
  readonly bareLf: boolean;
}

/** The value of a field: unfolded, without the white space around it; still an octet string. */
export function fieldValue(field: HeaderField): string {
  return field.raw
    .slice(field.colon + 1)
    .replace(/\r\n(?=[ \t])/g, "")
    .replace(/^[ \t]+|[ \t]+$/g, "");
}

/** All fields of a name, given in lower case, from top to bottom. */
export const fieldsNamed = (header: MessageHeader, name: string): HeaderField[] =>
  header.fields.filter((field) => field.name === name);

/** A field of one's own making, such as one that is about to be put on top; `raw` without the last CRLF. */
export function field(raw: string): HeaderField {
  const colon = raw.indexOf(":");
  return { name: nameBefore(raw, colon), raw, colon };
}

function nameBefore(raw: string, colon: number): string {
  let end = colon;
  while (end > 0 && (raw[end - 1] === " " || raw[end - 1] === "\t")) end -= 1;
  return raw.slice(0, end).toLowerCase();
}

/** Reads the header of a message: an octet string of lines that end in CRLF or in a bare LF. */
export function parseHeader(octets: string): MessageHeader {
  const bareLf = /(?:^|[^\r])\n/.test(octets);
  const text = bareLf ? octets.replace(/\r?\n/g, "\r\n") : octets;
  const fields: HeaderField[] = [];
  const stray: string[] = [];
  let at = 0;
  while (at < text.length) {
    let end = text.indexOf("\r\n", at);
    if (end === -1) end = text.length;
    for (let next = text.charCodeAt(end + 2); end < text.length && (next === 32 || next === 9); next = text.charCodeAt(end + 2)) {
      end = text.indexOf("\r\n", end + 2);
      if (end === -1) end = text.length;
    }
    const raw = text.slice(at, end);
    at = end + 2;
    const colon = raw.indexOf(":");
    const name = colon > 0 ? nameBefore(raw, colon) : "";
    if (/^[\x21-\x39\x3b-\x7e]+$/.test(name)) fields.push({ name, raw, colon });
    else if (raw !== "") stray.push(raw);
  }
  return { fields, stray, bareLf };
}
