import { existsSync } from "node:fs";
import { resolve } from "node:path";
import * as z from "zod";
import { clause } from "../../core/clause/index.ts";
import { DAY_MS } from "../../core/day.ts";
import { Failure } from "../../core/failure.ts";
import { type Sighting, zoneAt } from "../../core/history/index.ts";
import { type DomainName, name } from "../../core/name/index.ts";
import { type RecordSet, sameData } from "../../core/record/index.ts";
import { zoneText } from "../../core/relocate/index.ts";
import {
  type Journal,
  type JournalEntry,
  type JournalEvent,
  type JournalKind,
  openWorkspace,
  type Publication,
  replaceFile,
} from "../../workspace/index.ts";
import { targetsOf } from "../asks/targets.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import { domainName, recordSet, time } from "../shapes.ts";

const knownSet = z.object({
  name: domainName,
  type: z.string(),
  set: recordSet,
  since: time.describe("from when that is known"),
  assumed: z.boolean().describe("whether it was only met later, and nothing says that it was otherwise before"),
});

/** Kinds of entries that tell a part of the story; the others are kept for Zandrel's own use. */
const TOLD = [
  "ask-noted",
  "publication-opened",
  "publication-closed",
  "ask-retired",
  "spf-flattened",
  "key-switched",
  "ds-seen",
  "delegation-seen",
  "settled",
  "asked-service",
  "sender-state",
  "credential-kept",
  "credential-revoked",
  "events-subscribed",
  "message-sent",
  "message-followed",
  "reports-taken",
  "notice",
  "proven",
] as const satisfies readonly JournalKind[];

/** A kind of entry that is told, and what the journal keeps of it. */
export type Told = (typeof TOLD)[number];
export type DetailOf<K extends Told> = Omit<Extract<JournalEvent, { kind: K }>, "kind">;

export const historySchema = z.object({
  at: time,
  from: time.nullable(),
  until: time.nullable(),
  events: z.array(
    z.object({
      id: z.number().describe("the number of the entry in the journal"),
      at: time,
      domain: domainName,
      kind: z.enum(TOLD),
      ask: z.string().nullable(),
      detail: z.record(z.string(), z.unknown()).describe("what the journal keeps of it, by its kind"),
    }),
  ),
  zones: z
    .array(z.object({ domain: domainName, on: time, sets: z.array(knownSet), file: z.string().nullable() }))
    .describe("with --on: the sets that are known to have stood there"),
  changed: z
    .array(z.object({ domain: domainName, name: domainName, type: z.string(), before: recordSet, after: recordSet }))
    .describe("with --between: what differs between the two moments"),
});
export type HistoryResult = z.output<typeof historySchema>;

/** What {@link history} is asked; times in milliseconds since 1970. */
export interface HistoryRequest extends CommonRequest {
  readonly between: string | undefined;
  readonly on: number | undefined;
  readonly file: string | undefined;
  readonly force: boolean;
}

/** Two moments, `FROM..UNTIL`; a day as the second one means its end. */
function momentsOf(text: string): { from: number; until: number } {
  const [first = "", second = "", ...more] = text.split("..");
  const isDay = (part: string) => /^\d{4}-\d{2}-\d{2}$/.test(part);
  const [from, until] = [Date.parse(first), Date.parse(second) + (isDay(second) ? DAY_MS - 1 : 0)];
  if (more.length > 0 || Number.isNaN(from) || Number.isNaN(until) || until < from)
    throw new Failure("between-form", { given: text });
  return { from, until };
}

/** Everything that publications say of what stood in a zone. */
function sightingsOf(publications: readonly Publication[]): Sighting[] {
  return publications.flatMap(({ opened, closed }) => [
    ...opened.changes.map(
      (change): Sighting => ({ at: opened.at, name: name(change.name), type: change.type, set: change.before, how: "seen" }),
    ),
    ...(opened.beside ?? []).map((set): Sighting => ({ at: opened.at, name: set.name, type: set.type, set, how: "seen" })),
    ...(closed?.end === "published"
      ? opened.changes.map(
          (change): Sighting => ({
            at: closed.at,
            name: name(change.name),
            type: change.type,
            set: change.after,
            how: "published",
          }),
        )
      : []),
  ]);
}

/** The entries of one domain, or of some of its asks, as they are told. */
function eventsOf(journal: Journal, domain: DomainName, asks: ReadonlySet<string> | undefined): HistoryResult["events"] {
  const about = (entry: JournalEntry): boolean => {
    if (asks === undefined) return true;
    if ("ask" in entry) return asks.has(entry.ask);
    if (entry.kind === "notice") return entry.watched === "proof" && asks.has(entry.subject);
    return entry.kind === "publication-opened" && entry.changes.some((change) => change.asks.some((ask) => asks.has(ask)));
  };
  const entries = journal.entries(domain, ...TOLD);
  const opened = new Set(entries.filter((entry) => entry.kind === "publication-opened" && about(entry)).map(({ id }) => id));
  return entries
    .filter((entry) => (entry.kind === "publication-closed" ? opened.has(entry.opened) : about(entry)))
    .map(({ id, at, domain: _, kind, ...detail }) => ({
      id,
      at,
      domain,
      kind,
      ask:
        "ask" in detail
          ? detail.ask
          : kind === "notice" && "watched" in detail && detail.watched === "proof"
            ? detail.subject
            : null,
      detail,
    }));
}

/** What differs between two moments. */
function changedBetween(domain: DomainName, before: readonly RecordSet[], after: readonly RecordSet[]): HistoryResult["changed"] {
  const keys = new Map([...before, ...after].map((set) => [`${set.name} ${set.type}`, set]));
  return [...keys.values()].flatMap(({ name: at, type }) => {
    const [was, is] = [before, after].map((sets) => sets.find((set) => set.name === at && set.type === type));
    return sameData(was, is) ? [] : [{ domain, name: at, type, before: was, after: is }];
  });
}

/** Tell what happened: asked, published, seen and proven, and what a zone was like on an earlier day. */
export async function history(request: HistoryRequest, context: AppContext): Promise<Outcome<HistoryResult>> {
  const workspace = openWorkspace(context.cwd, request.workspace);
  const moments = request.between === undefined ? undefined : momentsOf(request.between);
  const targets = [...targetsOf(workspace, request.operands)];
  if (request.file !== undefined && (request.on === undefined || targets.length !== 1)) throw new Failure("history-file", {});
  const result: HistoryResult = {
    at: context.clock.now(),
    from: moments?.from ?? null,
    until: moments?.until ?? null,
    events: [],
    zones: [],
    changed: [],
  };
  if (!workspace.hasJournal) return { ended: "problem", result };
  const journal = await workspace.openJournal(context);
  try {
    for (const [domain, asks] of targets) {
      const whole = domain.asks.every(({ id }) => asks.has(id));
      const events = eventsOf(journal, domain.name, whole ? undefined : asks);
      // Who asks what a zone was like does not ask for the story.
      if (request.on === undefined || moments !== undefined)
        result.events.push(...events.filter(({ at }) => moments === undefined || (at >= moments.from && at <= moments.until)));
      const sightings = sightingsOf(journal.publications(domain.name));
      if (moments !== undefined) {
        const [before, after] = [moments.from, moments.until].map((at) => zoneAt(sightings, at).map(({ set }) => set)) as [
          RecordSet[],
          RecordSet[],
        ];
        result.changed.push(...changedBetween(domain.name, before, after));
      }
      if (request.on === undefined) continue;
      const sets = zoneAt(sightings, request.on);
      result.zones.push({
        domain: domain.name,
        on: request.on,
        sets: sets.map(({ set, since, assumed }) => ({ name: set.name, type: set.type, set, since, assumed })),
        file: request.file ?? null,
      });
      if (request.file !== undefined) {
        const path = resolve(context.cwd, request.file);
        if (existsSync(path) && !request.force) throw new Failure("file-there", { path: request.file, what: "capture" });
        const remarks = [await context.inWords(clause("history-as-it-was", { at: request.on }))];
        replaceFile(
          path,
          zoneText(
            domain.name,
            sets.map(({ set }) => set),
            remarks,
          ),
          { encoding: "latin1" },
        );
      }
    }
  } finally {
    journal.close();
  }
  result.events.sort((a, b) => a.at - b.at || a.id - b.id);
  return { ended: result.events.length + result.zones.length > 0 ? "fine" : "problem", result };
}
