import { LOW_TTL } from "../spread/index.ts";
import type { SignedMove } from "./signatures.ts";

/** What a move has to wait for; times in milliseconds since 1970, TTLs in seconds. */
export interface MoveFacts {
  readonly now: number;
  /** When the name servers are to change; as early as possible where it is not said. */
  readonly moveAt: number | undefined;
  /** TTL of the delegation at the parent, and of the NS records in the zone. */
  readonly parentTtl: number;
  readonly nsTtl: number;
  /** The longest TTL of a record of the zone. */
  readonly longestTtl: number;
  readonly signatures: SignedMove;
  /** Whether the new host signs the zone. */
  readonly newHostSigns: boolean;
  /** Whether the domain stays signed all through, by keys that both hosts publish (RFC 6781 section 4.3.5.1). */
  readonly staySigned: boolean;
  /** How long the DS records, and the old host's keys, may be remembered; 0 where there are none. */
  readonly dsTtl: number;
  readonly keysTtl: number;
}

/** One step of a move; `earliest` and `latest` are when it may be taken, milliseconds since 1970. */
interface MoveStep {
  readonly code:
    | "lower-ttls"
    | "copy"
    | "share-keys"
    | "add-ds"
    | "delete-ds"
    | "change-servers"
    | "look"
    | "enter-ds"
    | "delete-old-ds"
    | "switch-off";
  readonly earliest: number;
  /** Undefined where it may wait. */
  readonly latest: number | undefined;
  /** How long what it changes is remembered, in seconds. */
  readonly ttl: number | undefined;
}

/** The steps of a move, and whether the moment that was named for it can be kept. */
export interface MovePlan {
  readonly moveAt: number;
  readonly steps: readonly MoveStep[];
  /** The earliest moment at which the name servers may change. */
  readonly possibleFrom: number;
}

/**
 * Works a move to another DNS host out (RFC 6781 section 4.3.5 for signed zones): what shortens the time in which both hosts are
 * asked comes first, the DS record goes before the name servers change, and the old host is switched off when nobody is led
 * there any more. Where both hosts publish each other's keys, the DS record of the new one is added beside that of the old one
 * instead, and the domain is signed all the time.
 */
export function planMove(facts: MoveFacts): MovePlan {
  const { now, moveAt, parentTtl, nsTtl, longestTtl, signatures, newHostSigns, staySigned, dsTtl, keysTtl } = facts;
  const seconds = (count: number) => count * 1000;
  const lowers = longestTtl > LOW_TTL;
  const isSigned = signatures.state === "breaks" || signatures.state === "apart" || signatures.state === "fits";
  const stays = staySigned && newHostSigns && isSigned;
  const shares = stays && signatures.state !== "fits";
  const adds = stays && signatures.state === "breaks";
  const unsigns = isSigned && !stays && signatures.state !== "fits";
  const dsGone = shares
    ? now + seconds(keysTtl + (adds ? dsTtl : 0))
    : unsigns
      ? now + seconds(dsTtl)
      : signatures.state === "waiting"
        ? signatures.until
        : now;
  const possibleFrom = Math.max(dsGone, lowers ? now + seconds(longestTtl) : now);
  const change = Math.max(moveAt ?? possibleFrom, now);
  // Whoever asked the old servers just before keeps the delegation, and then a record of theirs.
  // What they signed holds as long as their keys are remembered.
  const kept = Math.max(lowers ? LOW_TTL : longestTtl, isSigned ? keysTtl : 0);
  const over = change + seconds(Math.max(parentTtl, nsTtl) + kept);
  const steps: MoveStep[] = [
    ...(lowers ? [{ code: "lower-ttls", earliest: now, latest: change - seconds(longestTtl), ttl: longestTtl } as const] : []),
    { code: "copy", earliest: now, latest: change, ttl: undefined },
    ...(shares
      ? [
          {
            code: "share-keys",
            earliest: now,
            latest: change - seconds(keysTtl + (adds ? dsTtl : 0)),
            ttl: keysTtl,
          } as const,
        ]
      : []),
    ...(adds ? [{ code: "add-ds", earliest: now + seconds(keysTtl), latest: change - seconds(dsTtl), ttl: dsTtl } as const] : []),
    ...(unsigns ? [{ code: "delete-ds", earliest: now, latest: change - seconds(dsTtl), ttl: dsTtl } as const] : []),
    { code: "change-servers", earliest: possibleFrom, latest: change, ttl: Math.max(parentTtl, nsTtl) },
    { code: "look", earliest: change, latest: undefined, ttl: undefined },
    ...(newHostSigns && (unsigns || signatures.state === "waiting")
      ? [{ code: "enter-ds", earliest: over, latest: undefined, ttl: undefined } as const]
      : []),
    ...(stays ? [{ code: "delete-old-ds", earliest: over, latest: undefined, ttl: dsTtl } as const] : []),
    { code: "switch-off", earliest: over, latest: undefined, ttl: undefined },
  ];
  return { moveAt: change, steps, possibleFrom };
}
