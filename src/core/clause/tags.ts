import type { Nothing } from "./nothing.ts";

/** What is said of lists of tags (RFC 6376 section 3.2). */
export interface TagsClauses {
  "tags-nothing-between": Nothing;
  "tags-form": Nothing;
  "tags-name": Nothing;
  "tags-twice": { readonly name: string };
}
