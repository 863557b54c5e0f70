import type { Nothing } from "./nothing.ts";

/** How a DNS host can be published at. */
export interface HostClauses {
  "host-takes-updates": Nothing;
  "host-takes-no-updates": Nothing;
  "host-hands-out-zone": Nothing;
  "host-by-sheet": Nothing;
  /** How the approval is given: by a link each time, by a grant once. */
  "host-takes-approvals": { readonly title: string; readonly ways: readonly ("link" | "grant")[] };
}
