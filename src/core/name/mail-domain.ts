import { clause } from "../clause/index.ts";
import { err, type Result } from "../result.ts";
import { type DomainName, fromLabels, labelText, type NameError, parseName } from "./domain-name.ts";

/** A character that no domain in mail has: everything but letters, digits, hyphens, underscores, dots, and letters of other scripts. */
const FOREIGN =
  /[^A-Za-z0-9_.\u0080-\u{10ffff}-]|[\u0080-\u00a0\u00ad\u1680\u2000-\u200f\u2028-\u202f\u205f-\u206f\u3000-\u3002\ufeff\uff0e\uff61]/u;

/**
 * Reads a domain as it stands in mail: in an address, in HELO, in `d=` of a signature (RFC 5321 section 4.1.2, RFC 6376
 * section 3.5, U-labels by RFC 6531 and RFC 8616). It is not a name of a zone file: a backslash escapes nothing, a final
 * dot has no place, and there is no white space. An address literal is not a domain either.
 */
export function readMailDomain(text: string): Result<DomainName, NameError> {
  const foreign = FOREIGN.exec(text);
  if (foreign !== null)
    return err({ code: "not-a-name", at: foreign.index, message: clause("name-foreign-character", { character: foreign[0] }) });
  const empty = /^\.|\.\.|\.$/.exec(text);
  if (empty !== null) return err({ code: "empty-label", at: empty.index, message: clause("name-dot-without-neighbour") });
  return parseName(text);
}

/** The domain of an address, behind its last @; undefined where it has none or it is malformed. */
export function mailDomainOf(address: string): DomainName | undefined {
  const read = readMailDomain(address.slice(address.lastIndexOf("@") + 1));
  return read.ok ? read.value : undefined;
}

/**
 * The name whose labels are exactly the characters between the dots: nothing escapes anything. So the targets of SPF
 * terms are read, which may hold whatever a local part puts into their macros (RFC 7208 section 7). Undefined where
 * that is not a name.
 */
export function literalName(text: string): DomainName | undefined {
  const labels = text.replace(/\.$/, "").split(".");
  const octets = labels.map((label) => Buffer.from(label));
  if (octets.some((label) => label.length === 0 || label.length > 63)) return undefined;
  // Letters of other scripts are looked up as A-labels where the whole is a domain, and otherwise as they are.
  const plain = readMailDomain(text.replace(/\.$/, ""));
  return plain.ok ? plain.value : fromLabels(octets.map((label) => labelText(label)));
}
