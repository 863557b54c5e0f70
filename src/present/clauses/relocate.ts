import type { RelocateClauses } from "../../core/clause/index.ts";
import { displayName } from "../../core/name/index.ts";
import { allOf } from "../english.ts";
import type { WordsOf } from "./words.ts";

const NOT_YET = "the parent zone still names the old name servers";

/** Where a move to other name servers stands, in words. */
export const RELOCATE: WordsOf<RelocateClauses> = {
  "capture-walked": "the domain is signed, and its own list of names (NSEC) was followed to the end, so that no name is missing",
  "capture-asked": ({ refusal, questions, exported }, say) =>
    `${say(refusal)}; ${questions} questions were asked about the usual names${exported ? ", those of the export" : ""} and those known from asks, journal and reports, so records at other names are not in it: compare it with the list in the old host's form`,
  "capture-transferred": ({ from }) => {
    if (from === undefined) return "the server handed out the whole zone";
    const older = from.newest === undefined ? "" : `; it is not the newest version, which is ${from.newest}`;
    return `the server handed out the whole zone (${from.server} has version ${from.serial ?? "unknown"}${older})`;
  },
  "capture-nobody-asked": ({ domain }) => `nobody could be asked for the whole of ${displayName(domain)}`,
  "capture-title": ({ domain, at }) => `${displayName(domain)}, captured ${new Date(at).toISOString()}`,
  "capture-own-records": "The new host brings its own SOA and NS records; they are left out here.",
  "relocate-not-yet": NOT_YET,
  "relocate-not-yet-from": ({ servers }) => `${NOT_YET} (${servers.map(displayName).join(", ")})`,
  "relocate-half": ({ foreign }) =>
    `the parent zone names old and new name servers together: ${allOf(foreign, "is", "are")} not the new host's`,
  "relocate-moved": "the parent zone names the new name servers; caches may still lead to the old ones",
  "relocate-over": "every TTL of the old host has run out",
};
