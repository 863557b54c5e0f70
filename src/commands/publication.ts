import { resolve } from "node:path";
import type { Change, Draft } from "../core/change/index.ts";
import { type Live, liveAt, ownSetOf } from "../core/lookup/index.ts";
import { type DomainName, displayName, parseName } from "../core/name/index.ts";
import { printData, type RecordSet, sameData } from "../core/record/index.ts";
import { EXIT, UserError } from "../core/user-error.ts";
import { editZone, type SetChange } from "../core/zone/index.ts";
import { sendUpdate, type TsigKey } from "../net/index.ts";
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
import { hostServer, type Looking, readZoneFile, timeoutOf } from "./looking.ts";
import { draftSource } from "./survey.ts";

/** How one way of publishing ended. `moved` carries nothing out; the caller shows what changed. */
export type CarryOut =
  | { readonly kind: "published"; readonly because: string }
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
          const outcome = await sendUpdate({
            server,
            apex: domain.name,
            key,
            changes,
            now: Math.floor(Date.now() / 1000),
            timeout: timeoutOf(args),
          });
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
    case "by-hand":
      throw new UserError(
        `${host.title} is reached by hand: enter the records zandrel draft shows into its form, or publish into a master file with --into FILE.`,
      );
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
        switch (edited.error.code) {
          case "moved":
            return {
              kind: "moved",
              because: `${shown} holds something else at ${displayName(edited.error.change.name)} than a moment ago`,
            };
          case "included":
            return {
              kind: "not-published",
              because: `the ${edited.error.change.type} record of ${displayName(edited.error.change.name)} stands in ${edited.error.file}, which ${shown} only includes`,
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

/** A change as the journal keeps it: the whole sets before and after. */
const journalled = ({ action, name, type, before, after, asks, hold }: Change): JournalledChange => ({
  action,
  name,
  type,
  asks,
  ...(before === undefined ? {} : { before }),
  ...(after === undefined ? {} : { after }),
  ...(hold === undefined ? {} : { hold }),
});

/**
 * Carries changes out, journalled before the wire sees them and closed after. A process that is killed in
 * between leaves an open entry, which {@link settleInterrupted} resolves.
 */
export async function publishChanges(
  domain: Domain,
  changes: readonly Change[],
  publisher: Publisher,
  journal: Journal,
  context: Context,
): Promise<CarryOut> {
  const opened = journal.append(context.clock.now(), domain.name, {
    kind: "publication-opened",
    way: publisher.way,
    to: publisher.to,
    changes: changes.map(journalled),
  });
  const outcome = await publisher.carryOut(changes);
  // What nobody knows yet stays open, so that the next status looks at the zone.
  if (outcome.kind !== "unknown") {
    const end: PublicationEnd = outcome.kind === "published" ? "published" : "not-published";
    journal.append(context.clock.now(), domain.name, { kind: "publication-closed", opened, end, because: outcome.because });
  }
  return outcome;
}

const nameOf = (text: string): DomainName => {
  const parsed = parseName(text);
  if (!parsed.ok) throw new UserError(`the journal holds “${text}”, which is no name: it was changed from outside.`);
  return parsed.value;
};

const showSet = (set: RecordSet | undefined): string =>
  set === undefined ? "nothing" : set.data.map((data) => printData(set.type, data)).join(", ");

/** What stands at each changed set now, beside what stood there and what was to stand there. */
async function compare(
  publication: Publication,
  ask: (name: DomainName, type: string) => Promise<Live>,
): Promise<{ done: number; undone: number; other: string[]; unseen: string | undefined }> {
  let done = 0;
  let undone = 0;
  const other: string[] = [];
  for (const { name, type, before, after } of publication.opened.changes) {
    const live = await ask(nameOf(name), type);
    if (live.kind === "failed") return { done, undone, other, unseen: live.answer.detail };
    const now = ownSetOf(live);
    if (sameData(now, after)) done += 1;
    else if (sameData(now, before)) undone += 1;
    else other.push(`${displayName(nameOf(name))} ${type} is ${showSet(now)}`);
  }
  return { done, undone, other, unseen: undefined };
}

/**
 * Resolves publications that broke off (a killed process, an answer that never came) by looking at the zone,
 * and says in one sentence each what became of them. Those of a process that still runs are left alone.
 */
export async function settleInterrupted(
  domain: Domain,
  looking: Looking,
  workspace: Workspace,
  journal: Journal,
): Promise<string[]> {
  const open = journal.publications(domain.name).filter(({ closed, running }) => closed === undefined && !running);
  if (open.length === 0) return [];
  const source = draftSource(domain, await looking.look(domain), looking, workspace);
  const said: string[] = [];
  for (const publication of open) {
    const to = publication.opened.to;
    if (source === undefined) {
      said.push(`a publication to ${to} broke off, and the zone could not be looked at; run zandrel status again`);
      continue;
    }
    const { done, undone, other, unseen } = await compare(publication, (name, type) => liveAt(source, domain.name, name, type));
    if (unseen !== undefined) {
      said.push(`a publication to ${to} broke off, and ${unseen}; run zandrel status again`);
      continue;
    }
    const end: PublicationEnd =
      undone === 0 && other.length === 0 ? "published" : done === 0 && other.length === 0 ? "not-published" : "unknown";
    const because =
      end === "published"
        ? "the zone has all of it"
        : end === "not-published"
          ? "the zone has none of it"
          : `the zone has ${done} of its ${publication.opened.changes.length} changes${other.length === 0 ? "" : `; ${other.join("; ")}`}`;
    journal.append(looking.now, domain.name, { kind: "publication-closed", opened: publication.opened.id, end, because });
    said.push(
      `a publication to ${to} broke off; ${because}${end === "published" ? "" : `; zandrel draft ${displayName(domain.name)} shows what is left`}`,
    );
  }
  return said;
}

/** What changed at the sets of a draft since it was made, for the refusal to publish over it. */
export async function whatMoved(
  domain: Domain,
  changes: readonly Change[],
  ask: (name: DomainName, type: string) => Promise<Live>,
): Promise<string> {
  const moved: string[] = [];
  for (const { name, type, before } of changes) {
    const live = await ask(name, type);
    const now = live.kind === "failed" ? undefined : ownSetOf(live);
    if (live.kind !== "failed" && !sameData(now, before))
      moved.push(`${displayName(name)} ${type} was ${showSet(before)} and is now ${showSet(now)}`);
  }
  return moved.length === 0 ? `the server of ${displayName(domain.name)} holds something else than it shows` : moved.join("; ");
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
      `nothing was published, because something is in the way: ${clash.because}; zandrel draft ${displayName(domain)} shows the ways out.`,
      EXIT.not,
    );
}
