import type { DomainName } from "../name/index.ts";
import type { Nothing } from "./nothing.ts";

/** The steps that come next, as commands. */
export interface NextClauses {
  /** `ask` as it is named on the command line. */
  "next-prove": { readonly ask: string };
  "next-draft": { readonly domain: DomainName };
  "next-watch": { readonly domain: DomainName };
  "next-watch-proven": { readonly domain: DomainName };
  "next-status": { readonly domain: DomainName };
  "next-check-sheet": { readonly domain: DomainName };
  "next-sender-domain": { readonly service: string; readonly domain: DomainName };
  "next-sender-domain-confirmed": { readonly service: string; readonly domain: DomainName };
  "next-signing-on": { readonly service: string; readonly domain: DomainName };
  "next-sender-address": { readonly service: string; readonly address: string };
  "next-sender-address-confirmed": { readonly service: string; readonly address: string };
  "next-sender-address-resend": { readonly service: string; readonly address: string };
  "next-init": { readonly domain: DomainName };
  "next-site": { readonly domain: DomainName };
  "next-find-host": { readonly domain: DomainName };
  "next-audit": { readonly domain: DomainName };
  "next-explain-spf": { readonly domain: DomainName };
  "next-flatten": { readonly domain: DomainName };
  "next-explain-dmarc": { readonly domain: DomainName };
  "next-sources": { readonly domain: DomainName };
  "next-publish": { readonly domain: DomainName };
  /** With what is in the way, by its domain name. */
  "next-publish-replacing": { readonly domain: DomainName; readonly name: string };
  "next-retire": { readonly ask: string };
  "next-intake": Nothing;
  "next-write-host": { readonly domain: DomainName };
  "next-new-key": { readonly domain: DomainName; readonly selector: string };
  "next-rotate": {
    readonly domain: DomainName;
    readonly from: string;
    readonly to: string;
    readonly step: "write" | "switched" | "revoke";
  };
  "next-events": { readonly service: string };
}
