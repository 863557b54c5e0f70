import type { HeaderField } from "../message/index.ts";
import { canonicalField } from "./canonical.ts";
import type { Signature } from "./signature.ts";

/**
 * The fields a signature covers, in its order (RFC 6376 section 5.4.2): of each name the lowest field first, and
 * so upwards; `undefined` where a name is listed once more than it occurs, which signs its absence. The field of
 * the signature itself is none of them: it is added last (section 3.7).
 */
export function signedFields(
  fields: readonly HeaderField[],
  names: readonly string[],
  own?: HeaderField,
): (HeaderField | undefined)[] {
  const left = new Map<string, HeaderField[]>();
  for (const field of fields) {
    if (field === own) continue;
    const same = left.get(field.name);
    if (same === undefined) left.set(field.name, [field]);
    else same.push(field);
  }
  return names.map((name) => left.get(name)?.pop());
}

/** The octets that are signed: the chosen fields, then the signature field itself without its value and final CRLF (RFC 6376 section 3.7). */
export function headerInput(
  chosen: readonly (HeaderField | undefined)[],
  { header, unsigned }: Pick<Signature, "header" | "unsigned">,
): Buffer {
  let text = "";
  for (const headerField of chosen) if (headerField !== undefined) text += `${canonicalField(headerField, header)}\r\n`;
  return Buffer.from(text + canonicalField(unsigned, header), "latin1");
}
