import type { SheetClauses } from "../../core/clause/index.ts";
import { displayName, withoutRootDot } from "../../core/name/index.ts";
import { listOf } from "../english.ts";
import type { WordsOf } from "./words.ts";

export const SHEET: WordsOf<SheetClauses> = {
  "sheet-lost": ({ type, name, data }) =>
    `the ${type} record of ${displayName(name)} was deleted, and is still needed: ${listOf(data)}`,
  "sheet-lost-mend": ({ domain }) =>
    `enter it again as it was; or, if it was meant to go, run zandrel publish ${withoutRootDot(domain)} --check --meant`,
  "sheet-pieces": ({ pieces }) => `one record in ${pieces} quoted pieces, separated by spaces`,
  "sheet-not-offered": ({ type }) => `the form does not offer ${type} records: ask the DNS host's support to enter it`,
  "sheet-leave-others": ({ type, others }) =>
    `leave the other ${type} ${others === 1 ? "record" : "records"} at this host as ${others === 1 ? "it is" : "they are"}`,
  "sheet-notes": ({ notes }, say) => notes.map(say).join("; "),
  "sheet-only-ttl": ({ was, is }) => `only the TTL changes, from ${was} to ${is} seconds`,
};
