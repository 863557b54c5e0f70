import { keyTag, standsFor } from "../dnssec/index.ts";
import type { DomainName } from "../name/index.ts";
import type { DataOf } from "../record/index.ts";

/**
 * Whether a signed domain survives the change of its name servers (RFC 6781 section 4.3.5).
 * - `unsigned`: the parent has no DS record, and none is remembered any more
 * - `fits`: a DS record stands for a key of the new host, and each host publishes the keys of the other
 * - `apart`: a DS record stands for a key of the new host, and the hosts do not publish each other's keys: whoever remembers the
 *   keys of one refuses what the other signed
 * - `breaks`: there are DS records, and the new host has none of their keys: the whole domain would be refused
 * - `waiting`: the DS records are gone, and may be remembered until `until`
 * - `unknown`: it could not be asked
 */
export type SignedMove =
  | { readonly state: "unsigned" | "fits" | "unknown" }
  | {
      readonly state: "breaks" | "apart";
      readonly dsTags: readonly number[];
      /** Keys of the new host; where they are apart, those that the old host lacks. */
      readonly keyTags: readonly number[];
      /** How long the DS set may be remembered once it is deleted, or the old host's keys, in seconds. */
      readonly ttl: number;
    }
  | { readonly state: "waiting" /** Milliseconds since 1970. */; readonly until: number };

/** The keys that sign records: those that are not marked as entry points, or all (RFC 4034 section 2.1.1). */
function signingKeys(keys: readonly DataOf["DNSKEY"][]): readonly DataOf["DNSKEY"][] {
  const unmarked = keys.filter(({ flags }) => (flags & 1) === 0);
  return unmarked.length > 0 ? unmarked : keys;
}

/** What is known of the DS set at the parent: its data and TTL, or since when it is gone, and which TTL it had. */
export interface DsKnown {
  /** Empty where the parent has none; undefined where it could not be asked. */
  readonly ds: readonly DataOf["DS"][] | undefined;
  readonly ttl: number;
  /** `at` is when it was first seen to be gone; it may have been deleted just before. */
  readonly gone: { readonly at: number; readonly ttl: number } | undefined;
}

/**
 * Judges the DS set of a domain against the keys of the DNS host it moves to.
 *
 * @param keys the keys that the new host serves; undefined where it could not be asked
 * @param old the keys that the old host serves, and for how many seconds they are remembered
 * @param now milliseconds since 1970
 */
export function judgeSignedMove(
  zone: DomainName,
  { ds, ttl, gone }: DsKnown,
  keys: readonly DataOf["DNSKEY"][] | undefined,
  old: { readonly keys: readonly DataOf["DNSKEY"][]; readonly ttl: number },
  now: number,
): SignedMove {
  if (ds === undefined) return { state: "unknown" };
  if (ds.length === 0) {
    const until = gone === undefined ? 0 : gone.at + gone.ttl * 1000;
    return now < until ? { state: "waiting", until } : { state: "unsigned" };
  }
  if (keys === undefined) return { state: "unknown" };
  const dsTags = [...new Set(ds.map((delegationSigner) => delegationSigner.keyTag))];
  if (!keys.some((key) => ds.some((candidate) => standsFor(candidate, zone, key) === true)))
    return { state: "breaks", dsTags, keyTags: keys.map(keyTag), ttl };
  // An old host that is switched off, or does not sign, has nothing that anybody could remember.
  const absentFrom = (all: readonly DataOf["DNSKEY"][], at: readonly DataOf["DNSKEY"][]) =>
    signingKeys(all).filter((key) => !at.some((zoneKey) => zoneKey.key === key.key));
  const lacking = absentFrom(keys, old.keys);
  const missing = absentFrom(old.keys, keys);
  return old.keys.length > 0 && (lacking.length > 0 || missing.length > 0)
    ? { state: "apart", dsTags, keyTags: (lacking.length > 0 ? lacking : missing).map(keyTag), ttl: old.ttl }
    : { state: "fits" };
}
