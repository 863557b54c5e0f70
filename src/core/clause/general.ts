import type { Nothing } from "./nothing.ts";

/** Clauses of no area. */
export interface GeneralClauses {
  /** There is nothing to say, or to do. */
  nothing: Nothing;
  /** What somebody else said, as it is: a server, a service, the system. */
  verbatim: { readonly text: string };
}
