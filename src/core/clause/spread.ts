import type { DomainName } from "../name/index.ts";
import type { Nothing } from "./nothing.ts";

/** What is said of caches and of the way to a launch; spans in seconds. */
export interface SpreadClauses {
  "spread-old-ttl": { readonly type: string; readonly name: DomainName };
  "spread-servers-unfound": Nothing;
  "spread-ttl-lowered": Nothing;
  "spread-taken-back": Nothing;
  "spread-launch": Nothing;
  "spread-no-change": Nothing;
  "spread-nothing-changed": Nothing;
  "spread-before-unknown": Nothing;
  "spread-too-late": { readonly cacheWindow: number; readonly margin: number; readonly late: number };
  "spread-old-set": { readonly type: string; readonly name: DomainName; readonly ttl: number };
  "spread-old-alias": { readonly name: DomainName; readonly ttl: number };
  "spread-old-wildcard": { readonly wildcard: DomainName; readonly ttl: number };
  "spread-negative-unknown": Nothing;
  "spread-negative": { readonly seconds: number };
  "spread-lower-ttl": { readonly names: readonly string[]; readonly ttl: number };
  "spread-lower-ttl-why": { readonly oldTtl: number; readonly loweredWindow: number; readonly cacheWindow: number };
  "spread-publish": Nothing;
  "spread-publish-lowered": { readonly loweredWindow: number };
  "spread-nothing-to-wait-for": Nothing;
  "spread-visible": Nothing;
  "spread-visible-why": Nothing;
  "spread-ask-services": Nothing;
  "spread-certificate-time": { readonly margin: number };
  "spread-remembers-not-found": Nothing;
  "spread-nothing-to-publish": Nothing;
  "spread-first-step": { readonly left: number };
}
