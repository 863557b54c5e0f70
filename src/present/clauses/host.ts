import type { HostClauses } from "../../core/clause/index.ts";
import type { WordsOf } from "./words.ts";

/** How a DNS host can be published at, in words. */
export const HOST: WordsOf<HostClauses> = {
  "host-takes-updates": "its server takes signed updates (RFC 2136); ask the host for a TSIG key",
  "host-takes-no-updates": "its server takes no updates",
  "host-hands-out-zone": "it hands out the whole zone, which makes a move to another host complete",
  "host-by-sheet": "its form is filled in from a sheet that Zandrel writes",
  "host-takes-approvals": ({ title, ways }) =>
    `${title} takes approvals (${ways.map((way) => `by a ${way}`).join(" and ")}): approve once in the browser, and nothing is copied`,
};
