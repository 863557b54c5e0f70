import { GLOSSARY, type Term } from "./glossary.ts";
import type { Layout } from "./layout.ts";
import { wrap } from "./lines.ts";

/** Terms that a marketer cannot be expected to know, and how they stand in a text. */
const HARD: readonly (readonly [term: string, seen: RegExp])[] = [
  ["TTL", /\bTTLs?\b/],
  ["apex", /\bapex\b/i],
  ["selector", /\bselectors?\b/i],
  ["SOA record", /\bSOA\b/],
  ["serial", /\bserial\b/i],
  ["alignment", /\balign(?:ed|ment|s)?\b/i],
  ["CNAME record", /\bCNAME\b/],
  ["MX record", /\bMX\b/],
  ["TXT record", /\bTXT\b/],
  ["CAA record", /\bCAA\b/],
  ["SPF", /\bSPF\b/],
  ["DKIM", /\bDKIM\b/],
  ["DMARC", /\bDMARC\b/],
  ["ARC", /\bARC\b/],
  ["BIMI", /\bBIMI\b/],
  ["HELO", /\bHELO\b/],
  ["TSIG key", /\bTSIG\b/],
  ["DNSSEC", /\bDNSSEC\b/],
  ["wildcard", /\bwildcards?\b/i],
  ["lookup limit", /\blookups?\b/i],
  ["null MX", /\bnull MX\b/],
];

const byName = new Map(GLOSSARY.map((one) => [one.term, one]));

/** The hard terms of a text, in the order in which they first appear. */
export function hardTermsIn(text: string): Term[] {
  return HARD.map(([term, seen]) => ({ term: byName.get(term) as Term, at: text.search(seen) }))
    .filter(({ at }) => at !== -1)
    .sort((a, b) => a.at - b.at)
    .map(({ term }) => term);
}

/** Whether a text explains a term itself: its few words stand somewhere in it. */
const isExplained = (text: string, { short }: Term): boolean => text.replace(/\s+/g, " ").includes(short);

/** What a text leaves unexplained: each hard term with its few words, for the line below it; empty where all is said. */
export function legendOf(text: string): string {
  const open = hardTermsIn(text).filter((term) => !isExplained(text, term));
  return open.map(({ term, short }) => `${term.replace(/ record$/, "")}: ${short}`).join("; ");
}

/** A text with the few words for every hard term below it. */
export function withLegend(text: string, { style, width }: Layout): string {
  const legend = legendOf(text.replace(/\x1b\[[0-9;]*m/g, ""));
  return legend === "" ? text : `${text}${style.quiet(wrap(`${legend}. More: zandrel words`, width))}\n`;
}
