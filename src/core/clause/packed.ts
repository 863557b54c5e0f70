import type { Nothing } from "./nothing.ts";

/** Why nothing is found in what a report should be packed in. */
export interface PackedClauses {
  "packed-checksum": Nothing;
  "packed-zip-unreadable": { readonly why: string | undefined };
  "packed-zip-empty": Nothing;
  "packed-zip-too-many": { readonly most: number };
  "packed-archive-inside": Nothing;
  "packed-unknown": Nothing;
  /** `most` in MiB. */
  "packed-mail-too-large": { readonly most: number };
  "packed-mail-unreadable": Nothing;
  "packed-failure-report": Nothing;
  "packed-none-attached": Nothing;
  "packed-ring": Nothing;
  /** `code` is what the operating system says, or `special` where it is not a file. */
  "packed-unreadable": { readonly code: string };
}
