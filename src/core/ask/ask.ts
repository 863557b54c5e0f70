import type { DomainName } from "../name/index.ts";
import type { Want } from "./want.ts";

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
  /** The day it was saved, as YYYY-MM-DD. */
  readonly asked?: string;
  /** Ids of asks of the same domain that must be proven first. */
  readonly after: readonly string[];
  /** What it wants: records, SPF terms, a minimum DMARC policy, or a proof on the web. */
  readonly wants: readonly Want[];
  /** How a DNS host that takes approvals knows it: a group of a template, with its variables. */
  readonly template?: {
    readonly provider: string;
    readonly service: string;
    readonly group?: string;
    /** The host below the domain that it is for, such as `go`; the domain itself without it. */
    readonly host?: string;
    readonly variables: Readonly<Record<string, string>>;
    /** The records of that group as the template has them, with the rules by which a host makes room for them. */
    readonly records?: readonly Readonly<Record<string, unknown>>[];
    /** Whether a host keeps what it applied of it before, with other values, beside it. */
    readonly multiInstance?: true;
  };
}

/** Where an ask stands; always derived, never stored. */
export const STATES = ["waiting", "noted", "clashing", "astray", "spreading", "settled", "proven", "lapsed", "unknown"] as const;
export type State = (typeof STATES)[number];

/** What a domain is for. */
export const ROLES = ["main", "secondary", "redirect", "sending", "parked"] as const;

/** The answer that a service is none of those that are known; no key of a service looks like this. */
export const ANOTHER_SERVICE = "another one";
