import { constants, createHash, publicDecrypt } from "node:crypto";
import { type Clause, clause } from "../clause/index.ts";
import type { HeaderField } from "../message/index.ts";
import { field } from "../message/index.ts";
import { headerInput } from "./header-input.ts";
import type { KeyRecord } from "./key.ts";
import type { Signature } from "./signature.ts";

/** DigestInfo in front of a SHA-256 hash (RFC 8017 section 9.2). */
const SHA256_INFO = Buffer.from("3031300d060960864801650304020105000420", "hex");

/** The hash an RSA signature was made of: undefined where another key made it. */
function signedHash(signature: Signature, key: KeyRecord): Buffer | undefined {
  if (key.key === undefined) return undefined;
  try {
    const info = publicDecrypt({ key: key.key, padding: constants.RSA_PKCS1_PADDING }, signature.value);
    return info.length === SHA256_INFO.length + 32 && info.subarray(0, SHA256_INFO.length).equals(SHA256_INFO)
      ? info.subarray(SHA256_INFO.length)
      : undefined;
  } catch {
    return undefined;
  }
}

/** Octets that are hashed at most while looking for the change. */
const MAX_WORK = 8 << 20;
/** Longer values are not tried: what changes a Subject or an address is short. */
const MAX_VALUE = 2000;

/** What lists and gateways do to a field, undone: the value as it may have been. */
const UNDONE: readonly ((value: string) => string)[] = [
  (value) => value.replace(/^( *)\[[^\]]{1,80}\] ?/, "$1"),
  (value) => value.replace(/^( *)[*]{2,}[^*]{1,40}[*]{2,}:? ?/, "$1"),
  (value) => value.replace(/^( *)[A-Z]{2,20}: ?/, "$1"),
  (value) => value.replace(/ ?\[[^\]]{1,80}\]$/, ""),
  (value) => value.replace(/^( *)[Rr][Ee]: ?/, "$1"),
  (value) => value.replace(/["']/g, ""),
  (value) => value.replace(/^( *)([^ "<][^"<]*)</, (_, start: string, name: string) => `${start}"${name.trimEnd()}" <`),
  (value) => value.replace(/, *[^,]*$/, ""),
  (value) => value.toLowerCase(),
];

/**
 * Says why a signature value does not fit: another key made it, or a signed field was changed, and which one
 * where undoing a usual change makes it fit. An RSA signature gives away the hash it was made of, so that the
 * two are told apart for certain; an Ed25519 signature does not.
 */
export function changedField(
  signature: Signature,
  key: KeyRecord,
  chosen: readonly (HeaderField | undefined)[],
  fields: readonly HeaderField[],
): { readonly reason: "header-changed" | "other-key"; readonly because: Clause } {
  if (key.type === "ed25519") return { reason: "header-changed", because: clause("dkim-header-or-key") };
  const wanted = signedHash(signature, key);
  if (wanted === undefined) return { reason: "other-key", because: clause("dkim-key-did-not-sign") };
  let budget = MAX_WORK;
  const fits = (then: readonly (HeaderField | undefined)[], how: Pick<Signature, "header" | "unsigned"> = signature): boolean => {
    if (budget <= 0) return false;
    const input = headerInput(then, how);
    budget -= input.length + 1000;
    return createHash("sha256").update(input).digest().equals(wanted);
  };
  const changed = (because: Clause) => ({ reason: "header-changed" as const, because });

  for (const [i, one] of chosen.entries()) {
    const name = one?.raw.slice(0, one.colon);
    const withOne = (other: HeaderField | undefined) => chosen.map((each, j) => (j === i ? other : each));
    if (one === undefined) continue;
    if (fits(withOne(undefined))) return changed(clause("dkim-field-added", { name }));
    const value = one.raw.slice(one.colon + 1);
    for (const undo of value.length > MAX_VALUE ? [] : UNDONE) {
      const before = undo(value.replaceAll("\r\n", ""));
      if (before !== value && fits(withOne(field(`${one.raw.slice(0, one.colon + 1)}${before}`))))
        return changed(clause("dkim-field-changed", { name }));
    }
    for (const other of fields)
      if (other.name === one.name && other !== one && fits(withOne(other)))
        return changed(clause("dkim-field-another", { name }));
  }
  const otherWay = signature.header === "simple" ? ("relaxed" as const) : ("simple" as const);
  if (fits(chosen, { header: otherWay, unsigned: signature.unsigned })) return changed(clause("dkim-header-spaces"));
  return changed(clause("dkim-field-changed-unknown", { fields: [...new Set(signature.signed)] }));
}
