import type { DomainName } from "../name/index.ts";
import type { Clause } from "./index.ts";
import type { Nothing } from "./nothing.ts";

/** What is said on the way, beside the result: whole sentences. */
export interface ToldClauses {
  /** The remark in a zone file of an earlier day; `at` in milliseconds since 1970. */
  "history-as-it-was": { readonly at: number };
  /** What a browser shows when its work is done. */
  "page-close-window": Nothing;
  /** Changes were accepted, and the zone does not show them yet. */
  "told-not-shown-yet": { readonly to: string };
  "told-paste-now": Nothing;
  "told-input-form": Nothing;
  "told-kit-before": { readonly name: string; readonly because: Clause };
  "told-sweep-part": { readonly sweep: string; readonly done: number; readonly domains: number };
  "told-sweep-on": { readonly sweep: string; readonly done: number; readonly domains: number };
  "told-sweep-rests": { readonly domains: number; readonly ms: number };
  /** Another process holds a lock: to what it writes. */
  "told-lock": { readonly what: string };
  "told-database-away": { readonly place: string };
  "told-figures-at": { readonly url: string };
  "told-listening": { readonly url: string; readonly services: readonly string[] };
  "told-events": { readonly taken: number };
  /** One of several domains is looked at. */
  "told-looking": { readonly domain: DomainName; readonly nth: number; readonly of: number };
  "told-message-state": { readonly state: string };
  "told-site-open": { readonly open: number };
  "told-reports-read": { readonly reports: number; readonly setAside: number };
}
