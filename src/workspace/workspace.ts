import { existsSync, realpathSync } from "node:fs";
import { basename, dirname, isAbsolute, join, relative, resolve } from "node:path";
import { type Ask, absentOf, dmarcName, type Want, wantsOf } from "../core/ask/index.ts";
import { Failure } from "../core/failure.ts";
import { type DomainName, parseName } from "../core/name/index.ts";
import { octetsOf, type ResourceRecord } from "../core/record/index.ts";
import type { WebProof } from "../core/site/index.ts";
import { hasAnyTerm, readSpfRecord, type SpfError, type SpfRecord, withoutTerms } from "../core/spf/index.ts";
import { readRecords } from "../core/zone/index.ts";
import type { EventStore } from "./event-store.ts";
import { filesIn, readText } from "./files.ts";
import type { Journal } from "./journal.ts";
import type { Preparing, Waiting } from "./lock.ts";
import { type DomainFile, domainSchema, type Settings, settingsSchema } from "./schema.ts";
import type { ReportStore } from "./tally.ts";
import { readYaml, type YamlFile } from "./yaml-file.ts";

export const SETTINGS_FILE = "zandrel.yaml";
const JOURNAL_FILE = join(".zandrel", "journal.db");
const REPORTS_FILE = join(".zandrel", "reports.db");
const LOCK_FILE = join(".zandrel", "lock");
const EVENTS_FILE = join(".zandrel", "events.db");

/** A domain of the workspace with its asks read into records. */
export interface Domain {
  readonly name: DomainName;
  readonly role: DomainFile["role"];
  /** Key of its DNS host; undefined where nobody said. */
  readonly host: string | undefined;
  /** Where a redirect domain leads; undefined where nobody said. */
  readonly redirectTo?: DomainName;
  readonly asks: readonly Ask[];
  /** Path of its file, as shown to people. */
  readonly path: string;
}

/** The folder Zandrel works in. */
/** A domain whose file has a mistake. */
interface BrokenDomain {
  readonly path: string;
  /** As the file is called; undefined where that is no domain. */
  readonly name: DomainName | undefined;
  readonly failure: Failure;
}

export interface Workspace {
  readonly folder: string;
  readonly settings: Settings;
  readonly domains: readonly Domain[];
  /** Domains whose files cannot be read, where somebody goes on without them. */
  readonly broken: readonly BrokenDomain[];
  /** Whether anything was journalled yet; if not, no command needs to open the journal for reading. */
  readonly hasJournal: boolean;
  openJournal(preparing: Preparing): Promise<Journal>;
  /** Whether any aggregate report was ever taken in. */
  readonly hasReports: boolean;
  /** What aggregate reports say; the file is made where there is none. */
  openReports(preparing: Preparing): Promise<ReportStore>;
  /** Whether a service ever told an event. */
  readonly hasEvents: boolean;
  /** What services told about messages; the file is made where there is none. */
  openEvents(preparing: Preparing): Promise<EventStore>;
}

/** The folder of the workspace: the one given, or the nearest one upwards that holds zandrel.yaml. */
export function findWorkspace(from: string, given: string | undefined): string | undefined {
  if (given !== undefined) return resolve(from, given);
  for (let folder = resolve(from); ; folder = dirname(folder)) {
    if (existsSync(join(folder, SETTINGS_FILE))) return folder;
    if (dirname(folder) === folder) return undefined;
  }
}

/** Reads `zandrel.yaml` or a file of the same form. */
export function readSettings(path: string): YamlFile<Settings> {
  return readYaml(path, readText(path), settingsSchema);
}

function readDomain(path: string, text: string, settings: Settings): Domain {
  const file = readYaml(path, text, domainSchema);
  const { domain: name, role, host, redirectTo, asks } = file.value;
  if (host !== undefined) expectKey(file, ["host"], host, settings.hosts, "DNS host", "hosts");
  const ids = new Map<string, string>();
  const read = asks.map((ask, i): Ask => {
    expectKey(file, ["asks", i, "service"], ask.service, settings.services, "service", "services");
    const at = file.place(["asks", i, "id"]);
    const first = ids.get(ask.id);
    if (first !== undefined) throw new Failure("id-twice", { ask: ask.id, at, first });
    ids.set(ask.id, at);
    const linesOf = (key: "records" | "remove"): readonly ResourceRecord[] => {
      const { records, issues } = readRecords(octetsOf(ask[key]), { origin: name, ttl: settings.defaults.ttl });
      const [issue] = issues;
      if (issue === undefined) return records;
      const { line, column, text: found, expected } = issue;
      throw new Failure("ask-records", { ask: ask.id, at: file.place(["asks", i, key]), line, column, found, expected });
    };
    const lines = linesOf("records");
    const { ttl } = settings.defaults;
    const wants: Want[] = [...wantsOf(lines), ...absentOf(linesOf("remove"))];
    const termsOf = (key: "spf" | "spfWithout"): SpfRecord | undefined => {
      if (ask[key] === undefined) return undefined;
      const terms = readSpfRecord(`v=spf1 ${ask[key]}`);
      if (terms.ok) return terms.value;
      const { text: found, message, meant } = terms.error[0] as SpfError;
      throw new Failure("ask-spf", { at: file.place(["asks", i, key]), found, because: message, meant });
    };
    const [record, without] = [termsOf("spf"), termsOf("spfWithout")];
    if (record !== undefined)
      wants.push({ kind: "spf-terms", name, type: "TXT", ttl, record, ...(without === undefined ? {} : { without }) });
    if (ask.dmarc !== undefined)
      wants.push({ kind: "dmarc-minimum", name: dmarcName(name), type: "TXT", ttl, policy: ask.dmarc });
    if (ask.web !== undefined) wants.push({ kind: "web", proof: webProof(ask.web) });
    return {
      id: ask.id,
      service: ask.service,
      purpose: ask.purpose,
      domain: name,
      after: ask.after,
      wants,
      ...(ask.asked === undefined ? {} : { asked: ask.asked }),
      ...(ask.template === undefined ? {} : { template: templateUse(ask.template) }),
    };
  });
  asks.forEach((ask, i) => {
    for (const [j, other] of ask.after.entries())
      if (!ids.has(other)) throw new Failure("ask-after", { at: file.place(["asks", i, "after", j]), given: other });
  });
  return {
    name,
    role,
    host,
    asks: withReplacements(read),
    path,
    ...(redirectTo === undefined ? {} : { redirectTo }),
  };
}

/** Asks whose SPF terms another ask has replaced want what is in their place: it does what they did. */
function withReplacements(asks: readonly Ask[]): readonly Ask[] {
  const replacing = asks.flatMap((ask) => ask.wants.filter((want) => want.kind === "spf-terms" && want.without !== undefined));
  return replacing.reduce<readonly Ask[]>((left, by) => {
    if (by.kind !== "spf-terms" || by.without === undefined) return left;
    const gone = by.without;
    return left.map((ask) => ({
      ...ask,
      wants: ask.wants.map((want): Want => {
        if (want.kind !== "spf-terms" || want === by || !hasAnyTerm(want.record, gone)) return want;
        const words = [...withoutTerms(want.record, [gone]).terms, ...by.record.terms].map((term) => term.text);
        const record = readSpfRecord(["v=spf1", ...words].join(" "));
        const without = readSpfRecord(
          ["v=spf1", ...new Set([...(want.without?.terms ?? []), ...gone.terms].map(({ text }) => text))].join(" "),
        );
        return record.ok && without.ok
          ? { ...want, record: record.value, without: without.value, asked: want.asked ?? want.record }
          : want;
      }),
    }));
  }, asks);
}

/** The same without keys that hold nothing. */
const templateUse = ({
  group,
  host,
  records,
  multiInstance,
  ...use
}: NonNullable<DomainFile["asks"][number]["template"]>): NonNullable<Ask["template"]> => ({
  ...use,
  ...(group === undefined ? {} : { group }),
  ...(host === undefined ? {} : { host }),
  ...(records === undefined ? {} : { records }),
  ...(multiInstance === undefined ? {} : { multiInstance }),
});

const webProof = (web: NonNullable<DomainFile["asks"][number]["web"]>): WebProof =>
  "meta" in web ? { kind: "meta", url: web.url, ...web.meta } : { kind: "file", url: web.url, text: web.file };

function expectKey(
  file: YamlFile<unknown>,
  keys: readonly PropertyKey[],
  key: string,
  known: Readonly<Record<string, unknown>>,
  what: string,
  section: string,
): void {
  if (Object.hasOwn(known, key)) return;
  throw new Failure("unknown-key", { at: file.place(keys), given: key, what, section, known: Object.keys(known) });
}

/**
 * Reads a file of the workspace. Where a link, of the file or of its folder, leads out of it, it is refused: an error
 * about its content would show somebody else's file.
 */
export function readOwn(folder: string, path: string): string {
  if (existsSync(path)) {
    const near = relative(realpathSync(folder), realpathSync(path));
    if (near.startsWith("..") || isAbsolute(near)) throw new Failure("file-outside", { path });
  }
  return readText(path);
}

/**
 * Opens the workspace a command works in, every file read and checked. A mistake in the file of a domain ends it; with `goesOn` that
 * domain is left out, and named.
 */
export function openWorkspace(
  from: string,
  given: string | undefined,
  { goesOn = false }: { readonly goesOn?: boolean } = {},
): Workspace {
  const folder = findWorkspace(from, given);
  if (folder === undefined || !existsSync(join(folder, SETTINGS_FILE))) throw new Failure("no-workspace", { folder });
  // The domains first: another process adds a service before the ask that names it, so that settings read after the
  // asks know every service of theirs.
  const texts = filesIn(join(folder, "domains"), ".yaml").map((file) => join(folder, "domains", file));
  const read = texts.map((path) => [path, readOwn(folder, path)] as const);
  const settingsPath = join(folder, SETTINGS_FILE);
  const settings = readYaml(settingsPath, readOwn(folder, settingsPath), settingsSchema).value;
  const domains: Domain[] = [];
  const broken: BrokenDomain[] = [];
  for (const [path, text] of read)
    try {
      const domain = readDomain(path, text, settings);
      const other = domains.find((known) => known.name === domain.name);
      if (other !== undefined) throw new Failure("domain-twice", { path: domain.path, other: other.path, domain: domain.name });
      domains.push(domain);
    } catch (error) {
      if (!goesOn || !(error instanceof Failure)) throw error;
      const name = parseName(`${basename(path, ".yaml")}.`);
      broken.push({ path, name: name.ok ? name.value : undefined, failure: error });
    }
  const isShared = settings.journal !== "here";
  const shared = () => import("./shared-stores.ts");
  const database = async (preparing: Preparing) => (await shared()).sharedDatabase(settings.journal, folder, preparing);
  return {
    folder,
    settings,
    domains,
    broken,
    hasJournal: isShared || existsSync(join(folder, JOURNAL_FILE)),
    hasReports: isShared || existsSync(join(folder, REPORTS_FILE)),
    // SQLite and PostgreSQL are loaded only by the commands that need them.
    openJournal: async (preparing) => {
      if (isShared) return (await shared()).openSharedJournal(await database(preparing));
      const { openJournal } = await import("./journal.ts");
      return openJournal(join(folder, JOURNAL_FILE));
    },
    openReports: async (preparing) => {
      if (isShared) return (await shared()).openSharedReports(await database(preparing));
      const { openReportStore } = await import("./tally.ts");
      return openReportStore(join(folder, REPORTS_FILE));
    },
    hasEvents: isShared || existsSync(join(folder, EVENTS_FILE)),
    openEvents: async (preparing) => {
      if (isShared) return (await shared()).openSharedEvents(await database(preparing));
      const { openEventStore } = await import("./event-store.ts");
      return openEventStore(join(folder, EVENTS_FILE));
    },
  };
}

/** The domains a command is about: the ones named, or all. */
export function pickDomains(workspace: Workspace, names: readonly DomainName[]): readonly Domain[] {
  if (names.length === 0) return workspace.domains;
  return names.map((name) => {
    const domain = workspace.domains.find((candidate) => candidate.name === name);
    if (domain !== undefined) return domain;
    const broken = workspace.broken.find((candidate) => candidate.name === name);
    if (broken !== undefined) throw broken.failure;
    throw new Failure("unknown-domain", { domain: name, known: workspace.domains.map((one) => one.name) });
  });
}

/** The key of the service that a person names, by its key or by its title; what is neither ends the command. */
export function pickService({ settings: { services } }: Workspace, named: string): string {
  if (Object.hasOwn(services, named)) return named;
  const called = Object.keys(services).filter((key) => services[key]?.title.toLowerCase() === named.trim().toLowerCase());
  const [key] = called;
  if (key === undefined || called.length > 1)
    throw new Failure("unknown-service", { given: named, known: Object.keys(services) });
  return key;
}

/** The file of a domain in a workspace. */
export const domainPath = (folder: string, domain: DomainName): string => join(folder, "domains", `${domain.slice(0, -1)}.yaml`);

/** Runs `work` while no other Zandrel process writes to the workspace in a folder, or makes one there. */
export async function lockWorkspace<T>(folder: string, waiting: Waiting, work: () => T | Promise<T>): Promise<T> {
  const { withLock } = await import("./lock.ts");
  return withLock(join(folder, LOCK_FILE), "this workspace", waiting, work);
}

/** The same, with the workspace as it is then. */
export const exclusively = <T>(folder: string, waiting: Waiting, work: (fresh: Workspace) => T | Promise<T>): Promise<T> =>
  lockWorkspace(folder, waiting, () => work(openWorkspace(folder, folder)));

/** Runs `work` under a lock of what is kept: among the processes of this machine, or of all that share it. */
async function lockKept<T>(
  { folder, settings }: Pick<Workspace, "folder" | "settings">,
  file: string,
  what: string,
  waiting: Waiting,
  work: () => Promise<T>,
): Promise<T> {
  if (settings.journal !== "here") {
    const { sharedAddress, withSharedLock } = await import("./shared-stores.ts");
    return withSharedLock(sharedAddress(settings.journal, folder), file, what, waiting, work);
  }
  const { withLock } = await import("./lock.ts");
  return withLock(join(folder, file), what, waiting, work);
}

/** Runs `work` with a workspace while no other guard looks at it; where the journal is kept is read before, the rest once it is its turn. */
export async function lockGuard<T>(
  from: string,
  given: string | undefined,
  waiting: Waiting,
  work: (workspace: Workspace) => Promise<T>,
): Promise<T> {
  const folder = findWorkspace(from, given);
  const path = folder === undefined ? undefined : join(folder, SETTINGS_FILE);
  if (folder === undefined || path === undefined || !existsSync(path)) throw new Failure("no-workspace", { folder });
  const settings = readSettings(path).value;
  return lockKept({ folder, settings }, join(".zandrel", "guard.lock"), "the notices of this workspace", waiting, () =>
    work(openWorkspace(from, folder, { goesOn: true })),
  );
}

/** Runs `work` while no other Zandrel process imports reports into the workspace. */
export const lockReports = <T>(workspace: Workspace, waiting: Waiting, work: () => Promise<T>): Promise<T> =>
  lockKept(workspace, `${REPORTS_FILE}.lock`, "the reports of this workspace", waiting, work);
