/**
 * Everything that can end a run early, by its code, with what the sentence about it needs. There is one table of sentences a subject, in
 * `present/failures`; the codes and their types are made of it there.
 */
// biome-ignore lint/suspicious/noEmptyInterface: it is filled by the tables of sentences
export interface Failures {}

export type FailureCode = keyof Failures;

/**
 * Why a run ends: the request or a file is wrong, something is not as it has to be, or it could not be determined.
 * “Could not ask” is never one of the other two. It stands in the table, beside the sentence.
 */
export type FailureKind = "usage" | "problem" | "undetermined";

/** The one exception that is meant for people. Everything else that is thrown is a defect of the program. */
export class Failure<C extends FailureCode = FailureCode> extends Error {
  readonly code: C;
  readonly params: Failures[C];

  constructor(code: C, params: Failures[C]) {
    super(`${code} ${JSON.stringify(params)}`);
    this.name = "Failure";
    this.code = code;
    this.params = params;
  }
}
