import type { Clause } from "./index.ts";
import type { Nothing } from "./nothing.ts";

/** What is said of where an ask stands. */
export interface StateClauses {
  "state-was-proven": { readonly because: Clause };
  "state-was-settled": { readonly because: Clause };
  "state-was-there": { readonly because: Clause };
  "state-contradicted": { readonly because: Clause };
  "state-but": { readonly because: Clause };
  "state-spreading": { readonly old: readonly string[] };
  "state-some-lack": { readonly lacking: readonly string[]; readonly what: readonly string[] };
  "state-web-unseen": Nothing;
  "state-own": Nothing;
  "state-waiting": { readonly waitingFor: readonly string[] };
  "state-no-records": Nothing;
  "state-unresolved": Nothing;
  "state-still-there": { readonly what: readonly string[] };
  "state-lacking": { readonly what: readonly string[] };
  "state-still-proven": Nothing;
  "state-everywhere": Nothing;
  "state-every-server": Nothing;
}
