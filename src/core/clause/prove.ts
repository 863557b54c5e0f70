import type { Clause } from "./index.ts";
import type { Nothing } from "./nothing.ts";

/** What is said of asking a service whether it is content. */
export interface ProveClauses {
  "prove-by-hand": { readonly service: string; readonly ask: string };
  "prove-service-unresolved": { readonly title: string; readonly because: Clause };
  "prove-service-says": { readonly title: string; readonly text: string };
  "prove-recorded": { readonly service: string; readonly note: string | undefined };
  "prove-user-confirmed": Nothing;
  "prove-nothing-known": Nothing;
  "prove-already": Nothing;
  "prove-own": Nothing;
  "prove-spreading": Nothing;
  "prove-early": Nothing;
  "prove-ask-again": { readonly because: Clause };
  "prove-absent": Nothing;
}
