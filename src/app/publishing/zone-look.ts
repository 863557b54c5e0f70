import { type Change, isCarriedOut, isSameText } from "../../core/change/index.ts";
import type { Clause } from "../../core/clause/index.ts";
import { type Lookup, liveAt, ownSetOf } from "../../core/lookup/index.ts";
import { type DomainName, displayName, name } from "../../core/name/index.ts";
import { decodeUtf8, isOfType, printData, type RecordSet, sameData, txtValue } from "../../core/record/index.ts";
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

/** Whether two sets are the same, or differ by nothing but how policies, keys and SPF records are written. */
export function sameState(a: RecordSet | undefined, b: RecordSet | undefined): boolean {
  if (sameData(a, b)) return true;
  if (a === undefined || b === undefined || !isOfType(a, "TXT") || !isOfType(b, "TXT")) return false;
  const [texts, others] = [a, b].map((set) => set.data.map((data) => decodeUtf8(txtValue(data)))) as [string[], string[]];
  return texts.length === others.length && texts.every((text) => others.some((other) => isSameText(text, other)));
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
    if (by === "entered" ? isCarriedOut(now, { before, after }) : sameState(now, after)) done += 1;
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
