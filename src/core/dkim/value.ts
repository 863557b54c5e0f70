import { createHash, verify } from "node:crypto";
import { type Clause, clause } from "../clause/index.ts";
import { isOfType, type RecordSet } from "../record/index.ts";
import { type KeyRecord, readKeyRecord } from "./key.ts";
import type { Signature } from "./signature.ts";

/** Keys at one selector that are tried. */
const MAX_KEYS = 5;

const keySets = new WeakMap<RecordSet, readonly KeyRecord[]>();

/** The key records of a TXT set; read once for each set. */
export function keysOf(set: RecordSet): readonly KeyRecord[] {
  let keys = keySets.get(set);
  if (keys === undefined) {
    keys = isOfType(set, "TXT") ? set.data.slice(0, MAX_KEYS).map((data) => readKeyRecord(data.strings)) : [];
    keySets.set(set, keys);
  }
  return keys;
}

/** Whether a key may be used for a signature (RFC 6376 section 6.1.2); half a sentence where not. */
export function forbids(
  key: KeyRecord,
  signature: Pick<Signature, "algorithm" | "domain" | "identityDomain">,
): Clause | undefined {
  if (!signature.algorithm.startsWith(key.type))
    return clause("dkim-key-other-algorithm", { type: key.type, algorithm: signature.algorithm });
  if (key.hashes !== undefined && !key.hashes.includes("sha256")) return clause("dkim-key-not-sha256");
  if (!key.services.includes("*") && !key.services.includes("email")) return clause("dkim-key-not-mail");
  if (key.exactDomain && signature.identityDomain !== signature.domain) return clause("dkim-key-exact-domain");
  return undefined;
}

/** Whether the signature value fits the octets signed. */
export function valueFits(signature: Pick<Signature, "value">, key: KeyRecord, input: Buffer): boolean {
  if (key.key === undefined) return false;
  try {
    return key.type === "ed25519"
      ? verify(null, createHash("sha256").update(input).digest(), key.key, signature.value)
      : verify("sha256", input, key.key, signature.value);
  } catch {
    return false;
  }
}
