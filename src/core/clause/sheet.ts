import type { DomainName } from "../name/index.ts";
import type { Clause } from "./index.ts";

/** What is said of fill-in sheets. */
export interface SheetClauses {
  "sheet-lost": { readonly type: string; readonly name: DomainName; readonly data: readonly string[] };
  "sheet-lost-mend": { readonly domain: DomainName };
  "sheet-pieces": { readonly pieces: number };
  "sheet-not-offered": { readonly type: string };
  "sheet-leave-others": { readonly type: string; readonly others: number };
  "sheet-notes": { readonly notes: readonly Clause[] };
  "sheet-only-ttl": { readonly was: number; readonly is: string };
}
