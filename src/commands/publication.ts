import { resolve } from "node:path";
import { type Change, COMMON_FORM, type Draft, type Form, fillIn, type SheetEntry } from "../core/change/index.ts";
import { type Live, type Lookup, liveAt, ownSetOf } from "../core/lookup/index.ts";
import { type DomainName, displayName, name } from "../core/name/index.ts";
import { printData, type RecordSet, sameData } from "../core/record/index.ts";
import { type Hold, holdOf } from "../core/spread/index.ts";
import { EXIT, UserError } from "../core/user-error.ts";
import { editZone, type SetChange } from "../core/zone/index.ts";
import { type HelperSet, runHelper, sendUpdate, type TsigKey } from "../net/index.ts";
import { visible } from "../present/index.ts";
import {
  type Domain,
  type Journal,
  type JournalledChange,
  type Publication,
  type PublicationEnd,
  readSecret,
  type Workspace,
  writeAtomically,
} from "../workspace/index.ts";
import type { Arguments, Context } from "./command.ts";
import { hostServer, type Looking, openLooking, readZoneFile, timeoutOf } from "./looking.ts";
import { typed } from "./shapes.ts";
import { draftSource } from "./survey.ts";

/** How one way of publishing ended. `moved` carries nothing out; `by-hand` leaves it to the user. */
export type CarryOut =
  | { readonly kind: "published"; readonly because: string }
  | { readonly kind: "by-hand"; readonly because: string; readonly sheet: readonly SheetEntry[] }
  | { readonly kind: "moved"; readonly because: string }
  | { readonly kind: "not-published" | "unknown"; readonly because: string; readonly remedy: string };

/** A way of publishing that is ready to go: everything that can be wrong beforehand has been checked. */
export interface Publisher {
  readonly way: string;
  /** Where the changes go, for people and the journal. */
  readonly to: string;
  carryOut(changes: readonly SetChange[]): Promise<CarryOut>;
}

const today = (now: number): string => new Date(now).toISOString().slice(0, 10).replaceAll("-", "");

/** The publisher of a domain: into a master file named on the command line, or the way its DNS host is reached. */
export function publisherFor(domain: Domain, workspace: Workspace, args: Arguments, context: Context): Publisher {
  const into = args.into as string | undefined;
  if (into !== undefined) return zoneFilePublisher(domain, resolve(context.cwd, into), into, workspace, context);
  const host = domain.host === undefined ? undefined : workspace.settings.hosts[domain.host];
  if (host === undefined)
    throw new UserError(`${domain.path} names no DNS host: add host: there, or publish into a master file with --into FILE.`);
  const { publish } = host;
  switch (publish.way) {
    case "zone-file":
      return zoneFilePublisher(domain, resolve(workspace.folder, publish.file), publish.file, workspace, context);
    case "update": {
      const server = hostServer(publish.server, workspace.settings.defaults.authorityPort);
      const secret = readSecret(publish.key.secret, `the TSIG key of ${host.title}`, workspace.folder, context.env);
      if (!/^[A-Za-z0-9+/]+={0,2}$/.test(secret))
        throw new UserError(`${publish.key.secret}, the TSIG key of ${host.title}, is not base64: copy it again, whole.`);
      const key: TsigKey = { name: publish.key.name, algorithm: publish.key.algorithm, secret: Buffer.from(secret, "base64") };
      return {
        way: "update",
        to: `${host.title} (${publish.server})`,
        async carryOut(changes) {
          // A signature counts against the server's real clock, not a lab's.
          const now = Math.floor(Date.now() / 1000);
          const outcome = await sendUpdate({ server, apex: domain.name, key, changes, now, timeout: timeoutOf(args) });
          switch (outcome.kind) {
            case "done":
              return { kind: "published", because: `${host.title} carried out all of it in one signed update` };
            case "moved":
              return { kind: "moved", because: outcome.detail };
            case "unknown":
              return { kind: "unknown", because: outcome.detail, remedy: outcome.remedy };
            default:
              return { kind: "not-published", because: outcome.detail, remedy: outcome.remedy };
          }
        },
      };
    }
    case "helper":
      return helperPublisher(domain, host.title, publish.command, workspace, args, context);
    case "by-hand": {
      const form: Form = publish.form ?? COMMON_FORM;
      return {
        way: "by-hand",
        to: host.title,
        carryOut: async (changes) => ({
          kind: "by-hand",
          because: `these records are to be entered at ${host.title}`,
          sheet: fillIn(changes, domain.name, form),
        }),
      };
    }
  }
}

function zoneFilePublisher(domain: Domain, path: string, shown: string, workspace: Workspace, context: Context): Publisher {
  return {
    way: "zone-file",
    to: shown,
    async carryOut(changes) {
      const { document, options } = readZoneFile(context.cwd, path, [domain.name], workspace.settings.defaults.ttl);
      const edited = editZone(document, changes, options, today(context.clock.now()));
      if (!edited.ok) {
        const { error } = edited;
        switch (error.code) {
          case "moved":
            return {
              kind: "moved",
              because: `${shown} holds something else at ${displayName(error.change.name)} than a moment ago`,
            };
          case "included":
            return {
              kind: "not-published",
              because: `the ${error.change.type} record of ${displayName(error.change.name)} stands in ${error.file}, which ${shown} only includes`,
              remedy: "change it there by hand",
            };
          case "no-soa":
            return { kind: "not-published", because: `${shown} has no SOA record`, remedy: "give the zone's main file" };
        }
      }
      writeAtomically(path, edited.value.text, { encoding: "latin1" });
      return {
        kind: "published",
        because: `${shown} now has serial ${edited.value.serial}; the server reads it when it is told to reload`,
      };
    },
  };
}

const helperSetOf = (set: RecordSet | undefined): HelperSet | null =>
  set === undefined ? null : { ttl: set.ttl, data: set.data.map((data) => printData(set.type, data)) };

function helperPublisher(
  domain: Domain,
  title: string,
  program: readonly string[],
  workspace: Workspace,
  args: Arguments,
  context: Context,
): Publisher {
  return {
    way: "helper",
    to: title,
    async carryOut(changes) {
      const request = {
        action: "apply" as const,
        zone: domain.name,
        changes: changes.map((change) => ({
          name: change.name,
          type: change.type,
          before: helperSetOf(change.before),
          after: helperSetOf(change.after),
        })),
      };
      const answer = await runHelper(program, request, {
        cwd: workspace.folder,
        env: context.env,
        timeout: Math.max(30_000, timeoutOf(args)),
      });
      const remedy = "run zandrel status: it looks at the zone and says which changes are there";
      if (!answer.ok)
        return answer.error.sent
          ? { kind: "unknown", because: visible(answer.error.detail), remedy }
          : {
              kind: "not-published",
              because: visible(answer.error.detail),
              remedy: "correct command: under hosts: in zandrel.yaml",
            };
      const reason = answer.value.reason === "" ? "" : `: ${visible(answer.value.reason)}`;
      switch (answer.value.outcome) {
        case "done":
          return { kind: "published", because: `the helper of ${title} says that all of it is done` };
        case "moved":
          return { kind: "moved", because: `${title} holds something else than a moment ago${reason}` };
        case "refused":
          return {
            kind: "not-published",
            because: `${title} refused${reason}`,
            remedy: "see what it says, and whether the token may change this zone",
          };
        case "partly":
          return { kind: "unknown", because: `the helper of ${title} carried out only a part${reason}`, remedy };
      }
    },
  };
}

/** A change as the journal keeps it: the whole sets before and after. */
const journalled = ({ action, name: of, type, before, after, asks, hold }: Change): JournalledChange => ({
  action,
  name: of,
  type,
  asks,
  ...(before === undefined ? {} : { before }),
  ...(after === undefined ? {} : { after }),
  ...(hold === undefined ? {} : { hold }),
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
  args: Arguments,
  context: Context,
  work: (source: Lookup) => Promise<T>,
): Promise<T | undefined> {
  const looking = openLooking(args, context, workspace.settings, [domain.name]);
  try {
    const source = draftSource(domain, await looking.look(domain), looking, workspace, args.into as string | undefined);
    return source === undefined ? undefined : await work(source);
  } finally {
    looking.close();
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
  {
    journal,
    workspace,
    args,
    context,
    undoes,
    alreadyDone,
  }: { journal: Journal; workspace: Workspace; args: Arguments; context: Context; undoes?: number; alreadyDone?: string },
): Promise<Extract<CarryOut, { kind: "published" | "by-hand" }>> {
  const own = displayName(domain.name);
  const before = alreadyDone === undefined ? "" : ` (${alreadyDone} was published before this)`;
  const opened = journal.append(context.clock.now(), domain.name, {
    kind: "publication-opened",
    way: publisher.way,
    to: publisher.to,
    changes: changes.map(journalled),
    ...(undoes === undefined ? {} : { undoes }),
  });
  const close = (end: PublicationEnd, because: string) =>
    journal.append(context.clock.now(), domain.name, { kind: "publication-closed", opened, end, because });
  const outcome = await publisher.carryOut(changes);
  switch (outcome.kind) {
    case "by-hand":
      // It stays open until the zone shows what was entered.
      return outcome;
    case "published": {
      const seen = await freshly(domain, workspace, args, context, (source) =>
        compare(changes.map(journalled), domain.name, source),
      );
      if (seen !== undefined && seen.unseen === undefined && seen.done < changes.length) {
        const wrong = [...seen.undone, ...seen.other].join("; ");
        close("unknown", `accepted, but the zone shows otherwise: ${wrong}`);
        throw new UserError(
          `${publisher.to} accepted the changes of ${own}, and yet its zone shows ${seen.done} of ${changes.length}: ${wrong}; ask the DNS host, and look again with zandrel draft ${typed(domain.name)}${before}.`,
          EXIT.not,
        );
      }
      close("published", outcome.because);
      return outcome;
    }
    case "moved": {
      close("not-published", outcome.because);
      const seen = await freshly(domain, workspace, args, context, (source) =>
        compare(changes.map(journalled), domain.name, source),
      );
      const moved = seen === undefined || seen.other.length === 0 ? outcome.because : seen.other.join("; ");
      throw new UserError(
        `nothing was published for ${own}, because somebody changed the zone meanwhile: ${moved}; run zandrel draft ${typed(domain.name)} and decide again${before}.`,
        EXIT.not,
      );
    }
    case "unknown":
      // It stays open, so that the next status looks at the zone.
      throw new UserError(
        `it is not known whether all of ${own} was changed: ${outcome.because}; ${outcome.remedy}${before}.`,
        EXIT.undetermined,
      );
    case "not-published":
      close("not-published", outcome.because);
      throw new UserError(`nothing was published for ${own}: ${outcome.because}; ${outcome.remedy}${before}.`, EXIT.undetermined);
  }
}

/**
 * Resolves publications that are still open (a killed process, an answer that never came, records entered by
 * hand) by looking at the zone, and says in one sentence each what became of them. Those of a process that
 * still runs are left alone.
 */
export async function settleInterrupted(
  domain: Domain,
  looking: Looking,
  workspace: Workspace,
  journal: Journal,
): Promise<string[]> {
  const open = journal
    .publications(domain.name)
    .filter(({ opened, closed, running }) => closed === undefined && (!running || opened.way === "by-hand"));
  if (open.length === 0) return [];
  const source = draftSource(domain, await looking.look(domain), looking, workspace);
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
    journal.append(looking.now, domain.name, { kind: "publication-closed", opened: opened.id, end, because });
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
    if (live.kind === "failed")
      throw new UserError(
        `nothing was taken back, because the zone could not be looked at: ${live.answer.detail}; try again when it answers.`,
        EXIT.undetermined,
      );
    const now = ownSetOf(live);
    if (!sameData(now, after))
      throw new UserError(
        `nothing was taken back, because somebody changed ${displayName(of)} ${type} since: it was published as ${showSet(after)} and is now ${showSet(now)}; change it by hand, or publish anew.`,
        EXIT.not,
      );
    const hold: Hold | undefined = holdOf(live);
    changes.push({
      action: before === undefined ? "remove" : after === undefined ? "add" : "replace",
      name: of,
      type,
      before: now,
      after: before,
      because: "it is as it was before",
      asks,
      ...(hold === undefined ? {} : { hold }),
    });
  }
  return changes;
}

/** Refuses to publish a draft that is not clean. */
export function expectPublishable({ domain, clashes, undetermined }: Draft): void {
  const [unknown] = undetermined;
  if (unknown !== undefined)
    throw new UserError(
      `nothing was published, because the zone could not be looked at: ${unknown.because}; try again when it answers.`,
      EXIT.undetermined,
    );
  const [clash] = clashes;
  if (clash !== undefined)
    throw new UserError(
      `nothing was published, because something is in the way: ${clash.because}; zandrel draft ${displayName(domain)} shows the ways out, or leave it out with --only ASK.`,
      EXIT.not,
    );
}
