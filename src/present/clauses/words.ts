import type { Clause, Nothing } from "../../core/clause/index.ts";

/** Says a clause that is inside another one. */
type Say = (inner: Clause | undefined) => string;

/** The words of clauses by their codes: always the same, or made of what the clause has with it. */
export type Words = Readonly<Record<string, string | ((params: never, say: Say) => string)>>;

/** What the words of each clause need. */
export type ParamsOf<T> = {
  readonly [C in keyof T]: T[C] extends (params: infer P, ...others: never[]) => string ? P : Nothing;
};
