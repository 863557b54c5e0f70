import type { DomainName } from "../name/index.ts";
import type { Clause } from "./index.ts";
import type { Nothing } from "./nothing.ts";

/** Where a move to other name servers stands. */
export interface RelocateClauses {
  /** Where a captured zone is from. */
  "capture-walked": Nothing;
  /** `refusal`: why no server handed the zone out. */
  "capture-asked": { readonly refusal: Clause; readonly questions: number; readonly exported: boolean };
  /** With the version that the server has, where others have another one; and the newest of them, where it is not that. */
  "capture-transferred": {
    readonly from:
      | { readonly server: string; readonly serial: number | undefined; readonly newest: number | undefined }
      | undefined;
  };
  "capture-nobody-asked": { readonly domain: DomainName };
  /** The first line of the file; `at` in milliseconds since 1970. */
  "capture-title": { readonly domain: DomainName; readonly at: number };
  "capture-own-records": Nothing;
  "relocate-not-yet": Nothing;
  /** The same, with the name servers that the parent zone names. */
  "relocate-not-yet-from": { readonly servers: readonly DomainName[] };
  /** `foreign` are the addresses that are not the new host's. */
  "relocate-half": { readonly foreign: readonly string[] };
  "relocate-moved": Nothing;
  "relocate-over": Nothing;
}
