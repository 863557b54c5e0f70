import type { SweepClauses } from "../../core/clause/index.ts";
import type { WordsOf } from "./words.ts";

export const SWEEP: WordsOf<SweepClauses> = {
  "sweep-workers-lost": ({ workers }) => `${workers} workers were lost while they looked at it`,
};
