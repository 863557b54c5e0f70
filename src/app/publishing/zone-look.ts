import type { Change } from "../../core/change/index.ts";
import type { Clause } from "../../core/clause/index.ts";
import { doesAllOf, isDmarc } from "../../core/dmarc/index.ts";
import { type Lookup, liveAt, ownSetOf } from "../../core/lookup/index.ts";
import { type DomainName, displayName, name } from "../../core/name/index.ts";
import { containsAll, decodeUtf8, isOfType, printData, type RecordSet, sameData, txtValue } from "../../core/record/index.ts";
import { hasTerms, isReordered, isSpf, readSpfRecord, spfIn } from "../../core/spf/index.ts";
import type { Domain, JournalledChange, Workspace } from "../../workspace/index.ts";
import type { AppContext } from "../context.ts";
import { type DnsRequest, openDns } from "../dns/context.ts";
import { draftSource } from "../standing/source.ts";

/** A change as the journal keeps it: the whole sets before and after. */
export const journalled = ({ action, name: of, type, before, after, asks, cacheWindow }: Change): JournalledChange => ({
  action,
  name: of,
  type,
  asks,
  ...(before === undefined ? {} : { before }),
  ...(after === undefined ? {} : { after }),
  ...(cacheWindow === undefined ? {} : { cacheWindow }),
});

const showSet = (set: RecordSet | undefined): string =>
  set === undefined ? "nothing" : set.data.map((data) => printData(set.type, data)).join(", ");

/** Whether two texts are the same, or SPF records that mean the same in another order. */
function sameText(a: string, b: string): boolean {
  if (a === b) return true;
  if (!isSpf(a) || !isSpf(b)) return false;
  const [one, other] = [readSpfRecord(a), readSpfRecord(b)];
  return one.ok && other.ok && isReordered(one.value, other.value);
}

/** Whether two sets are the same, or differ by nothing but an order of SPF terms that means the same. */
export function sameState(a: RecordSet | undefined, b: RecordSet | undefined): boolean {
  if (sameData(a, b)) return true;
  if (a === undefined || b === undefined || !isOfType(a, "TXT") || !isOfType(b, "TXT")) return false;
  const [texts, others] = [a, b].map((set) => set.data.map((data) => decodeUtf8(txtValue(data)))) as [string[], string[]];
  return texts.length === others.length && texts.every((text) => others.some((other) => sameText(text, other)));
}

/** The texts of a TXT set. */
const textsOf = (set: RecordSet | undefined): string[] =>
  set !== undefined && isOfType(set, "TXT") ? set.data.map((data) => decodeUtf8(txtValue(data))) : [];

/** Whether a set does what a text asks for: the text itself, or a record of its kind that does all of it. */
function hasText(now: RecordSet | undefined, text: string): boolean {
  const there = textsOf(now);
  if (isDmarc(text)) return there.filter(isDmarc).length === 1 && there.some((own) => isDmarc(own) && doesAllOf(own, text));
  const [own, wanted] = [now === undefined ? undefined : spfIn(now).only, isSpf(text) ? readSpfRecord(text) : undefined];
  return wanted?.ok === true ? own?.ok === true && hasTerms(own.value, wanted.value) : there.includes(text);
}

/**
 * Whether what a person was asked to enter is there: what was to come is there, what was to go is gone, and a TTL that was to change has
 * changed. What else stands at the name, and how a record is written, is nobody's mistake.
 */
function carriedOut(now: RecordSet | undefined, before: RecordSet | undefined, after: RecordSet | undefined): boolean {
  if (sameData(before, after)) return sameData(now, after) && now !== undefined && after !== undefined && now.ttl <= after.ttl;
  const isSingle = (text: string) => isSpf(text) || isDmarc(text);
  const holds = (set: RecordSet | undefined, data: RecordSet["data"][number]) =>
    set !== undefined && containsAll(set, { ...set, data: [data] });
  const [comes, goes] = [
    (after?.data ?? []).filter((data) => !holds(before, data)),
    (before?.data ?? []).filter((data) => !holds(after, data)),
  ];
  const text = (data: RecordSet["data"][number]) => ("strings" in data ? decodeUtf8(txtValue(data)) : undefined);
  return (
    comes.every((data) => {
      const wanted = text(data);
      return wanted === undefined ? holds(now, data) : hasText(now, wanted);
    }) &&
    goes.every((data) => {
      const old = text(data);
      // The one policy of a name is changed in place: what has come says whether it was.
      return (old !== undefined && isSingle(old) && comes.length > 0) || !holds(now, data);
    })
  );
}

/** Each changed set as it is now, beside what it was and what it was to become. */
export interface Comparison {
  readonly done: number;
  readonly undone: readonly string[];
  readonly other: readonly string[];
  readonly unseen: Clause | undefined;
}

/** Compares a zone with what changes of it were to bring. */
export async function compare(
  changes: readonly JournalledChange[],
  apex: DomainName,
  source: Lookup,
  /** `entered` where a person did it at a form: what the sheet asks for counts, and not the set to the letter. */
  by: "letter" | "entered" = "letter",
): Promise<Comparison> {
  let done = 0;
  const undone: string[] = [];
  const other: string[] = [];
  for (const { name: text, type, before, after } of changes) {
    const of = name(text);
    const live = await liveAt(source, apex, of, type);
    if (live.kind === "failed") return { done, undone, other, unseen: live.answer.detail };
    const now = ownSetOf(live);
    if (by === "entered" ? carriedOut(now, before, after) : sameState(now, after)) done += 1;
    else (sameState(now, before) ? undone : other).push(`${displayName(of)} ${type} is ${showSet(now)}`);
  }
  return { done, undone, other, unseen: undefined };
}

/** The zone as it is at this moment: the memo of the run so far holds what was there before. */
export async function freshly<T>(
  domain: Domain,
  workspace: Workspace,
  request: DnsRequest,
  context: AppContext,
  work: (source: Lookup) => Promise<T>,
): Promise<T | undefined> {
  const dns = openDns(request, context, workspace.settings, [domain.name]);
  try {
    const source = draftSource(domain, await dns.look(domain), dns, workspace);
    return source === undefined ? undefined : await work(source);
  } finally {
    dns.close();
  }
}
