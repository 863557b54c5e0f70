import type { ReportClauses } from "../../core/clause/index.ts";
import { displayName } from "../../core/name/index.ts";
import type { WordsOf } from "./words.ts";

const dayOf = (seconds: number): string => new Date(Math.min(seconds, 8e12) * 1000).toISOString().slice(0, 10);

export const REPORT: WordsOf<ReportClauses> = {
  "report-doctype": "it declares a document type, and reports have none",
  "report-no-server": "a row names no sending server",
  "report-no-from": "a row names no From domain",
  "report-empty": "it is empty",
  "report-no-domain": "it does not say which domain it is about",
  "report-no-receiver": "it does not say who reports, or under which number",
  "report-no-time": "it does not say which time it is about",
  "report-cut": "it ends before its XML does",
  "report-not-xml": ({ message }) => `it is not well-formed XML: ${message}`,
  "report-too-long": ({ most }) => `it is longer than ${most} MiB when it is unpacked`,
  "report-long-piece": ({ most }) => `an element in it is longer than ${most} MiB`,
  "report-long-element": ({ element, most }) => `the element “${element}” is longer than ${most} characters`,
  "report-begins-otherwise": ({ element }) => `it begins with “${element}” and not with “feedback”`,
  "report-too-deep": ({ most }) => `its elements are nested more than ${most} deep`,
  "report-too-many-rows": ({ most }) => `it has more than ${most} rows`,
  "report-long-list": ({ what, most }) => `a row has more than ${most} ${what}`,
  "report-bad-address": ({ address }) => `“${address}” is not an address`,
  "report-bad-count": ({ count }) => `a row has the count “${count}”, which is not a number of messages`,
  "report-impossible-time": ({ begin, end }) => `it is about ${dayOf(begin)} to ${dayOf(end)}, which cannot be`,
  "report-other-domain": ({ domain }) => `it is about ${displayName(domain)}, which is not a domain of this workspace`,
  "report-other-sender": ({ says, mailedBy }) =>
    `it says it is from ${displayName(says)}, and was mailed by ${displayName(mailedBy)}`,
  "report-not-unpacked": ({ why }, say) => `it cannot be unpacked: ${say(why)}`,
};
