import type { BulkClauses } from "../../core/clause/index.ts";
import type { WordsOf } from "./words.ts";

export const BULK: WordsOf<BulkClauses> = {
  "bulk-from-is": ({ address }) => `From is ${address}`,
  "bulk-from-names": ({ addresses, fields }) => `From names ${addresses} addresses in ${fields} fields, and must name one in one`,
};
