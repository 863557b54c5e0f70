import type { ChainFlaw } from "../dnssec/index.ts";
import type { DomainName } from "../name/index.ts";
import type { Clause } from "./index.ts";
import type { Nothing } from "./nothing.ts";

/** A chain of trust that is broken. */
interface Broken {
  readonly flaw: ChainFlaw;
  readonly domain: DomainName;
  /** The DNS host that still serves a key the DS records stand for. */
  readonly fits?: string | undefined;
}

/** What is said of signatures (DNSSEC). */
export interface DnssecClauses {
  "dnssec-anchors-expected": { readonly expected: Clause };
  "dnssec-broken": Broken;
  "dnssec-mend": Broken;
  "dnssec-refused-mend": Nothing;
  /** `ttl` in seconds. */
  "dnssec-ds-remembered": { readonly ttl: number };
}
