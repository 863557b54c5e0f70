import type { DomainName } from "../name/index.ts";
import type { RecordSet } from "../record/index.ts";
import type { WebProof } from "../site/index.ts";

/** What an ask is for. */
export const PURPOSES = [
  "ownership",
  "site",
  "redirect",
  "certificate",
  "mailbox",
  "sending",
  "bounce",
  "tracking",
  "policy",
] as const;
export type Purpose = (typeof PURPOSES)[number];

/** What one service wants published for one purpose on one domain. */
export interface Ask {
  readonly id: string;
  /** The key of the service in the workspace. */
  readonly service: string;
  readonly purpose: Purpose;
  readonly domain: DomainName;
  /** The day it was taken down, as YYYY-MM-DD. */
  readonly asked?: string;
  /** Ids of asks of the same domain that must be proven first. */
  readonly after: readonly string[];
  /** The record sets it wants, names absolute; an SPF term is a TXT set with a record of its own, see `isMet`. */
  readonly wanted: readonly RecordSet[];
  /** A proof on the web, where the service looks at the site instead of the DNS. */
  readonly web?: WebProof;
}

/** Where an ask stands; always derived, never stored. */
export const STATES = ["waiting", "noted", "clashing", "astray", "spreading", "settled", "proven", "lapsed", "unknown"] as const;
export type State = (typeof STATES)[number];
