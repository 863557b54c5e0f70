import type { Clause } from "./index.ts";
import type { Nothing } from "./nothing.ts";

/** What is in front of a mechanism (RFC 7208 section 4.6.2). */
type SpfQualifier = "+" | "-" | "~" | "?";

/** What is said of SPF. */
export interface SpfClauses {
  "spf-moved": { readonly term: string; readonly fresh: readonly string[]; readonly gone: readonly string[] };
  "spf-says-redirect": { readonly domain: string };
  "spf-says-explanation": { readonly domain: string };
  "spf-says-nothing": Nothing;
  /** `included` where it stands in a record that another one includes. */
  "spf-says-all": { readonly qualifier: SpfQualifier; readonly included: boolean };
  "spf-says-servers": {
    readonly mechanism: "include" | "a" | "mx" | "ptr" | "exists";
    readonly qualifier: SpfQualifier;
    /** Undefined where the domain of the record is meant. */
    readonly domain: string | undefined;
    readonly prefix4: number | undefined;
    readonly prefix6: number | undefined;
  };
  "spf-says-address": { readonly qualifier: SpfQualifier; readonly address: string; readonly prefix: number | undefined };
  "spf-decides": { readonly mechanism: string };
  "spf-verdict": { readonly result: "none" | "neutral" | "pass" | "fail" | "softfail" | "temperror" | "permerror" };
  /** The Received-SPF line that a receiver would put on top of a message. */
  "spf-received": {
    readonly because: Clause | undefined;
    readonly mechanism: string | undefined;
    readonly result: string;
    readonly ip: string;
    readonly from: string;
    readonly helo: string;
    readonly receiver: string;
  };
  "spf-all-with-value": Nothing;
  "spf-needs-domain": { readonly name: string };
  "spf-not-a-domain": { readonly domain: string };
  "spf-ip4-needs-address": Nothing;
  "spf-ip4-length": Nothing;
  "spf-ip6-needs-address": Nothing;
  "spf-ip6-length": Nothing;
  "spf-optional-domain": { readonly name: string };
  "spf-ptr-length": Nothing;
  "spf-length-range": Nothing;
  "spf-no-mechanism": { readonly word: string };
  "spf-bare-address": Nothing;
  "spf-bare-domain": Nothing;
  "spf-means-nothing": { readonly word: string };
  "spf-needs-start": Nothing;
  "spf-older-proposal": Nothing;
  "spf-start-needs-space": Nothing;
  "spf-separator": Nothing;
  "spf-modifier-twice": { readonly name: "redirect" | "exp" };
  "spf-modifier-needs-domain": { readonly name: "redirect" | "exp" };
  "spf-modifier-unreadable": { readonly name: string };
  "spf-second-inside": Nothing;
  "spf-no-possible-record": { readonly domain: string };
  "spf-several": { readonly domain: string; readonly texts: number };
  "spf-none": { readonly domain: string };
  "spf-included-unreadable": { readonly domain: string; readonly message: Clause | undefined };
  "spf-behind-all": { readonly text: string };
  "spf-redirect-with-all": Nothing;
  "spf-matched-before": Nothing;
  "spf-same-term-before": Nothing;
  "spf-allows-everybody": Nothing;
  "spf-huge-block": { readonly prefix: number; readonly family: 4 | 6 };
  "spf-leads-back": { readonly target: string };
  "spf-include-fails": { readonly because: Clause };
  "spf-includes-everybody": { readonly target: string };
  "spf-unregistered": { readonly domain: string };
  "spf-ptr": Nothing;
  "spf-target-not-a-domain": { readonly target: string };
  "spf-no-mail-server": { readonly target: string };
  "spf-no-address": { readonly target: string };
  "spf-over-limit": { readonly most: number };
  "spf-over-voids": { readonly most: number };
  "spf-round-and-round": { readonly because: Clause; readonly most: number };
  "spf-twice": Nothing;
  "spf-let-in-already": { readonly text: string };
  "spf-several-plain": { readonly domain: string; readonly texts: number };
  "spf-unreadable-at": { readonly domain: string; readonly text: string | undefined; readonly message: Clause | undefined };
  "spf-no-match": Nothing;
  "spf-redirect-to-none": Nothing;
  "spf-flatten-include-only": Nothing;
  "spf-flatten-takes-away": { readonly text: string };
  "spf-flatten-by-message": { readonly text: string };
  "spf-flatten-no-address": Nothing;
  "spf-flatten-no-such-include": Nothing;
  "spf-included-unresolved": Nothing;
  "spf-treated-as-error": Nothing;
  "spf-no-record-at-all": Nothing;
  "spf-nothing-changes": Nothing;
  "spf-too-many-mail-servers": { readonly domain: string; readonly most: number };
  "spf-take-out": { readonly term: string };
  "spf-write-addresses": { readonly term: string };
  "spf-flatten-saves": { readonly domain: string; readonly include: string };
  "spf-send-from-subdomain": { readonly term: string; readonly domain: string };
}
