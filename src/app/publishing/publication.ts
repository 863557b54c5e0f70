import type { Change, Draft } from "../../core/change/index.ts";
import { Failure } from "../../core/failure.ts";
import { type Live, type Lookup, liveAt, ownSetOf } from "../../core/lookup/index.ts";
import { type DomainName, displayName, name } from "../../core/name/index.ts";
import { printData, type RecordSet, sameData } from "../../core/record/index.ts";
import { type CacheWindow, cacheWindowOf } from "../../core/spread/index.ts";
import type { Domain, Journal, JournalledChange, Publication, PublicationEnd, Workspace } from "../../workspace/index.ts";
import { draftSource } from "../asks/survey.ts";
import type { AppContext } from "../context.ts";
import { type DnsContext, type DnsRequest, openDns } from "../dns/context.ts";
import type { Publisher, PublishOutcome } from "./publishers.ts";

/** What carrying something out needs beside the changes. */
export interface ApplyOptions {
  readonly workspace: Workspace;
  readonly journal: Journal;
  readonly request: DnsRequest;
  readonly context: AppContext;
  /** The publication that is taken back. */
  readonly undoes?: number;
  /** Domains that were published before this one in the same run, for the message when this one fails. */
  readonly alreadyDone?: string;
}

/** A change as the journal keeps it: the whole sets before and after. */
const journalled = ({ action, name: of, type, before, after, asks, cacheWindow }: Change): JournalledChange => ({
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

/** What stands at each changed set now, beside what stood there and what was to stand there. */
interface Comparison {
  readonly done: number;
  readonly undone: readonly string[];
  readonly other: readonly string[];
  readonly unseen: string | undefined;
}

async function compare(changes: readonly JournalledChange[], apex: DomainName, source: Lookup): Promise<Comparison> {
  let done = 0;
  const undone: string[] = [];
  const other: string[] = [];
  for (const { name: text, type, before, after } of changes) {
    const of = name(text);
    const live = await liveAt(source, apex, of, type);
    if (live.kind === "failed") return { done, undone, other, unseen: live.answer.detail };
    const now = ownSetOf(live);
    if (sameData(now, after)) done += 1;
    else (sameData(now, before) ? undone : other).push(`${displayName(of)} ${type} is ${showSet(now)}`);
  }
  return { done, undone, other, unseen: undefined };
}

/** The zone as it is at this moment: the memo of the run so far holds what was there before. */
async function freshly<T>(
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

/**
 * Carries changes out, journalled before the wire sees them and closed after; looks afterwards whether the
 * zone really says so. A process that is killed in between leaves an open entry, which
 * {@link settleInterrupted} resolves. Everything but success ends in a sentence that says what was done.
 */
export async function publishChanges(
  domain: Domain,
  changes: readonly Change[],
  publisher: Publisher,
  { journal, workspace, request, context, undoes, alreadyDone }: ApplyOptions,
): Promise<Extract<PublishOutcome, { kind: "published" | "by-hand" }>> {
  const _own = displayName(domain.name);
  const _before = alreadyDone === undefined ? "" : ` (${alreadyDone} was published before this)`;
  const opened = journal.append(context.clock.now(), domain.name, {
    kind: "publication-opened",
    way: publisher.way,
    to: publisher.to,
    changes: changes.map(journalled),
    ...(undoes === undefined ? {} : { undoes }),
  });
  const close = (end: PublicationEnd, because: string) =>
    journal.append(context.clock.now(), domain.name, { kind: "publication-closed", opened, end, because });
  const outcome = await publisher.apply(changes);
  switch (outcome.kind) {
    case "by-hand":
      // It stays open until the zone shows what was entered.
      return outcome;
    case "published": {
      const seen = await freshly(domain, workspace, request, context, (source) =>
        compare(changes.map(journalled), domain.name, source),
      );
      if (seen !== undefined && seen.unseen === undefined && seen.done < changes.length) {
        const wrong = [...seen.undone, ...seen.other].join("; ");
        close("unknown", `accepted, but the zone shows otherwise: ${wrong}`);
        throw new Failure(
          "accepted-not-shown",
          {
            to: publisher.to,
            domain: domain.name,
            done: seen.done,
            of: changes.length,
            differences: [...seen.undone, ...seen.other],
            before: alreadyDone,
          },
          "problem",
        );
      }
      close("published", outcome.because);
      return outcome;
    }
    case "moved": {
      close("not-published", outcome.because);
      const seen = await freshly(domain, workspace, request, context, (source) =>
        compare(changes.map(journalled), domain.name, source),
      );
      const moved = seen === undefined || seen.other.length === 0 ? outcome.because : seen.other.join("; ");
      throw new Failure("zone-changed", { domain: domain.name, because: moved, before: alreadyDone }, "problem");
    }
    case "unknown":
      // It stays open, so that the next status looks at the zone.
      throw new Failure(
        "publication-unknown",
        { domain: domain.name, because: outcome.because, remedy: outcome.remedy, before: alreadyDone },
        "undetermined",
      );
    case "not-published":
      close("not-published", outcome.because);
      throw new Failure(
        "publication-failed",
        { domain: domain.name, because: outcome.because, remedy: outcome.remedy, before: alreadyDone },
        "undetermined",
      );
  }
}

/**
 * Resolves publications that are still open (a killed process, an answer that never came, records entered by
 * hand) by looking at the zone, and says in one sentence each what became of them. Those of a process that
 * still runs are left alone.
 */
export async function settleInterrupted(
  domain: Domain,
  dns: DnsContext,
  workspace: Workspace,
  journal: Journal,
): Promise<string[]> {
  const open = journal
    .publications(domain.name)
    .filter(({ opened, closed, running }) => closed === undefined && (!running || opened.way === "by-hand"));
  if (open.length === 0) return [];
  const source = draftSource(domain, await dns.look(domain), dns, workspace);
  const said: string[] = [];
  for (const { opened } of open) {
    const byHand = opened.way === "by-hand";
    const what = byHand ? `the records for ${opened.to}` : `a publication to ${opened.to} broke off`;
    const seen = source === undefined ? undefined : await compare(opened.changes, domain.name, source);
    if (seen === undefined || seen.unseen !== undefined) {
      said.push(`${what}: ${seen?.unseen ?? "the zone could not be looked at"}; run zandrel status again`);
      continue;
    }
    const all = seen.done === opened.changes.length;
    // What is entered by hand comes when it comes; a newer sheet for the same domain takes its place.
    if (byHand && !all && open.at(-1)?.opened.id === opened.id) {
      if (seen.done > 0)
        said.push(`${what}: ${seen.done} of ${opened.changes.length} are there; zandrel publish --check shows what is left`);
      continue;
    }
    const end: PublicationEnd = all ? "published" : seen.done === 0 && seen.other.length === 0 ? "not-published" : "unknown";
    const because = all
      ? "the zone has all of it"
      : end === "not-published"
        ? "the zone has none of it"
        : `the zone has ${seen.done} of its ${opened.changes.length} changes; ${[...seen.undone, ...seen.other].join("; ")}`;
    journal.append(dns.now, domain.name, { kind: "publication-closed", opened: opened.id, end, because });
    said.push(`${what}; ${because}${all ? "" : `; zandrel draft ${displayName(domain.name)} shows what is left`}`);
  }
  return said;
}

/** The newest publication that can be taken back: carried out, and not taken back already. */
export function undoable(publications: readonly Publication[]): Publication | undefined {
  const undone = new Set(publications.filter(({ closed }) => closed?.end === "published").map(({ opened }) => opened.undoes));
  return publications.findLast(
    ({ opened, closed }) => closed?.end === "published" && opened.undoes === undefined && !undone.has(opened.id),
  );
}

/** The changes that restore exactly the sets a publication found; refuses where somebody changed them since. */
export async function reverse({ opened }: Publication, apex: DomainName, source: Lookup): Promise<Change[]> {
  const changes: Change[] = [];
  for (const { name: text, type, before, after, asks } of opened.changes) {
    const of = name(text);
    const live: Live = await liveAt(source, apex, of, type);
    if (live.kind === "failed") throw new Failure("undo-unseen", { because: live.answer.detail }, "undetermined");
    const now = ownSetOf(live);
    if (!sameData(now, after)) throw new Failure("undo-changed", { name: of, type, published: after, now }, "problem");
    const cacheWindow: CacheWindow | undefined = cacheWindowOf(live);
    changes.push({
      action: before === undefined ? "remove" : after === undefined ? "add" : "replace",
      name: of,
      type,
      before: now,
      after: before,
      because: "it is as it was before",
      asks,
      ...(cacheWindow === undefined ? {} : { cacheWindow }),
    });
  }
  return changes;
}

/** Refuses to publish a draft that is not clean. */
export function expectPublishable({ domain, clashes, undetermined }: Draft): void {
  const [unknown] = undetermined;
  if (unknown !== undefined) throw new Failure("publish-unseen", { because: unknown.because }, "undetermined");
  const [clash] = clashes;
  if (clash !== undefined) throw new Failure("publish-clash", { domain, because: clash.because }, "problem");
}
