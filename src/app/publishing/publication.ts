import type { Change, Draft } from "../../core/change/index.ts";
import { type Clause, clause, verbatim } from "../../core/clause/index.ts";
import { DAY_MS } from "../../core/day.ts";
import { distinct } from "../../core/distinct.ts";
import { Failure } from "../../core/failure.ts";
import { type Live, type Lookup, liveAt, memoized, ownSetOf, zoneLookup } from "../../core/lookup/index.ts";
import { type DomainName, name } from "../../core/name/index.ts";
import { type RecordSet, sameData } from "../../core/record/index.ts";
import { type CacheWindow, cacheWindowOf } from "../../core/spread/index.ts";
import { zonesOf } from "../../core/zone/index.ts";
import type { Domain, Journal, JournalledChange, Publication, PublicationEnd, Workspace } from "../../workspace/index.ts";
import type { AppContext } from "../context.ts";
import { type DnsContext, type DnsRequest, hostServer, readZoneFile } from "../dns/context.ts";
import { standingBeside } from "../standing/losses.ts";
import { hasSheet, openSheet } from "../standing/sheets.ts";
import { draftSource } from "../standing/source.ts";
import type { ApprovalOptions, Publisher, PublishOutcome } from "./ways.ts";
import { type Comparison, compare, freshly, journalled, sameState } from "./zone-look.ts";

/** What carrying something out needs beside the changes. */
export interface ApplyOptions {
  readonly workspace: Workspace;
  readonly journal: Journal;
  readonly request: DnsRequest & ApprovalOptions;
  readonly context: AppContext;
  /** The publication that is taken back. */
  readonly undoes?: number;
  /** Domains that were published before this one in the same run, for the message when this one fails. */
  readonly alreadyDone?: string;
}

/** Whether an open sheet already asks a person for each of these changes. */
const saysAll = (sheet: Publication | undefined, to: string, changes: readonly Change[]): boolean =>
  sheet?.opened.to === to &&
  changes.every(({ name: of, type, after }) =>
    sheet.opened.changes.some(
      (change) => change.name === of && change.type === type && change.after?.ttl === after?.ttl && sameData(change.after, after),
    ),
  );

/**
 * What is beside some changes, looked at afresh; undefined where it cannot be seen, or is in a file that takes the place of the DNS host
 * and says nothing about what is served.
 */
async function besideOf(
  domain: Domain,
  changes: readonly Change[],
  journal: Journal,
  workspace: Workspace,
  request: DnsRequest,
  context: AppContext,
): Promise<readonly RecordSet[] | undefined> {
  const now = context.clock.now();
  if (request.into !== undefined) return undefined;
  return freshly(domain, workspace, request, context, (source) => standingBeside(domain, changes, source, journal, now));
}

/** The pauses between the looks at a zone whose changes were accepted (milliseconds): some servers sign it first, or pass it to others. */
const UNTIL_SHOWN = [250, 500, 1000, 2000, 4000, 8000];

/** What the zone shows of changes that were accepted; one that shows none or part of them is looked at again for a while. */
async function shown(
  domain: Domain,
  changes: readonly Change[],
  publisher: Publisher,
  { workspace, request, context }: ApplyOptions,
): Promise<Comparison | undefined> {
  const look = () =>
    freshly(domain, workspace, request, context, (source) => compare(changes.map(journalled), domain.name, source));
  let seen = await look();
  // A file shows at once what is in it.
  for (const pause of publisher.where.file === undefined ? UNTIL_SHOWN : []) {
    if (seen === undefined || seen.done === changes.length) break;
    if (pause === UNTIL_SHOWN[0]) await context.progress(clause("told-not-shown-yet", { to: publisher.to }));
    await context.clock.sleep(pause);
    seen = await look();
  }
  return seen;
}

/**
 * Carries changes out, journalled before the wire sees them and closed after; looks afterwards whether the
 * zone really says so. A process that is killed in between leaves an open entry, which
 * {@link settleInterrupted} resolves. Everything but success ends in a sentence that says what was done.
 */
export async function publishChanges(
  domain: Domain,
  drafted: readonly Change[],
  publisher: Publisher,
  how: ApplyOptions,
): Promise<Extract<PublishOutcome, { kind: "published" | "by-hand" }>> {
  const { journal, workspace, request, context, undoes, alreadyDone } = how;
  const changes = (await publisher.prepare?.(drafted)) ?? drafted;
  // A sheet that says all of it already stays the sheet: what stood beside it then is not forgotten.
  if (hasSheet(publisher) && undoes === undefined && saysAll(openSheet(journal, domain.name), publisher.to, changes)) {
    const again = await publisher.apply(changes);
    if (again.kind === "by-hand") return again;
    // What a host was asked again and did closes with the next look.
    if (again.kind === "published") return again;
  }
  const beside = await besideOf(domain, changes, journal, workspace, request, context);
  const opened = journal.append(context.clock.now(), domain.name, {
    kind: "publication-opened",
    way: publisher.way,
    to: publisher.to,
    changes: changes.map(journalled),
    until: context.clock.now() + publisher.underWay,
    ...publisher.where,
    ...(beside === undefined ? {} : { beside }),
    ...(undoes === undefined ? {} : { undoes }),
  });
  const close = (end: PublicationEnd, because: Clause, reason?: string) =>
    journal.append(context.clock.now(), domain.name, {
      kind: "publication-closed",
      opened,
      end,
      because,
      ...(reason === undefined ? {} : { reason }),
    });
  const outcome = await publisher.apply(changes).catch((error) => {
    // What ends a publisher by a sentence ends it before anything was written.
    if (error instanceof Failure) close("not-published", verbatim(error.code));
    throw error;
  });
  switch (outcome.kind) {
    case "by-hand":
      // It stays open until the zone shows what was entered.
      return outcome;
    case "published": {
      const seen = await shown(domain, changes, publisher, how);
      if (seen !== undefined && seen.unseen === undefined && seen.done < changes.length) {
        close("unknown", clause("publish-shown-otherwise", { differences: [...seen.undone, ...seen.other] }));
        throw new Failure("accepted-not-shown", {
          to: publisher.to,
          domain: domain.name,
          done: seen.done,
          of: changes.length,
          differences: [...seen.undone, ...seen.other],
          before: alreadyDone,
        });
      }
      close("published", outcome.because);
      return outcome;
    }
    case "conflict": {
      close("not-published", outcome.because, "conflict");
      const seen = await freshly(domain, workspace, request, context, (source) =>
        compare(changes.map(journalled), domain.name, source),
      );
      const moved = seen === undefined || seen.other.length === 0 ? outcome.because : verbatim(seen.other.join("; "));
      throw new Failure("zone-changed", { domain: domain.name, because: moved, before: alreadyDone });
    }
    case "unknown":
      // It stays open, so that the next status looks at the zone.
      throw new Failure("publication-unknown", {
        domain: domain.name,
        because: outcome.because,
        remedy: outcome.remedy,
        before: alreadyDone,
      });
    case "not-published":
      close("not-published", outcome.because, outcome.reason);
      throw new Failure(`publication-${outcome.reason}`, {
        domain: domain.name,
        because: outcome.because,
        remedy: outcome.remedy,
        before: alreadyDone,
      });
  }
}

/** What is where a publication went: in its file, at its server, and otherwise as the domain is served. */
async function whereItWent(
  { file, server }: Publication["opened"],
  domain: Domain,
  dns: DnsContext,
  workspace: Workspace,
): Promise<Lookup | undefined> {
  const { defaults } = workspace.settings;
  if (file !== undefined) {
    const { document } = readZoneFile(workspace.folder, file, [domain.name], defaults.ttl, dns.includeFrom);
    return memoized(zoneLookup(zonesOf(document)));
  }
  if (server !== undefined) return dns.server(hostServer(server, defaults.authorityPort));
  return draftSource(domain, await dns.look(domain), dns, workspace);
}

/** How long after it was sent an update that was given up may still arrive and be recognised (milliseconds). */
const LATE = DAY_MS;

/** The publications whose end is not certain: still open, or closed by a look that an update may have come after. */
function uncertain(publications: readonly Publication[], now: number): Publication[] {
  const touches = ({ opened }: Publication, set: JournalledChange) =>
    opened.changes.some((change) => change.name === set.name && change.type === set.type);
  return publications.filter((candidate, i) => {
    const { opened, closed, running } = candidate;
    if (closed === undefined) return !running || hasSheet(opened);
    const mayCome = closed.end === "unknown" || (closed.end === "not-published" && closed.looked === true);
    if (!mayCome || now - opened.at >= LATE) return false;
    // What a later publication touched says nothing about this one any more; what was refused touched nothing.
    const later = publications.slice(i + 1).filter(({ closed: end }) => end?.end !== "not-published" || end.looked === true);
    return !later.some((other) => opened.changes.some((change) => touches(other, change)));
  });
}

/** What became of one publication that stayed open; undefined where there is nothing to say yet. */
interface Settled {
  readonly said: Clause;
  readonly end?: PublicationEnd;
  readonly because?: Clause;
}

function settle(
  { opened, closed }: Publication,
  seen: Comparison | undefined,
  now: number,
  newest: boolean,
): Settled | undefined {
  const byHand = hasSheet(opened);
  const about = { to: opened.to, byHand };
  const all = seen !== undefined && seen.unseen === undefined && seen.done === opened.changes.length;
  if (closed !== undefined)
    return all
      ? {
          said: clause("publish-late", { to: opened.to }),
          end: "published",
          because: clause("publish-arrived-late"),
        }
      : undefined;
  if (seen === undefined || seen.unseen !== undefined)
    return { said: clause("publish-unseen", { ...about, unseen: seen?.unseen }) };
  if (all)
    return {
      said: clause(byHand ? "publish-sheet-entered" : "publish-arrived", about),
      end: "published",
      because: clause("publish-all-there"),
    };
  // What is entered by hand comes when it comes; a newer sheet for the same domain takes its place.
  if (byHand && newest)
    return seen.done === 0
      ? undefined
      : {
          said: clause("publish-sheet-partly", { ...about, done: seen.done, of: opened.changes.length }),
        };
  if (opened.until !== undefined && now < opened.until) return { said: clause("publish-may-arrive", about) };
  const none = seen.done === 0 && seen.other.length === 0;
  const because = none
    ? clause("publish-none-there")
    : clause("publish-partly", { done: seen.done, of: opened.changes.length, differences: [...seen.undone, ...seen.other] });
  const end = none ? "not-published" : "unknown";
  return { said: clause("publish-broke-off", { ...about, because, domain: name(opened.domain) }), end, because };
}

/**
 * Resolves publications whose end is not known (a killed process, an answer that never came, records entered by
 * hand) by looking where they went, and says in one sentence each what became of them. Those of a process that still
 * runs, or that may still be under way, are left alone; one that was given up and arrived after all is recognised.
 */
export async function settleInterrupted(
  domain: Domain,
  dns: DnsContext,
  workspace: Workspace,
  journal: Journal,
): Promise<Clause[]> {
  const said: Clause[] = [];
  const open = uncertain(journal.publications(domain.name), dns.now);
  const newestSheet = open.findLast(({ opened, closed }) => closed === undefined && hasSheet(opened));
  for (const publication of open) {
    const { opened } = publication;
    const source = await whereItWent(opened, domain, dns, workspace).catch((error) => {
      // A file that is gone or cannot be read says nothing about what was published.
      if (!(error instanceof Failure)) throw error;
      return undefined;
    });
    const seen =
      source === undefined
        ? undefined
        : await compare(opened.changes, domain.name, source, hasSheet(opened) ? "entered" : "letter");
    const settled = settle(publication, seen, dns.now, newestSheet === publication);
    if (settled === undefined) continue;
    if (!said.some((candidate) => JSON.stringify(candidate) === JSON.stringify(settled.said))) said.push(settled.said);
    const { end, because } = settled;
    if (end !== undefined && because !== undefined)
      journal.append(dns.now, domain.name, { kind: "publication-closed", opened: opened.id, end, because, looked: true });
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
    if (live.kind === "failed") throw new Failure("undo-unseen", { because: live.answer.detail });
    const now = ownSetOf(live);
    if (!sameState(now, after)) throw new Failure("undo-changed", { name: of, type, published: after, now });
    const cacheWindow: CacheWindow | undefined = cacheWindowOf(live);
    changes.push({
      action: before === undefined ? "remove" : after === undefined ? "add" : "replace",
      name: of,
      type,
      before: now,
      after: before,
      because: clause("spread-taken-back"),
      asks,
      ...(cacheWindow === undefined ? {} : { cacheWindow }),
    });
  }
  return changes;
}

/** Refuses where a set that the draft is about could not be looked at. */
export function expectSeen({ undetermined }: Draft): void {
  const [unknown] = undetermined;
  if (unknown !== undefined) throw new Failure("publish-unseen", { because: unknown.because });
}

/** Refuses to publish a draft that is not clean. */
export function expectPublishable(draft: Draft): void {
  expectSeen(draft);
  const { domain, clashes } = draft;
  const reasons = distinct(clashes.map(({ because }) => because));
  if (reasons.length > 0) throw new Failure("publish-clash", { domain, reasons });
}
