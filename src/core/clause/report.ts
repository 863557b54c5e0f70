import type { DomainName } from "../name/index.ts";
import type { Clause } from "./index.ts";
import type { Nothing } from "./nothing.ts";

/** What is said of aggregate reports that are set aside; moments in seconds since 1970. */
export interface ReportClauses {
  "report-doctype": Nothing;
  "report-no-server": Nothing;
  "report-no-from": Nothing;
  "report-empty": Nothing;
  "report-no-domain": Nothing;
  "report-no-receiver": Nothing;
  "report-no-time": Nothing;
  "report-cut": Nothing;
  "report-not-xml": { readonly message: string };
  /** `most` in MiB. */
  "report-too-long": { readonly most: number };
  "report-long-piece": { readonly most: number };
  "report-long-element": { readonly element: string; readonly most: number };
  "report-begins-otherwise": { readonly element: string };
  "report-too-deep": { readonly most: number };
  "report-too-many-rows": { readonly most: number };
  "report-long-list": { readonly what: string; readonly most: number };
  "report-bad-address": { readonly address: string };
  "report-bad-count": { readonly count: string };
  "report-impossible-time": { readonly begin: number; readonly end: number };
  "report-other-domain": { readonly domain: DomainName };
  "report-other-sender": { readonly says: DomainName; readonly mailedBy: DomainName };
  "report-not-unpacked": { readonly why: Clause };
}
