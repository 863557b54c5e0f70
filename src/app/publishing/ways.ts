import type { Change, SheetEntry } from "../../core/change/index.ts";
import type { Clause } from "../../core/clause/index.ts";

/** How one way of publishing ended. `conflict`: the zone is not as it was drafted from, and nothing was done; `by-hand` leaves it to the user. */
export type PublishOutcome =
  | { readonly kind: "published"; readonly because: Clause }
  /** `failed`: the DNS host, or the person there, was to carry it out and did not, or not all of it; null where that could not be seen. */
  | {
      readonly kind: "by-hand";
      readonly because: Clause;
      readonly sheet: readonly SheetEntry[];
      readonly failed?: boolean | null;
      /** Pages of the DNS host on which it can be approved, and for which nobody waits. */
      readonly pages?: readonly string[];
    }
  | { readonly kind: "conflict"; readonly because: Clause }
  | { readonly kind: "not-published"; readonly reason: NotDone; readonly because: Clause; readonly remedy: Clause }
  | { readonly kind: "unknown"; readonly because: Clause; readonly remedy: Clause };

/**
 * Why nothing was done: the other side said no, it did not accept who asks, it was not reached, or something has to be
 * put right here first.
 */
type NotDone = "refused" | "unauthenticated" | "unreachable" | "not-set-up";

/** A way of publishing that is ready to go: everything that can be wrong beforehand has been checked. */
export interface Publisher {
  readonly way: string;
  /** Where the changes go, for people and the journal. */
  readonly to: string;
  /** The same for a later look: the file or the server. */
  readonly where: { readonly file?: string; readonly server?: string };
  /** How long the changes may be under way, milliseconds. */
  readonly underWay: number;
  /** The changes as this way carries them out; what it may not do is refused here, before anything is journalled. */
  prepare?(changes: readonly Change[]): Promise<readonly Change[]>;
  apply(changes: readonly Change[]): Promise<PublishOutcome>;
}

/** How a person approves at a DNS host: whether the page is opened for them, and whether anybody waits for them. */
export interface ApprovalOptions {
  readonly open?: boolean;
  readonly copy?: boolean;
  readonly linkOnly?: boolean;
  /** Whether something is taken back. */
  readonly undoes?: boolean;
  /** What may be removed for it: domain names that the person named. */
  readonly replace?: readonly string[];
}
