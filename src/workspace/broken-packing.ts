import type { Clause } from "../core/clause/index.ts";

/** What is wrong with how a report is packed, where no package says so. */
export class BrokenPacking extends Error {
  readonly because: Clause;

  constructor(because: Clause) {
    super(because.clause);
    this.because = because;
  }
}
