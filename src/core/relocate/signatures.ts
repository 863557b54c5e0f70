import { keyTag, standsFor } from "../dnssec/index.ts";
import type { DomainName } from "../name/index.ts";
import type { DataOf } from "../record/index.ts";

/**
 * Whether a signed domain survives the change of its name servers (RFC 6781 section 4.3.5).
 * - `unsigned`: the parent has no DS record, and none is remembered any more
 * - `fits`: a DS record stands for a key of the new host
 * - `breaks`: there are DS records, and the new host has none of their keys: the whole domain would be refused
 * - `waiting`: the DS records are gone, and may be remembered until `until`
 * - `unknown`: it could not be asked
 */
export type SignedMove =
  | { readonly state: "unsigned" | "fits" | "unknown" }
  | {
      readonly state: "breaks";
      readonly dsTags: readonly number[];
      readonly keyTags: readonly number[];
      /** How long the DS set may be remembered once it is deleted, in seconds. */
      readonly ttl: number;
    }
  | { readonly state: "waiting" /** Milliseconds since 1970. */; readonly until: number };

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
 * @param now milliseconds since 1970
 */
export function judgeSignedMove(
  zone: DomainName,
  { ds, ttl, gone }: DsKnown,
  keys: readonly DataOf["DNSKEY"][] | undefined,
  now: number,
): SignedMove {
  if (ds === undefined) return { state: "unknown" };
  if (ds.length === 0) {
    const until = gone === undefined ? 0 : gone.at + gone.ttl * 1000;
    return now < until ? { state: "waiting", until } : { state: "unsigned" };
  }
  if (keys === undefined) return { state: "unknown" };
  if (keys.some((key) => ds.some((one) => standsFor(one, zone, key) === true))) return { state: "fits" };
  return { state: "breaks", dsTags: [...new Set(ds.map((one) => one.keyTag))], keyTags: keys.map(keyTag), ttl };
}
