import type { KitClauses } from "../../core/clause/index.ts";
import type { WordsOf } from "./words.ts";

export const KIT: WordsOf<KitClauses> = {
  "kit-line": ({ line, found, expected }, say) => `line ${line}: found “${found}”, expected ${say(expected)}`,
  "kit-spf-terms": ({ message }, say) => `its SPF terms: ${say(message)}`,
};
