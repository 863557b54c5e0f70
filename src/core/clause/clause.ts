/** What a clause needs that is always the same. */
export type Nothing = Readonly<Record<never, never>>;

/**
 * Every clause by its code, with what its words need. There is one table of words a subject, in `present/clauses`; the codes and
 * their types are made of it there, so that nothing is listed twice.
 */
// biome-ignore lint/suspicious/noEmptyInterface: it is filled by the tables of words
export interface Clauses {}

/** A part of a sentence that people read, without a full stop; `clause` is its code, and what its words need stands beside it. */
export interface Clause {
  readonly clause: keyof Clauses;
}

/** Says something by its code. */
export const clause = <C extends keyof Clauses>(
  code: C,
  ...params: Clauses[C] extends Nothing ? (Nothing extends Clauses[C] ? [] : [Clauses[C]]) : [Clauses[C]]
): Clause => ({ clause: code, ...params[0] }) as Clause;

/** That there is nothing to say, or to do. */
export const NOTHING: Clause = clause("nothing");

/** What somebody else said, as it is. */
export const verbatim = (text: string): Clause => clause("verbatim", { text });
