import type { DomainName } from "../name/index.ts";
import type { Nothing } from "./nothing.ts";

/** What is said of things that are watched; moments are milliseconds since 1970, days their number since then. */
export interface GuardClauses {
  "guard-certificate-ends": { readonly name: string; readonly at: number };
  "guard-name-servers": { readonly names: readonly DomainName[] };
  "guard-ds": { readonly keyTags: readonly number[] };
  "guard-signatures-good": { readonly until: number };
  "guard-not-signed": Nothing;
  "guard-include-leads": { readonly term: string };
  "guard-addresses-named": { readonly term: string };
  "guard-newest-report": { readonly day: number };
  "guard-senders-unresolved": { readonly unseen: string };
  "guard-unknown-sender": {
    readonly messages: number;
    readonly title: string;
    readonly domain: DomainName;
    readonly aligned: number;
    /** The known sender whose addresses it is next to. */
    readonly nextTo: string | undefined;
  };
  "guard-certificate-renew": Nothing;
  "guard-registration-ended": Nothing;
  "guard-ask-service": Nothing;
  "guard-newest-event": { readonly title: string; readonly day: number };
}
