import type { RetiredClauses } from "../../core/clause/index.ts";
import type { WordsOf } from "./words.ts";

export const RETIRED: WordsOf<RetiredClauses> = {
  "retired-newer-version": "a newer version was saved in its place",
  "retired-other-policy": "another takes its place",
  "retired-rebuilt": "it was built again from the addresses of today",
  "retired-by-user": ({ changes }) => `record sets changed: ${changes}`,
};
