import type { Clause } from "../clause/index.ts";
import { clause } from "../clause/index.ts";
import type { Lookup } from "../lookup/index.ts";
import { isCovered, type Network, networkOf } from "./networks.ts";
import { readSpfRecord, type SpfRecord, type Term } from "./parse.ts";
import { isAll, isRedirect, type SpfTree, spfTree } from "./tree.ts";
import { branchesOf, treeLookups } from "./tree-outcome.ts";

const plainTerm = (term: Term): string => term.text.toLowerCase().replace(/^\+/, "").replace(/\.$/, "");
const sameTerm = (a: Term, b: Term): boolean => plainTerm(a) === plainTerm(b);

/** The terms of a record as far as receivers read: a mechanism behind `all` does nothing (RFC 7208 section 5.1). */
function effective({ terms }: SpfRecord): readonly Term[] {
  const end = terms.findIndex(isAll);
  return terms.filter((term, i) => end === -1 || i <= end || term.kind === "modifier");
}

/**
 * A record in one of the orders that mean the same: the first match decides (RFC 7208 section 4.6.2), so mechanisms may only change
 * places within a row of one qualifier in front of `all`; modifiers may stand anywhere (section 6).
 */
function ordered({ terms }: SpfRecord): string {
  const rows: { readonly of: string; readonly texts: string[] }[] = [];
  const modifiers: string[] = [];
  for (const term of terms) {
    const text = plainTerm(term);
    if (term.kind === "modifier") modifiers.push(text);
    else {
      const of = isAll(term) ? "all" : term.qualifier;
      if (rows.at(-1)?.of !== of) rows.push({ of, texts: [] });
      rows.at(-1)?.texts.push(text);
    }
  }
  return [...rows.map(({ texts }) => texts.sort().join(" ")), ...modifiers.sort()].join("\n");
}

/** Whether two records have the same terms and mean the same: those who merge terms in may put them in another order. */
export const isReordered = (a: SpfRecord, b: SpfRecord): boolean => ordered(a) === ordered(b);

/** Whether a record has every term of another, `all` and modifiers aside: what a service asked for is in it. */
export const hasTerms = (record: SpfRecord, wanted: SpfRecord): boolean =>
  wanted.terms.every((term) => isAll(term) || term.kind === "modifier" || effective(record).some((own) => sameTerm(own, term)));

/** Whether a record has any term of another. */
export const hasAnyTerm = (record: SpfRecord, others: SpfRecord): boolean =>
  others.terms.some((term) => effective(record).some((own) => sameTerm(own, term)));

/** What a record says of everybody it does not name: 2 it keeps them out, 1 it says nothing, 0 it lets them in. */
function guarding(record: SpfRecord): number {
  const terms = effective(record);
  const end = terms.find(isAll);
  if (end?.kind === "mechanism") return end.qualifier === "+" ? 0 : end.qualifier === "?" ? 1 : 2;
  // What a redirect leads to says it (RFC 7208 section 6.1).
  return terms.some(isRedirect) ? 2 : 1;
}

/** Whether a record keeps others out less than another did, by its `all`; “-” and “~” are alike where DMARC decides. */
export const guardsLess = (now: SpfRecord, was: SpfRecord): boolean => guarding(now) < guarding(was);

/** A record that ends in the `all` or `redirect` of another. */
export function endingAs(record: SpfRecord, other: SpfRecord): SpfRecord {
  const isEnd = (term: Term) => isAll(term) || isRedirect(term);
  const terms = [...effective(record).filter((term) => !isEnd(term)), ...effective(other).filter(isEnd)];
  const read = readSpfRecord(["v=spf1", ...terms.map(({ text }) => text)].join(" "));
  if (!read.ok) throw new Error("terms that could be read cannot be read in front of another end");
  return read.value;
}

/** A record without the terms of others; what is left keeps its order. */
export function withoutTerms({ terms }: SpfRecord, others: readonly SpfRecord[]): SpfRecord {
  const gone = others.flatMap((spfRecord) => spfRecord.terms);
  const left = terms.filter((term) => !gone.some((other) => sameTerm(other, term)));
  const read = readSpfRecord(["v=spf1", ...left.map((term) => term.text)].join(" "));
  if (!read.ok) throw new Error("terms that could be read cannot be read without some of them");
  return read.value;
}

/**
 * One record with the terms of both: order and qualifiers kept, new terms in front of `all` or `redirect`,
 * duplicates dropped, and the `all` of the record that is there never changed. Without a record to start from,
 * it ends in `~all`.
 */
export function combine(existing: SpfRecord | undefined, wanted: readonly SpfRecord[]): string {
  // What is behind “all” does nothing there: it is left out, and comes in front where it is wanted.
  const own = existing === undefined ? [] : effective(existing);
  const fresh: Term[] = [];
  for (const record of wanted)
    for (const term of record.terms)
      if (!isAll(term) && term.kind === "mechanism" && ![...own, ...fresh].some((other) => sameTerm(other, term)))
        fresh.push(term);
  const endAt = own.findIndex((term) => isAll(term) || isRedirect(term));
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
  /** Cost of each term of the record itself that asks the DNS, costliest first. */
  readonly terms: readonly { readonly text: string; readonly lookups: number }[];
}

/**
 * Counts the lookups of a record the way receivers do, through every include and redirect (RFC 7208 section
 * 4.6.4). Names with macros count once, because what they lead to depends on the message.
 */
export async function spfCost(record: SpfRecord, lookup: Lookup): Promise<SpfCost> {
  const tree = await spfTree(record, "", lookup, { addresses: false });
  const uncounted = [...branchesOf(tree)].flatMap(({ branch: { below } }) =>
    below?.problem === undefined ? [] : [below.domain],
  );
  const terms = tree.branches
    .filter((branch) => branch.lookups > 0)
    .map(({ term, lookups }) => ({ text: term.text, lookups }))
    .sort((a, b) => b.lookups - a.lookups);
  return { lookups: treeLookups(tree), uncounted, terms };
}

/** A record made of several, and what became of each term. */
export interface Combined {
  readonly text: string;
  readonly before: SpfTree | undefined;
  readonly after: SpfTree;
  readonly added: readonly string[];
  readonly dropped: readonly { readonly text: string; readonly because: Clause }[];
}

/** Addresses a term stands for by itself. */
const ownNetworks = (term: Term): Network[] =>
  term.kind === "mechanism" && term.address !== undefined ? [networkOf(term.address, term.prefix4 ?? term.prefix6)] : [];

/**
 * Like {@link combine}, but looks at what the terms stand for: a term that stands twice, or whose addresses the
 * terms in front of it let in already, is left out. `all` is never weakened, order and qualifiers are kept.
 */
export async function combineThoroughly(
  existing: SpfRecord | undefined,
  wanted: readonly SpfRecord[],
  domain: string,
  lookup: Lookup,
): Promise<Combined> {
  const options = { addresses: true };
  const before = existing === undefined ? undefined : await spfTree(existing, domain, lookup, options);
  const merged = readSpfRecord(combine(existing, wanted));
  if (!merged.ok) throw new Error(`two good records make a bad one: ${merged.error[0]?.text}`);
  const tree = await spfTree(merged.value, domain, lookup, options);
  const dropped: { text: string; because: Clause }[] = [];
  const kept = tree.branches.filter((branch, i) => {
    const { term, ineffective } = branch;
    const twice = tree.branches.slice(0, i).some((other) => sameTerm(other.term, term));
    const includes = tree.branches.filter(
      (other) =>
        other !== branch && other.term.kind === "mechanism" && other.term.name === "include" && other.term.qualifier === "+",
    );
    const by = ownNetworks(term).length === 0 ? undefined : includes.find((other) => isCovered(branch.networks, other.networks));
    const because =
      twice || ineffective?.kind === "duplicate"
        ? clause("spf-twice")
        : ineffective?.kind === "shadowed"
          ? ineffective.because
          : by !== undefined && term.kind === "mechanism" && term.qualifier === "+"
            ? clause("spf-let-in-already", { text: by.term.text })
            : undefined;
    if (because !== undefined) dropped.push({ text: term.text, because });
    return because === undefined;
  });
  const text = ["v=spf1", ...kept.map((branch) => branch.term.text)].join(" ");
  const final = readSpfRecord(text);
  if (!final.ok) throw new Error(`a shorter record is a bad one: ${final.error[0]?.text}`);
  return {
    text,
    before,
    after: await spfTree(final.value, domain, lookup, options),
    added: kept.map((branch) => branch.term.text).filter((candidate) => !existing?.terms.some((own) => own.text === candidate)),
    dropped,
  };
}
