import { randomInt } from "node:crypto";
import pLimit from "p-limit";
import * as z from "zod";
import { Failure } from "../../core/failure.ts";
import {
  isQuiet,
  isUrgent,
  NOTICES,
  nextLook,
  noticeOf,
  type Remembered,
  WATCHED,
  type Watched,
} from "../../core/guard/index.ts";
import type { DomainName } from "../../core/name/index.ts";
import { type Domain, type Journal, type JournalEntry, lockGuard, openWorkspace, type Workspace } from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import { openDns } from "../dns/context.ts";
import { domainOperands } from "../session.ts";
import { domainName, time } from "../shapes.ts";
import { type Notice, type NoticeWording, type Teller, type TellingContext, tellerOf } from "./notify.ts";
import { aboutOf, type DomainWatched, watchedOf } from "./watched.ts";

const DAY = 86_400_000;

/** Domains that are looked at at the same time. */
const AT_ONCE = 16;

/** Days for which a notice that could not be told is tried again. */
const TRIED_FOR = 7;

const noticeShape = z.object({
  id: z.number(),
  at: time,
  domain: domainName,
  notice: z.enum(NOTICES),
  watched: z.enum(WATCHED),
  subject: z.string(),
  because: z.string(),
  next: z.string().describe("the command or step that mends it; empty where there is nothing to do"),
});

export const guardSchema = z.object({
  at: time,
  notices: z.array(noticeShape).describe("what changed since the last look; each is told once"),
  told: z.array(z.object({ way: z.string(), notices: z.number(), told: z.boolean(), because: z.string() })),
  waiting: z.number().describe("notices that nobody was told yet: it is a quiet hour, or it did not work"),
  domains: z.array(
    z.object({
      domain: domainName,
      watched: z.number(),
      bad: z.array(z.object({ watched: z.enum(WATCHED), subject: z.string(), because: z.string(), next: z.string() })),
      unknown: z.array(z.object({ watched: z.enum(WATCHED), subject: z.string(), because: z.string() })),
      ends: z.array(z.object({ watched: z.enum(WATCHED), subject: z.string(), at: time })).describe("what ends by itself"),
    }),
  ),
  nextLook: time.describe("when something could have changed next"),
});
export type GuardResult = z.output<typeof guardSchema>;

/** What {@link guardOnce} is asked. */
export interface GuardRequest extends CommonRequest {
  readonly resolver: readonly string[];
  readonly timeout: number;
  /** Days before an end from which on it is said. */
  readonly within: number;
}

/** What the journal knows of each watched thing, by its name. */
function remembered(journal: Journal, domain: DomainName): Map<string, Remembered> {
  return new Map(journal.entries(domain, "watched").map(({ about, state, level }) => [about, { state, level }]));
}

const noticeFrom = ({ id, at, domain, notice, watched, subject, because, next }: JournalEntry<"notice">): Notice => ({
  ...{ id, at, domain: domain as DomainName, notice, watched, subject, because, next },
});

/** Keeps what changed of a domain, and what there is to tell of it; both at once, so that nothing is told twice. */
function journalChanges(journal: Journal, domain: Domain, watched: readonly Watched[], now: number): Notice[] {
  return journal.exclusively(() => {
    const first = journal.entries(domain.name, "guard-began").length === 0;
    if (first) journal.append(now, domain.name, { kind: "guard-began" });
    const known = remembered(journal, domain.name);
    const notices: Notice[] = [];
    for (const one of watched) {
      const about = aboutOf(one);
      const before = known.get(about);
      const notice = noticeOf(before, one, first);
      const { level, state, kind, subject, because, next } = one;
      if (level !== "unknown" && (before?.state !== state || before.level !== level))
        journal.append(now, domain.name, { kind: "watched", about, state, level });
      if (notice === undefined) continue;
      const told = { notice, watched: kind, subject, because, next };
      const id = journal.append(now, domain.name, { kind: "notice", ...told });
      notices.push({ id, at: now, domain: domain.name, ...told });
    }
    return notices;
  });
}

/** Looks at all domains, some of them at the same time. */
async function lookAtAll(
  domains: readonly Domain[],
  workspace: Workspace,
  journal: Journal,
  telling: Pick<TellingContext, "dns">,
  request: GuardRequest,
): Promise<{ domain: Domain; seen: DomainWatched }[]> {
  const limit = pLimit(AT_ONCE);
  return Promise.all(
    domains.map((domain) =>
      limit(async () => ({
        domain,
        seen: await watchedOf({ domain, workspace, dns: telling.dns, journal, within: request.within }),
      })),
    ),
  );
}

/** Whether nobody is told now what can wait, by this machine's time zone. */
function isQuietNow({ settings }: Workspace, now: number): boolean {
  const { quiet } = settings.guard;
  const local = new Date(now);
  return quiet !== undefined && isQuiet(local.getHours() * 60 + local.getMinutes(), quiet);
}

/** Tells what was not told yet in each way, all of it at once; what does not work is tried again at the next look. */
async function tellAll(telling: TellingContext, now: number): Promise<{ told: GuardResult["told"]; waiting: number }> {
  const { workspace, journal } = telling;
  const { ways, escalate } = workspace.settings.guard;
  const all = journal.entries(undefined, "notice").filter(({ at }) => at > now - TRIED_FOR * DAY);
  const attempts = journal.entries(undefined, "notices-told").filter(({ told }) => told);
  const quiet = isQuietNow(workspace, now);
  const told: GuardResult["told"] = [];
  const waiting = new Set<number>();
  const tell = async (teller: Teller, notices: readonly Notice[], escalated: boolean): Promise<void> => {
    const due = notices.filter(({ notice }) => !quiet || isUrgent(notice));
    for (const { id } of notices) if (!due.some((one) => one.id === id)) waiting.add(id);
    if (due.length === 0) return;
    const outcome = await teller.tell(due).catch((error: unknown) => {
      if (!(error instanceof Failure)) throw error;
      return { told: false, because: telling.wording.failure(error) };
    });
    const ids = due.map(({ id }) => id);
    journal.append(now, ".", {
      kind: "notices-told",
      notices: ids,
      way: teller.title,
      ...outcome,
      ...(escalated ? { escalated } : {}),
    });
    if (!outcome.told) for (const id of ids) waiting.add(id);
    told.push({ way: teller.title, notices: ids.length, ...outcome });
  };
  const toldIn = (title: string, escalated: boolean) =>
    new Set(
      attempts.filter((one) => one.way === title && (one.escalated ?? false) === escalated).flatMap(({ notices }) => notices),
    );
  for (const way of ways) {
    const teller = tellerOf(way, telling);
    if (teller === undefined) continue;
    const known = toldIn(teller.title, false);
    await tell(teller, all.filter(({ id }) => !known.has(id)).map(noticeFrom), false);
  }
  if (escalate !== undefined) {
    // What lapsed long enough ago, and did not come back since.
    const open = all.filter(
      (one) =>
        one.notice === "lapsed" &&
        one.at <= now - escalate.after * 3_600_000 &&
        !all.some(
          (later) =>
            later.id > one.id && later.domain === one.domain && later.watched === one.watched && later.subject === one.subject,
        ),
    );
    for (const way of escalate.ways) {
      const teller = tellerOf(way, telling);
      if (teller === undefined) continue;
      const known = toldIn(teller.title, true);
      await tell(teller, open.filter(({ id }) => !known.has(id)).map(noticeFrom), true);
    }
  }
  return { told, waiting: waiting.size };
}

/**
 * Looks once at everything that was proven, keeps what changed, and tells it. Only one process of a workspace does so at a time: the
 * next one finds nothing new.
 */
export async function guardOnce(
  request: GuardRequest,
  context: AppContext,
  wording: NoticeWording,
): Promise<Outcome<GuardResult>> {
  return lockGuard(openWorkspace(context.cwd, request.workspace), context, async () => {
    const workspace = openWorkspace(context.cwd, request.workspace);
    const domains = domainOperands(request.operands)(workspace);
    if (domains.length === 0) throw new Failure("no-domain", {});
    const journal = await workspace.openJournal();
    const names = domains.map(({ name }) => name);
    const dns = openDns(request, context, workspace.settings, names);
    try {
      const { now } = dns;
      const looked = await lookAtAll(domains, workspace, journal, { dns }, request);
      const notices = looked.flatMap(({ domain, seen }) => journalChanges(journal, domain, seen.watched, now));
      const { told, waiting } = await tellAll({ workspace, journal, dns, request, context, wording }, now);
      const luck = () => randomInt(1000) / 1000;
      const result: GuardResult = {
        ...{ at: now, notices, told, waiting },
        domains: looked.map(({ domain, seen: { watched } }) => ({
          domain: domain.name,
          watched: watched.length,
          bad: watched
            .filter(({ level }) => level === "bad")
            .map(({ kind, subject, because, next }) => ({ watched: kind, subject, because, next })),
          unknown: watched
            .filter(({ level }) => level === "unknown")
            .map(({ kind, subject, because }) => ({ watched: kind, subject, because })),
          ends: watched.flatMap(({ kind, subject, ends }) => (ends === undefined ? [] : [{ watched: kind, subject, at: ends }])),
        })),
        nextLook: Math.min(
          ...looked.map(({ seen: { watched, ttl } }) => nextLook(now, watched, { ttl, within: request.within, luck: luck() })),
        ),
      };
      const unknown = result.domains.some((one) => one.unknown.length > 0);
      return { ended: notices.length > 0 ? "problem" : unknown ? "undetermined" : "fine", result };
    } finally {
      journal.close();
      dns.close();
    }
  });
}
