import type { Nothing } from "./nothing.ts";

/** What a service is asked to do over its link: the verb behind “it did not …”; and what is done where that is not possible. */
export interface AskedClauses {
  /** `of`: a domain name or a mail address. */
  "asked-where-stands": { readonly of: string };
  "asked-accept": { readonly domain: string };
  "asked-mail-link": { readonly address: string };
  "asked-take-message": Nothing;
  "asked-make-credential": Nothing;
  "asked-end-credential": { readonly id: string };
  "asked-list-credentials": Nothing;
  "asked-post-events": Nothing;
  "asked-submission": Nothing;
  "by-hand-credential": { readonly service: string };
  "by-hand-events": { readonly service: string };
  /** What became of something new whose secret could not be kept. */
  "undone-ended": { readonly what: "credential" | "subscription"; readonly id: string };
  "undone-not-ended": { readonly what: "credential" | "subscription"; readonly id: string; readonly title: string };
  "undone-nothing": Nothing;
}
