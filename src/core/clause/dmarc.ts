import type { DomainName } from "../name/index.ts";
import type { Clause } from "./index.ts";
import type { Nothing } from "./nothing.ts";

type By = "spf" | "dkim";
/** What mail that fails is treated like (RFC 7489 section 6.3). */
type Asked = "none" | "quarantine" | "reject";

/** What is said of policies, and of what they do to a message. */
export interface DmarcClauses {
  "dmarc-choice": { readonly name: string; readonly words: readonly string[] };
  "dmarc-number": { readonly name: string; readonly least: number; readonly most: number };
  /** `failed` is what happened. */
  "dmarc-unresolved": { readonly failed: Clause };
  "dmarc-published-unresolved": { readonly failed: Clause };
  "dmarc-passes": { readonly by: By; readonly domain: DomainName; readonly from: DomainName };
  "dmarc-fails": {
    /** What passes, and belongs to somebody else. */
    readonly unaligned: readonly { readonly by: By; readonly domain: DomainName }[];
    readonly from: DomainName;
    readonly at: DomainName;
    readonly tag: "p" | "sp" | "np";
    readonly policy: Asked;
    readonly softened: { readonly by: "testing" } | { readonly by: "percent"; readonly percent: number } | undefined;
  };
  "dmarc-says-policy": { readonly policy: Asked };
  "dmarc-says-subdomains": { readonly policy: Asked };
  "dmarc-says-nonexistent": { readonly policy: Asked };
  "dmarc-says-testing": Nothing;
  "dmarc-says-percent": { readonly percent: number };
  "dmarc-says-strict": { readonly by: By };
  "dmarc-says-reports": { readonly to: readonly string[] };
  "dmarc-says-failures": { readonly to: readonly string[] };
  /** `most` in octets. */
  "dmarc-says-limit": { readonly to: string; readonly most: number };
  /** Whether others register below the domain, or it is the organisation's own top. */
  "dmarc-says-suffix": { readonly registry: boolean };
  /** Where receivers that walk up the tree, and those that use the public suffix list, find a record. */
  "dmarc-differs": { readonly walk: DomainName | undefined; readonly list: DomainName | undefined };
  "dmarc-organization-differs": { readonly walk: DomainName; readonly list: DomainName };
  "dmarc-uri-size": { readonly text: string };
  "dmarc-uri-needs-mailto": { readonly text: string };
  "dmarc-uri-no-address": { readonly text: string };
  "dmarc-uri-letters": { readonly text: string };
  "dmarc-uri-percent": { readonly text: string };
  "dmarc-version-exact": Nothing;
  "dmarc-needs-start": Nothing;
  "dmarc-unknown-tag": { readonly name: string };
  "dmarc-policy-missing": Nothing;
  "dmarc-policy-place": Nothing;
  "dmarc-failure-options": Nothing;
  "dmarc-no-address": { readonly address: string };
  "dmarc-no-address-mend": Nothing;
  "dmarc-no-reports": Nothing;
  "dmarc-no-reports-mend": Nothing;
  "dmarc-first-strict": { readonly policy: "none" | "quarantine" | "reject" };
  "dmarc-reports-show-own": Nothing;
  "dmarc-no-reports-read": Nothing;
  "dmarc-start-with-none": Nothing;
  "dmarc-subdomains-weaker": {
    readonly subdomains: "none" | "quarantine" | "reject";
    readonly policy: "none" | "quarantine" | "reject";
  };
  "dmarc-few-failure-reports": Nothing;
  "dmarc-testing-none": Nothing;
  "dmarc-consent-needed": { readonly destination: DomainName };
  "dmarc-several": { readonly from: DomainName; readonly texts: number };
  "dmarc-unusable": { readonly from: DomainName; readonly message: Clause | undefined };
  "dmarc-none": { readonly from: DomainName };
  "dmarc-check-not-made": Nothing;
  "dmarc-ignored": Nothing;
  "dmarc-not-asked": { readonly failed: Clause };
  "dmarc-several-there": { readonly records: number };
  "dmarc-unusable-there": Nothing;
  "dmarc-none-there": Nothing;
}
