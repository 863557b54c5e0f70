import { verify } from "node:crypto";
import { type DomainName, labelsOf, wildcardOf } from "../name/index.ts";
import { codeOfType, type DataOf, encodeData, type RecordSet, WireWriter } from "../record/index.ts";
import { ALGORITHMS, isZoneKey, keyTag, ownerOctets, publicKeyOf, rdataOf } from "./keys.ts";

/** Why no signature of a set counts. */
export type SignatureFlaw =
  | { readonly code: "signature-missing" }
  /** `at` is when it ended or begins, in seconds since 1970. */
  | { readonly code: "signature-expired" | "signature-early"; readonly at: number; readonly keyTag: number }
  | { readonly code: "signature-key-missing" | "signature-wrong"; readonly keyTag: number };

/** A set that its zone signed: until when (seconds since 1970), its TTL in the zone, and the wildcard it was made from, if any. */
export type Verified =
  | { readonly wildcard?: DomainName; readonly expires: number; readonly ttl: number }
  | { readonly flaw: SignatureFlaw };

/** Seconds by which clocks may differ. */
const TOLERANCE = 300;

/** Verifications that one set is worth: more keys with the same tag, or more signatures, are an attack on the time of the reader. */
const MAX_VERIFICATIONS = 8;

/** The difference of two moments of 32 bits, by serial number arithmetic (RFC 1982). */
const since = (from: number, to: number): number => (to - from) | 0;

/** Labels of a name as signatures count them: without the root, and without a leading `*` (RFC 4034 section 3.1.3). */
const signedLabels = (of: DomainName): number => {
  const labels = labelsOf(of);
  return labels.length - (labels[0] === "*" ? 1 : 0);
};

/** The name that a signature covers: the owner, or the wildcard it was made from (RFC 4035 section 5.3.2). */
function signedName(owner: DomainName, labels: number): DomainName | undefined {
  const own = signedLabels(owner);
  if (labels > own) return undefined;
  if (labels === own) return owner;
  const kept = labelsOf(owner).slice(-labels || Number.POSITIVE_INFINITY);
  return wildcardOf((labels === 0 ? "." : `${kept.join(".")}.`) as DomainName);
}

/** The octets that a signature is made over: its own data, then the records in canonical form and order (RFC 4034 sections 3.1.8.1 and 6). */
export function signedOctets(set: RecordSet, rrsig: DataOf["RRSIG"]): Buffer | undefined {
  const owner = signedName(set.name, rrsig.labels);
  if (owner === undefined) return undefined;
  const head = new WireWriter();
  encodeData("RRSIG", { ...rrsig, signature: "" }, head, false);
  const name = ownerOctets(owner);
  const all = set.data.map((data) => rdataOf(set.type, data)).sort(Buffer.compare);
  const parts: Buffer[] = [head.done()];
  for (const [i, rdata] of all.entries()) {
    // A record that is there twice is one (RFC 4034 section 6.3).
    if (i > 0 && rdata.equals(all[i - 1] as Buffer)) continue;
    const fixed = Buffer.alloc(10);
    fixed.writeUInt16BE(codeOfType(set.type), 0);
    fixed.writeUInt16BE(1, 2);
    fixed.writeUInt32BE(rrsig.originalTtl, 4);
    fixed.writeUInt16BE(rdata.length, 8);
    parts.push(name, fixed, rdata);
  }
  return Buffer.concat(parts);
}

/** Whether one key made one signature over these octets. */
function signedBy(key: DataOf["DNSKEY"], { algorithm, signature }: DataOf["RRSIG"], octets: Buffer): boolean {
  const how = ALGORITHMS.get(algorithm);
  if (how === undefined) return false;
  const publicKey = publicKeyOf(key);
  if (publicKey === undefined) return false;
  try {
    const dsaEncoding = { key: publicKey, dsaEncoding: "ieee-p1363" } as const;
    return verify(how.digest ?? null, octets, dsaEncoding, Buffer.from(signature, "hex"));
  } catch {
    // Octets that cannot be a signature of such a key.
    return false;
  }
}

/**
 * Whether a zone signed a set (RFC 4035 section 5.3): some signature of the zone, at this time, by one of its keys.
 *
 * @param now seconds since 1970
 */
export function verifySet(
  set: RecordSet,
  signatures: readonly DataOf["RRSIG"][],
  zone: DomainName,
  keys: readonly DataOf["DNSKEY"][],
  now: number,
): Verified {
  let flaw: SignatureFlaw = { code: "signature-missing" };
  let tries = 0;
  const weight = {
    "signature-missing": 0,
    "signature-key-missing": 1,
    "signature-wrong": 2,
    "signature-early": 3,
    "signature-expired": 4,
  };
  const note = (next: SignatureFlaw) => {
    if (weight[next.code] > weight[flaw.code]) flaw = next;
  };
  for (const rrsig of signatures) {
    if (rrsig.covered !== set.type || rrsig.signer !== zone || !ALGORITHMS.has(rrsig.algorithm)) continue;
    const octets = signedOctets(set, rrsig);
    if (octets === undefined) continue;
    const candidates = keys.filter((key) => isZoneKey(key) && key.algorithm === rrsig.algorithm && keyTag(key) === rrsig.keyTag);
    if (candidates.length === 0) note({ code: "signature-key-missing", keyTag: rrsig.keyTag });
    for (const key of candidates) {
      if (++tries > MAX_VERIFICATIONS) return { flaw };
      if (!signedBy(key, rrsig, octets)) {
        note({ code: "signature-wrong", keyTag: rrsig.keyTag });
        continue;
      }
      // The time is looked at last, so that “expired” is said of signatures that are right otherwise.
      if (since(rrsig.expiration, now) > TOLERANCE)
        note({ code: "signature-expired", at: rrsig.expiration, keyTag: rrsig.keyTag });
      else if (since(now, rrsig.inception) > TOLERANCE)
        note({ code: "signature-early", at: rrsig.inception, keyTag: rrsig.keyTag });
      else {
        const owner = signedName(set.name, rrsig.labels) as DomainName;
        return { expires: rrsig.expiration, ttl: rrsig.originalTtl, ...(owner === set.name ? {} : { wildcard: owner }) };
      }
    }
  }
  return { flaw };
}
