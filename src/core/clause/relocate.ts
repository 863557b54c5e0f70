import type { DomainName } from "../name/index.ts";
import type { Nothing } from "./nothing.ts";

/** Where a move to other name servers stands. */
export interface RelocateClauses {
  "relocate-not-yet": Nothing;
  /** The same, with the name servers that the parent zone names. */
  "relocate-not-yet-from": { readonly servers: readonly DomainName[] };
  /** `foreign` are the addresses that are not the new host's. */
  "relocate-half": { readonly foreign: readonly string[] };
  "relocate-moved": Nothing;
  "relocate-over": Nothing;
}
