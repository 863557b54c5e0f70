import type { DomainName } from "../name/index.ts";
import type { Clause } from "./index.ts";
import type { Nothing } from "./nothing.ts";

/** A step of handing a message in. */
type Step = "connect" | "greet" | "encrypt" | "login" | "sender" | "recipient" | "message" | "end";

/** What is said of services and what they need. */
export interface ServiceClauses {
  "service-address-unconfirmed": Nothing;
  "service-domains-unresolved": { readonly title: string };
  "service-not-asked-yet": { readonly title: string };
  /** `on` a day, YYYY-MM-DD. */
  "service-recorded": { readonly on: string; readonly note: string };
  "service-said-so": { readonly on: string };
  "service-addresses-unresolved": { readonly title: string; readonly address: string };
  "service-address": {
    readonly state: "confirmed" | "pending" | "expired" | "unknown";
    readonly title: string;
    readonly address: string;
    /** Whether a mail with a link went out just now. */
    readonly mailed: boolean;
    /** RFC 3339. */
    readonly expiresAt: string | undefined;
  };
  "service-knows-not": { readonly title: string; readonly domain: DomainName };
  "service-took-as": { readonly host: string; readonly id: string };
  "service-declined": { readonly host: string; readonly because: Clause };
  "service-took": { readonly host: string; readonly reply: string };
  "service-unreachable": { readonly host: string; readonly because: Clause };
  "service-stopped": { readonly host: string; readonly step: Step; readonly because: Clause };
  "service-refused": {
    readonly host: string;
    readonly step: Step;
    readonly reply: string;
    readonly meaning: Clause | undefined;
    readonly remedy: Clause | undefined;
  };
  "service-logged-in": Nothing;
  "service-no-domain": Nothing;
  "service-domain-open": { readonly title: string };
  "service-signing-off": { readonly title: string };
}
