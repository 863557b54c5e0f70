import type { ClashKind } from "../change/index.ts";
import type { Clause } from "../clause/index.ts";
import type { ChainFlaw } from "../dnssec/index.ts";
import type { ValueMismatch } from "./value.ts";

/** What keeps a published record from counting. */
export type CauseKind =
  | ValueMismatch
  | "not-delegated"
  | "some-servers-only"
  | "sick-server"
  | "alias-in-the-way"
  | "name-doubled"
  | "at-apex"
  | "at-label"
  | "other-zone"
  | "split-records"
  | "wrong-type"
  | "target-doubled"
  | "target-is-url"
  | "other-target"
  | "wildcard-answers"
  | "below-zone-cut"
  | "second-spf"
  | "broken-spf"
  | "second-dmarc"
  | "web-proof"
  | "not-at-service"
  | "token-of-another-service"
  | "priorities-swapped"
  | `dnssec-${ChainFlaw["code"]}`
  | "dnssec-refused"
  | ClashKind;

/** One reason why a wanted record is not found: where, why in plain words, and what to do about it. */
export interface Cause {
  readonly kind: CauseKind;
  /** The name, and the server where that matters, at which the evidence stands. */
  readonly at: string;
  readonly because: Clause;
  readonly remedy: Clause;
}
