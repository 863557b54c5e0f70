import type { Clause } from "../../core/clause/index.ts";

/** The words of some clauses: always the same, or made of what is in the clause; `say` is for clauses inside it. */
export type WordsOf<T> = {
  readonly [C in keyof T]: string | ((params: T[C], say: (inner: Clause | undefined) => string) => string);
};
