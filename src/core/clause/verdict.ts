import type { DomainName } from "../name/index.ts";
import type { Clause } from "./index.ts";
import type { Nothing } from "./nothing.ts";

/** What is said of the author of a message. */
export interface VerdictClauses {
  "verdict-some-unproven": { readonly domains: number; readonly failing: readonly DomainName[] };
  "verdict-no-from": Nothing;
  "verdict-from-unreadable": { readonly error: Clause };
  "verdict-several-from": { readonly from: number };
  "verdict-from-nobody": Nothing;
  "verdict-from-no-domain": Nothing;
  "verdict-all-pass": Nothing;
  "bulk-reverse-unresolved": { readonly ip: string; readonly detail: Clause };
  "bulk-no-reverse": { readonly ip: string };
  "bulk-back-unresolved": { readonly target: string; readonly detail: Clause };
  "bulk-reverse-right": { readonly ip: string; readonly target: string };
  "bulk-reverse-apart": { readonly ip: string };
  "bulk-address-unknown": Nothing;
  "bulk-date": Nothing;
  "bulk-no-date": Nothing;
  "bulk-several-dates": { readonly dates: number };
  "bulk-bad-date": Nothing;
  "bulk-message-id": Nothing;
  "bulk-no-message-id": Nothing;
  "bulk-several-message-ids": { readonly ids: number };
  "bulk-bad-message-id": Nothing;
  "bulk-spf": Nothing;
  "bulk-spf-unchecked": Nothing;
  "bulk-no-spf": Nothing;
  "bulk-dkim": Nothing;
  "bulk-dkim-unchecked": Nothing;
  "bulk-no-dkim": Nothing;
  "bulk-policy": Nothing;
  "bulk-policy-unresolved": Nothing;
  "bulk-no-policy": Nothing;
  "bulk-one-click": Nothing;
  "bulk-no-one-click": Nothing;
  "bulk-one-click-signed": Nothing;
  "bulk-one-click-unsigned": Nothing;
  "bulk-one-click-none": Nothing;
  "bulk-encrypted": Nothing;
  "bulk-encryption-unknown": Nothing;
  "bulk-unencrypted": Nothing;
  "bulk-lines": { readonly most: number };
  "bulk-long-line": { readonly octets: number; readonly most: number };
}
