import type { Lookup } from "../lookup/index.ts";
import { parseName } from "../name/index.ts";
import { isOfType, joined, textOf } from "../record/index.ts";
import { asksDns, isSpf, parseSpf, type SpfRecord, type Term } from "./parse.ts";

const sameTerm = (a: Term, b: Term): boolean => {
  const plain = (term: Term) => term.text.toLowerCase().replace(/^\+/, "").replace(/\.$/, "");
  return plain(a) === plain(b);
};

const isAll = (term: Term): boolean => term.kind === "mechanism" && term.name === "all";

/** Whether a record has every term of another, `all` and modifiers aside: what a service asked for is in it. */
export const hasTerms = (record: SpfRecord, wanted: SpfRecord): boolean =>
  wanted.terms.every((term) => isAll(term) || term.kind === "modifier" || record.terms.some((own) => sameTerm(own, term)));

/**
 * One record with the terms of both: order and qualifiers kept, new terms in front of `all` or `redirect`,
 * duplicates dropped, and the `all` of the record that is there never changed. Without a record to start from,
 * it ends in `~all`.
 */
export function combine(existing: SpfRecord | undefined, wanted: readonly SpfRecord[]): string {
  const own = existing?.terms ?? [];
  const fresh: Term[] = [];
  for (const record of wanted)
    for (const term of record.terms)
      if (!isAll(term) && term.kind === "mechanism" && ![...own, ...fresh].some((other) => sameTerm(other, term)))
        fresh.push(term);
  const endAt = own.findIndex((term) => isAll(term) || (term.kind === "modifier" && term.name === "redirect"));
  const before = endAt === -1 ? own : own.slice(0, endAt);
  const after = endAt === -1 ? [] : own.slice(endAt);
  const words = [...before, ...fresh, ...after].map((term) => term.text);
  if (existing === undefined) words.push("~all");
  return ["v=spf1", ...words].join(" ");
}

/** How many terms of a whole evaluation would ask the DNS, and what could not be counted. */
export interface SpfCost {
  readonly lookups: number;
  /** Names whose record could not be asked or read; they may hide more lookups. */
  readonly uncounted: readonly string[];
  /** Cost of each term of the record itself that asks the DNS, dearest first. */
  readonly terms: readonly { readonly text: string; readonly lookups: number }[];
}

/** Far beyond the limit nothing more is learnt by counting on. */
const STOP_COUNTING = 60;

/**
 * Counts the lookups of a record the way receivers do, through every include and redirect (RFC 7208 section
 * 4.6.4). Names with macros count once, because what they lead to depends on the message.
 */
export async function spfCost(record: SpfRecord, lookup: Lookup): Promise<SpfCost> {
  const uncounted: string[] = [];
  let left = STOP_COUNTING;
  const costOf = async (one: SpfRecord, path: readonly string[]): Promise<{ text: string; lookups: number }[]> => {
    const costs: { text: string; lookups: number }[] = [];
    const hasAll = one.terms.some(isAll);
    for (const term of one.terms) {
      if (!asksDns(term) || (term.kind === "modifier" && hasAll) || left <= 0) continue;
      left -= 1;
      let lookups = 1;
      const target = term.kind === "modifier" ? term.value : term.name === "include" ? term.domain : undefined;
      if (target !== undefined && !target.includes("%")) {
        const nested = path.includes(target.toLowerCase()) ? undefined : await spfAt(target, lookup);
        if (nested === undefined) uncounted.push(target);
        else lookups += (await costOf(nested, [...path, target.toLowerCase()])).reduce((sum, cost) => sum + cost.lookups, 0);
      }
      costs.push({ text: term.text, lookups });
    }
    return costs;
  };
  const terms = (await costOf(record, [])).sort((a, b) => b.lookups - a.lookups);
  return { lookups: terms.reduce((sum, term) => sum + term.lookups, 0), uncounted, terms };
}

async function spfAt(domain: string, lookup: Lookup): Promise<SpfRecord | undefined> {
  const name = parseName(domain);
  const answer = name.ok ? await lookup.ask(name.value, "TXT") : undefined;
  if (answer?.kind !== "found" || !isOfType(answer.set, "TXT")) return undefined;
  const [text, ...more] = answer.set.data.map((data) => textOf(joined(data))).filter(isSpf);
  const parsed = text === undefined || more.length > 0 ? undefined : parseSpf(text);
  return parsed?.ok ? parsed.value : undefined;
}
