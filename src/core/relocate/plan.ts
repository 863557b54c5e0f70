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
}

/** One step of a move; `earliest` and `latest` are when it may be taken, milliseconds since 1970. */
interface MoveStep {
  readonly code: "lower-ttls" | "copy" | "delete-ds" | "change-servers" | "look" | "enter-ds" | "switch-off";
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
 * there any more.
 */
export function planMove({ now, moveAt, parentTtl, nsTtl, longestTtl, signatures, newHostSigns }: MoveFacts): MovePlan {
  const seconds = (count: number) => count * 1000;
  const lowers = longestTtl > LOW_TTL;
  const unsigns = signatures.state === "breaks";
  const dsGone =
    signatures.state === "breaks" ? now + seconds(signatures.ttl) : signatures.state === "waiting" ? signatures.until : now;
  const possibleFrom = Math.max(dsGone, lowers ? now + seconds(longestTtl) : now);
  const change = Math.max(moveAt ?? possibleFrom, now);
  // Whoever asked the old servers just before keeps the delegation, and then a record of theirs.
  const over = change + seconds(Math.max(parentTtl, nsTtl) + (lowers ? LOW_TTL : longestTtl));
  const steps: MoveStep[] = [
    ...(lowers ? [{ code: "lower-ttls", earliest: now, latest: change - seconds(longestTtl), ttl: longestTtl } as const] : []),
    { code: "copy", earliest: now, latest: change, ttl: undefined },
    ...(unsigns
      ? [{ code: "delete-ds", earliest: now, latest: change - seconds(signatures.ttl), ttl: signatures.ttl } as const]
      : []),
    { code: "change-servers", earliest: possibleFrom, latest: change, ttl: Math.max(parentTtl, nsTtl) },
    { code: "look", earliest: change, latest: undefined, ttl: undefined },
    ...(newHostSigns && (unsigns || signatures.state === "waiting")
      ? [{ code: "enter-ds", earliest: over, latest: undefined, ttl: undefined } as const]
      : []),
    { code: "switch-off", earliest: over, latest: undefined, ttl: undefined },
  ];
  return { moveAt: change, steps, possibleFrom };
}
