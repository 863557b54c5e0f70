import { createHash, createPublicKey, type KeyObject } from "node:crypto";
import type { DomainName } from "../name/index.ts";
import { type DataOf, encodeData, type RecordData, type RecordType, WireWriter } from "../record/index.ts";

/** How a signature algorithm is verified with `node:crypto`. */
interface Algorithm {
  readonly title: string;
  /** The digest; undefined where the algorithm hashes by itself. */
  readonly digest: string | undefined;
  /** The key in the form that `node:crypto` imports; undefined where its octets are none. */
  readonly keyOf: (octets: Buffer) => KeyObject | undefined;
}

const base64url = (octets: Uint8Array): string => Buffer.from(octets).toString("base64url");

/** An RSA key: a length of the exponent, the exponent, the modulus (RFC 3110 section 2). */
function rsaKey(octets: Buffer): KeyObject | undefined {
  const long = octets[0] === 0;
  const length = long ? (octets.length < 3 ? 0 : octets.readUInt16BE(1)) : (octets[0] ?? 0);
  const at = long ? 3 : 1;
  const [exponent, modulus] = [octets.subarray(at, at + length), octets.subarray(at + length)];
  // A modulus beyond what anybody uses, or an exponent as long as one, only costs time.
  if (length === 0 || length > 8 || modulus.length < 64 || modulus.length > 512) return undefined;
  return createPublicKey({ format: "jwk", key: { kty: "RSA", e: base64url(exponent), n: base64url(modulus) } });
}

/** A point of an elliptic curve: x and y side by side (RFC 6605 section 4). */
const curveKey = (crv: string, size: number) => (octets: Buffer) =>
  octets.length !== 2 * size
    ? undefined
    : createPublicKey({
        format: "jwk",
        key: { kty: "EC", crv, x: base64url(octets.subarray(0, size)), y: base64url(octets.subarray(size)) },
      });

/** An Edwards curve: the key as it is (RFC 8080 section 3). */
const edwardsKey = (crv: string, size: number) => (octets: Buffer) =>
  octets.length !== size ? undefined : createPublicKey({ format: "jwk", key: { kty: "OKP", crv, x: base64url(octets) } });

/** The algorithms that are validated (RFC 8624 section 3.1); everything else counts as unknown. 5 and 7 are not to be signed with any more. */
export const ALGORITHMS: ReadonlyMap<number, Algorithm> = new Map<number, Algorithm>([
  [5, { title: "RSASHA1", digest: "sha1", keyOf: rsaKey }],
  [7, { title: "RSASHA1-NSEC3-SHA1", digest: "sha1", keyOf: rsaKey }],
  [8, { title: "RSASHA256", digest: "sha256", keyOf: rsaKey }],
  [10, { title: "RSASHA512", digest: "sha512", keyOf: rsaKey }],
  [13, { title: "ECDSAP256SHA256", digest: "sha256", keyOf: curveKey("P-256", 32) }],
  [14, { title: "ECDSAP384SHA384", digest: "sha384", keyOf: curveKey("P-384", 48) }],
  [15, { title: "ED25519", digest: undefined, keyOf: edwardsKey("Ed25519", 32) }],
  [16, { title: "ED448", digest: undefined, keyOf: edwardsKey("Ed448", 57) }],
]);

/** Algorithms that still count, and are not to be used any more, because they rest on SHA-1 (RFC 8624 section 3.1, RFC 9905). */
export const OUTDATED_ALGORITHMS: ReadonlySet<number> = new Set([5, 7]);

/** Digests of DS records that are taken; 1 is not to be made any more (RFC 8624 section 3.3). */
export const DIGESTS: ReadonlyMap<number, string> = new Map([
  [1, "sha1"],
  [2, "sha256"],
  [4, "sha384"],
]);

/** Record data in wire form, names in full and in lower case (RFC 4034 section 6.2). */
export function rdataOf(type: RecordType, data: RecordData): Buffer {
  const to = new WireWriter();
  encodeData(type, data, to, false);
  return to.done();
}

/** The owner name in wire form. */
export function ownerOctets(of: DomainName): Buffer {
  const to = new WireWriter();
  to.name(of, false);
  return to.done();
}

/** Something that is worked out of a key once; keys never change. */
function oncePerKey<T>(work: (key: DataOf["DNSKEY"]) => T): (key: DataOf["DNSKEY"]) => T {
  const known = new WeakMap<DataOf["DNSKEY"], { readonly value: T }>();
  return (key) => {
    let kept = known.get(key);
    if (kept === undefined) known.set(key, (kept = { value: work(key) }));
    return kept.value;
  };
}

/** The short number by which signatures and DS records name a key; several keys may share one (RFC 4034 appendix B). */
export const keyTag = oncePerKey((key): number => {
  const octets = rdataOf("DNSKEY", key);
  let sum = 0;
  for (let i = 0; i < octets.length; i++) sum += (i & 1) === 0 ? (octets[i] as number) << 8 : (octets[i] as number);
  return (sum + (sum >>> 16)) & 0xffff;
});

/** The key as `node:crypto` takes it; undefined where nobody knows its algorithm, or its octets are not a key. */
export const publicKeyOf = oncePerKey((key): KeyObject | undefined => {
  try {
    return ALGORITHMS.get(key.algorithm)?.keyOf(Buffer.from(key.key, "hex"));
  } catch {
    // A point that is not on its curve, for example.
    return undefined;
  }
});

/** Whether a key signs a zone and is not revoked (RFC 4034 section 2.1, RFC 5011 section 2.1). */
export const isZoneKey = ({ flags, protocol }: DataOf["DNSKEY"]): boolean =>
  protocol === 3 && (flags & 0x0100) !== 0 && (flags & 0x0080) === 0;

/** The DS record that stands for a key; undefined where nobody knows the digest (RFC 4034 section 5.1.4). */
export function dsFor(zone: DomainName, key: DataOf["DNSKEY"], digestType = 2): DataOf["DS"] | undefined {
  const name = DIGESTS.get(digestType);
  if (name === undefined) return undefined;
  const digest = createHash(name).update(ownerOctets(zone)).update(rdataOf("DNSKEY", key)).digest("hex");
  return { keyTag: keyTag(key), algorithm: key.algorithm, digestType, digest };
}

/** Whether a DS record stands for a key; undefined where nobody knows its digest. */
export function standsFor(ds: DataOf["DS"], zone: DomainName, key: DataOf["DNSKEY"]): boolean | undefined {
  if (!DIGESTS.has(ds.digestType)) return undefined;
  if (ds.keyTag !== keyTag(key) || ds.algorithm !== key.algorithm) return false;
  return dsFor(zone, key, ds.digestType)?.digest === ds.digest;
}
