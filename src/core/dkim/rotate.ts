import { type Clause, clause } from "../clause/index.ts";
import { DAY } from "../day.ts";
/** What is known about a rotation when it is planned; times in milliseconds since 1970. */
export interface Rotation {
  readonly oldSelector: string;
  readonly newSelector: string;
  readonly now: number;
  /** When the new key was published, where it was. */
  readonly published?: number;
  /** Seconds after its publication until everybody sees the new key. */
  readonly cacheWindow: number;
  /** When mail began to be signed with the new key, where it has. */
  readonly switched?: number;
  /** Seconds that mail may be on its way, queues and retries included. */
  readonly transit: number;
  /** When the empty key was published at the old selector, where it was. */
  readonly revoked?: number;
  /** Whether nothing is left at the old selector. */
  readonly removed: boolean;
}

export const ROTATION_STEPS = ["publish", "settle", "switch", "keep", "revoke", "remove"] as const;

/** One step of a rotation; `from` in milliseconds since 1970. */
export interface RotationStep {
  readonly kind: (typeof ROTATION_STEPS)[number];
  readonly from: number;
  readonly state: "done" | "now" | "later";
  readonly what: Clause;
  readonly because: Clause;
}

/** Seconds between the revocation and the removal of the old key. */
const REVOKED_FOR = 30 * DAY;

/**
 * The steps from one key to the next without a message failing (RFC 6376 section 3.6.1 on revocation): the new
 * key is seen by everybody before it signs, and the old one stays until all mail it signed has arrived.
 */
export function rotationPlan({
  oldSelector,
  newSelector,
  now,
  published,
  cacheWindow,
  switched,
  transit,
  revoked,
  removed,
}: Rotation): RotationStep[] {
  const settles = (published ?? now) + cacheWindow * 1000;
  const switchAt = switched ?? Math.max(settles, now);
  const revokeAt = revoked ?? switchAt + transit * 1000;
  const removeAt = revokeAt + REVOKED_FOR * 1000;
  const days = Math.round(transit / DAY);
  const settled = published !== undefined && now >= settles;
  const steps: (Omit<RotationStep, "state"> & { done: boolean; due: boolean })[] = [
    {
      kind: "publish",
      from: published ?? now,
      what: clause("dkim-rotate-publish", { newSelector }),
      because: clause("dkim-rotate-publish-why"),
      done: published !== undefined,
      due: true,
    },
    {
      kind: "settle",
      from: published ?? now,
      what: clause("dkim-rotate-settle"),
      because: clause("dkim-rotate-settle-why"),
      done: settled || switched !== undefined,
      due: published !== undefined,
    },
    {
      kind: "switch",
      from: switchAt,
      what: clause("dkim-rotate-switch", { newSelector }),
      because: clause("dkim-rotate-switch-why"),
      done: switched !== undefined,
      due: settled,
    },
    {
      kind: "keep",
      from: switchAt,
      what: clause("dkim-rotate-keep", { oldSelector }),
      because: clause("dkim-rotate-keep-why", { days }),
      done: revoked !== undefined || removed || (switched !== undefined && now >= revokeAt),
      due: switched !== undefined,
    },
    {
      kind: "revoke",
      from: revokeAt,
      what: clause("dkim-rotate-revoke", { oldSelector }),
      because: clause("dkim-rotate-revoke-why"),
      done: revoked !== undefined || removed,
      due: switched !== undefined && now >= revokeAt,
    },
    {
      kind: "remove",
      from: removeAt,
      what: clause("dkim-rotate-remove", { oldSelector }),
      because: clause("dkim-rotate-remove-why"),
      done: removed,
      due: revoked !== undefined && now >= removeAt,
    },
  ];
  return steps.map(({ done, due, ...step }) => ({ ...step, state: done ? "done" : due ? "now" : "later" }));
}
