import { randomInt } from "node:crypto";
import pLimit from "p-limit";
import * as z from "zod";
import { clause, NOTHING, verbatim } from "../../core/clause/index.ts";
import { DAY_MS } from "../../core/day.ts";
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
import { type DomainName, withoutRootDot } from "../../core/name/index.ts";
import { type Domain, type Journal, type JournalEntry, lockGuard, type Workspace } from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Ended } from "../context.ts";
import { openDns } from "../dns/context.ts";
import { domainOperands } from "../session.ts";
import { domainName, sentence, time } from "../shapes.ts";
import { type Notice, type NoticeWording, type Teller, type TellingContext, tellersOf } from "./notify.ts";
import { aboutOf, type DomainWatched, type Watching, watchedOf } from "./watched.ts";

/** Domains that are looked at at the same time. */
const AT_ONCE = 16;

/** Days of events that are looked at. */
const EVENTS_SINCE = 60;

/** Days for which a notice that could not be told is tried again. */
const TRIED_FOR = 7;

export const noticeShape = z.object({
  id: z.number(),
  at: time,
  domain: domainName,
  notice: z.enum(NOTICES),
  watched: z.enum(WATCHED),
  subject: z.string(),
  because: sentence,
  next: sentence.describe("the command or step that mends it; empty where there is nothing to do"),
});

export const guardSchema = z.object({
  at: time,
  notices: z.array(noticeShape).describe("what changed since the last look; each is told once"),
  told: z.array(z.object({ way: sentence, notices: z.number(), told: z.boolean(), because: sentence })),
  waiting: z.number().describe("notices that nobody was told yet: it is a quiet hour, or it did not work"),
  domains: z.array(
    z.object({
      domain: domainName,
      watched: z.number(),
      bad: z.array(z.object({ watched: z.enum(WATCHED), subject: z.string(), because: sentence, next: sentence })),
      unknown: z.array(z.object({ watched: z.enum(WATCHED), subject: z.string(), because: sentence })),
      ends: z.array(z.object({ watched: z.enum(WATCHED), subject: z.string(), at: time })).describe("what ends by itself"),
      nextLook: time.describe("when something could have changed next"),
    }),
  ),
});
export type GuardResult = z.output<typeof guardSchema>;

/** What {@link guardOnce} is asked. */
export interface GuardRequest extends CommonRequest {
  readonly resolver: readonly string[];
  readonly timeout: number;
  /** Days before an end from which on it is said. */
  readonly within: number;
}

/** What the journal knows of each watched thing, by its domain and its name. */
function remembered(journal: Journal): (domain: DomainName, about: string) => Remembered | undefined {
  const known = new Map(
    journal.entries(undefined, "watched").map(({ domain, about, state, level }) => [`${domain} ${about}`, { state, level }]),
  );
  return (domain, about) => known.get(`${domain} ${about}`);
}

const noticeFrom = ({ id, at, domain, notice, watched, subject, because, next }: JournalEntry<"notice">): Notice => ({
  ...{ id, at, domain: domain as DomainName, notice, watched, subject, because, next },
});

/** Keeps what changed, and what there is to tell of it; all at once, so that nothing is told twice. */
function journalChanges(journal: Journal, looked: readonly LookedAt[], now: number): void {
  journal.exclusively(() => {
    const began = new Set(journal.entries(undefined, "guard-began").map(({ domain }) => domain));
    const known = remembered(journal);
    for (const {
      domain: { name },
      seen,
    } of looked) {
      const first = !began.has(name);
      if (first) journal.append(now, name, { kind: "guard-began" });
      for (const one of seen.watched) {
        const about = aboutOf(one);
        const before = known(name, about);
        const notice = noticeOf(before, one, first);
        const { level, state, kind, subject, because, next } = one;
        if (level !== "unknown" && (before?.state !== state || before.level !== level))
          journal.append(now, name, { kind: "watched", about, state, level });
        if (notice !== undefined) journal.append(now, name, { kind: "notice", notice, watched: kind, subject, because, next });
      }
    }
  });
}

/** A domain, and what a look at it came to. */
interface LookedAt {
  readonly domain: Pick<Domain, "name">;
  readonly seen: DomainWatched;
}

/** Looks at all domains, some of them at the same time. */
async function lookAtAll(domains: readonly Domain[], watching: Omit<Watching, "domain">): Promise<LookedAt[]> {
  const limit = pLimit(AT_ONCE);
  return Promise.all(domains.map((domain) => limit(async () => ({ domain, seen: await lookAt({ ...watching, domain }) }))));
}

/** Looks at one domain. Whatever goes wrong there is told of it, and keeps nobody from the others. */
async function lookAt(watching: Watching): Promise<DomainWatched> {
  const { wording, domain } = watching;
  try {
    return await watchedOf(watching);
  } catch (error) {
    const because = verbatim(wording.failure(error));
    const subject = withoutRootDot(domain.name);
    return { watched: [{ kind: "look", subject, state: "unknown", level: "unknown", because, next: NOTHING }], ttl: undefined };
  }
}

/** Domains whose files have a mistake: that is told of them, and the others are looked at all the same. */
const unreadable = ({ broken }: Workspace, { operands }: GuardRequest, { failure: say }: NoticeWording): LookedAt[] =>
  (operands.length > 0 ? [] : broken).flatMap(({ name, failure }) =>
    name === undefined
      ? []
      : [
          {
            domain: { name },
            seen: {
              watched: [
                {
                  ...({
                    kind: "file",
                    subject: withoutRootDot(name),
                    state: failure.code,
                    level: "bad",
                    wasRight: true,
                  } as const),
                  ...{ because: verbatim(say(failure)), next: clause("next-status", { domain: name }) },
                },
              ],
              ttl: undefined,
            },
          },
        ],
  );

/** Files that had a mistake and have none any more. */
function withReadable(looked: readonly LookedAt[], journal: Journal): LookedAt[] {
  const known = remembered(journal);
  return looked.map(({ domain, seen }) => {
    const subject = withoutRootDot(domain.name);
    const common = { kind: "file", subject, state: "fine", level: "fine", because: NOTHING, next: NOTHING } as const;
    return known(domain.name, aboutOf(common))?.level === "bad"
      ? { domain, seen: { ...seen, watched: [...seen.watched, common] } }
      : { domain, seen };
  });
}

/** Whether nobody is told now what can wait, by this machine's time zone. */
function isQuietNow({ settings }: Workspace, now: number): boolean {
  const { quiet } = settings.guard;
  const local = new Date(now);
  return quiet !== undefined && isQuiet(local.getHours() * 60 + local.getMinutes(), quiet);
}

/** Numbers of the notices that somebody was told. */
function toldTo(journal: Journal): (key: string, escalated: boolean) => ReadonlySet<number> {
  const attempts = journal.entries(undefined, "notices-told").filter(({ told }) => told);
  return (key, escalated) =>
    new Set(
      attempts
        .filter((attempt) => attempt.key === key && (attempt.escalated ?? false) === escalated)
        .flatMap(({ notices }) => notices),
    );
}

/** Notices of what lapsed so long ago, the newest of each thing: nobody mended it, as far as notices tell. */
const openSince = (all: readonly Notice[], at: number): Notice[] =>
  all.filter(
    (candidate) =>
      candidate.notice === "lapsed" &&
      candidate.at <= at &&
      !all.some(
        (later) =>
          later.id > candidate.id &&
          later.domain === candidate.domain &&
          later.watched === candidate.watched &&
          later.subject === candidate.subject,
      ),
  );

/** Tells what was not told yet in each way, all of it at once; what does not work is tried again at the next look. */
async function tellAll(
  telling: TellingContext,
  all: readonly Notice[],
  isBad: (notice: Notice) => boolean,
  now: number,
): Promise<{ told: GuardResult["told"]; waiting: number }> {
  const { workspace, journal } = telling;
  const { ways, escalate } = workspace.settings.guard;
  const known = toldTo(journal);
  const quiet = isQuietNow(workspace, now);
  const told: GuardResult["told"] = [];
  const waiting = new Set<number>();
  const tell = async ({ title, key, tell: by }: Teller, notices: readonly Notice[], escalated: boolean): Promise<void> => {
    const already = known(key, escalated);
    const open = notices.filter(({ id }) => !already.has(id));
    const due = open.filter(({ notice }) => !quiet || isUrgent(notice));
    for (const { id } of open) if (!due.some((candidate) => candidate.id === id)) waiting.add(id);
    if (due.length === 0) return;
    // One way that does not work, for whatever reason, keeps nobody from being told in the others.
    const outcome = await Promise.resolve()
      .then(() => by(due))
      .catch((error: unknown) => ({ told: false, because: verbatim(telling.wording.failure(error)) }));
    const ids = due.map(({ id }) => id);
    const more = escalated ? { escalated } : {};
    journal.append(now, ".", { kind: "notices-told", notices: ids, way: title, key, ...outcome, ...more });
    if (!outcome.told) for (const id of ids) waiting.add(id);
    told.push({ way: title, notices: ids.length, ...outcome });
  };
  for (const teller of ways.flatMap((way) => tellersOf(way, telling))) await tell(teller, all, false);
  if (escalate !== undefined) {
    // What nobody watches any more needs nobody.
    const open = openSince(all, now - escalate.after * 3_600_000).filter(isBad);
    for (const teller of escalate.ways.flatMap((way) => tellersOf(way, telling))) await tell(teller, open, true);
  }
  return { told, waiting: waiting.size };
}

/** The key by which the journal knows what was shown by the command itself. */
const SHOWN = "shown";

/**
 * Looks once at everything that was proven, keeps what changed, and tells it. Only one process of a workspace does so at a time: the
 * next one finds nothing new. A notice counts as told when it is: a run that is killed before leaves it to the next one.
 *
 * @param show shows what the look came to
 * @param isDue which of the domains are looked at
 */
export async function guardOnce(
  request: GuardRequest,
  context: AppContext,
  wording: NoticeWording,
  show: (result: GuardResult) => Promise<void>,
  isDue: (domain: DomainName) => boolean = () => true,
): Promise<Ended> {
  return lockGuard(context.cwd, request.workspace, context, async (workspace) => {
    const named = domainOperands(request.operands)(workspace);
    if (named.length + workspace.broken.length === 0) throw new Failure("no-domain", {});
    const domains = named.filter(({ name }) => isDue(name));
    const names = domains.map(({ name }) => name);
    const journal = await workspace.openJournal(context);
    const dns = openDns(request, context, workspace.settings, names);
    const reports = workspace.hasReports ? await workspace.openReports(context) : undefined;
    const events = workspace.hasEvents ? await workspace.openEvents(context) : undefined;
    try {
      const { now } = dns;
      const days = events?.days(now - EVENTS_SINCE * DAY_MS) ?? [];
      const whole = await lookAtAll(domains, { workspace, dns, journal, within: request.within, reports, days, wording });
      const looked = [...withReadable(whole, journal), ...unreadable(workspace, request, wording)];
      journalChanges(journal, looked, now);
      // What nobody tried to tell is not too old for it: the time of day may have been set.
      const tried = new Set(journal.entries(undefined, "notices-told").flatMap(({ notices: ids }) => ids));
      const all = journal
        .entries(undefined, "notice")
        .filter(({ id, at }) => at > now - TRIED_FOR * DAY_MS || !tried.has(id))
        .map(noticeFrom);
      const isBad = (notice: Notice): boolean =>
        looked.some(
          ({ domain, seen }) =>
            domain.name === notice.domain &&
            seen.watched.some(
              ({ kind, subject, level }) => kind === notice.watched && subject === notice.subject && level !== "fine",
            ),
        );
      const telling = await tellAll({ workspace, journal, dns, request, context, wording }, all, isBad, now);
      const shown = toldTo(journal)(SHOWN, false);
      const notices = all.filter(({ id, domain }) => !shown.has(id) && looked.some((one) => one.domain.name === domain));
      const result: GuardResult = {
        ...{ at: now, notices, ...telling },
        domains: looked.map(({ domain, seen }) => lookOf(domain, seen, now, request.within)),
      };
      await show(result);
      const ids = notices.map(({ id }) => id);
      if (ids.length > 0)
        journal.append(now, ".", {
          kind: "notices-told",
          notices: ids,
          way: clause("notice-way-shown"),
          key: SHOWN,
          told: true,
          because: NOTHING,
        });
      const unknown = result.domains.some((candidate) => candidate.unknown.length > 0);
      return notices.length > 0 ? "problem" : unknown ? "undetermined" : "fine";
    } finally {
      events?.close();
      reports?.close();
      journal.close();
      dns.close();
    }
  });
}

/** What one look at a domain came to. */
function lookOf(
  { name }: Pick<Domain, "name">,
  { watched, ttl }: DomainWatched,
  now: number,
  within: number,
): GuardResult["domains"][number] {
  const at = (level: Watched["level"]) => watched.filter((candidate) => candidate.level === level);
  return {
    domain: name,
    watched: watched.length,
    bad: at("bad").map(({ kind, subject, because, next }) => ({ watched: kind, subject, because, next })),
    unknown: at("unknown").map(({ kind, subject, because }) => ({ watched: kind, subject, because })),
    ends: watched.flatMap(({ kind, subject, ends }) => (ends === undefined ? [] : [{ watched: kind, subject, at: ends }])),
    nextLook: nextLook(now, watched, { ttl, within, luck: randomInt(1000) / 1000 }),
  };
}
