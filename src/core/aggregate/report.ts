import type { Clause } from "../clause/index.ts";
import type { Policy } from "../dmarc/index.ts";
import type { DomainName } from "../name/index.ts";

/** Why a receiver did not do what the policy says (RFC 7489 appendix C, and its successor). */
export const OVERRIDES = [
  "forwarded",
  "sampled_out",
  "trusted_forwarder",
  "mailing_list",
  "local_policy",
  "policy_test_mode",
  "other",
] as const;
export type Override = (typeof OVERRIDES)[number];

/** What one receiver says of itself and of the time it reports on. */
export interface ReportHead {
  /** The receiver, as it calls itself. */
  readonly receiver: string;
  /** Where it can be written to; empty where it does not say. */
  readonly email: string;
  readonly id: string;
  /** Seconds since 1970. */
  readonly begin: number;
  readonly end: number;
  /** The domain whose policy was applied. */
  readonly domain: DomainName;
  readonly policy: Policy;
}

/** Messages that one server sent under one From domain, and how they fared. */
export interface ReportRow {
  /** Address of the sending server, in its usual spelling. */
  readonly ip: string;
  readonly count: number;
  readonly disposition: Policy;
  /** Whether DKIM and SPF passed *and* were aligned with From. */
  readonly dkimAligned: boolean;
  readonly spfAligned: boolean;
  readonly overrides: readonly Override[];
  readonly from: DomainName;
  /** The domain of the envelope sender; undefined where the receiver does not say. */
  readonly envelope?: DomainName | undefined;
  /** The first passing signature's domain, or the first one's. */
  readonly signer?: DomainName | undefined;
  readonly selector?: string | undefined;
  readonly signerPasses: boolean;
  /** The domain SPF was checked for. */
  readonly spfDomain?: DomainName | undefined;
  readonly spfPasses: boolean;
}

/** Why a report was set aside: a stable word, and half a sentence for people. */
export interface ReportProblem {
  readonly kind: "not-xml" | "not-a-report" | "entities" | "too-deep" | "too-large" | "missing" | "bad-value" | "cut";
  readonly because: Clause;
}
