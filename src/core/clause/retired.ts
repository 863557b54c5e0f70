import type { Nothing } from "./nothing.ts";

/** Why an ask ended. */
export interface RetiredClauses {
  "retired-newer-version": Nothing;
  "retired-other-policy": Nothing;
  "retired-rebuilt": Nothing;
  "retired-by-user": { readonly changes: number };
}
