import type { RelocateClauses } from "../../core/clause/index.ts";
import { allOf } from "../../core/english.ts";
import { displayName } from "../../core/name/index.ts";
import type { WordsOf } from "./words.ts";

const NOT_YET = "the parent zone still names the old name servers";

/** Where a move to other name servers stands, in words. */
export const RELOCATE: WordsOf<RelocateClauses> = {
  "relocate-not-yet": NOT_YET,
  "relocate-not-yet-from": ({ servers }) => `${NOT_YET} (${servers.map(displayName).join(", ")})`,
  "relocate-half": ({ foreign }) =>
    `the parent zone names old and new name servers together: ${allOf(foreign, "is", "are")} not the new host's`,
  "relocate-moved": "the parent zone names the new name servers; caches may still lead to the old ones",
  "relocate-over": "every TTL of the old host has run out",
};
