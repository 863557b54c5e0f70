import type { Clause } from "./index.ts";

/** What is said of kits. */
export interface KitClauses {
  "kit-line": { readonly line: number; readonly found: string; readonly expected: Clause };
  "kit-spf-terms": { readonly message: Clause | undefined };
}
