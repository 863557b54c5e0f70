import { join } from "node:path";
import type { Way } from "../core/change/index.ts";
import { Failure } from "../core/failure.ts";
import { type DomainName, withoutRootDot } from "../core/name/index.ts";
import type { AskEntry } from "./ask-entry.ts";
import { readText, replaceFile } from "./files.ts";
import { domainSchema, settingsSchema } from "./schema.ts";
import { type Domain, SETTINGS_FILE } from "./workspace.ts";
import { readYaml, valueText, withEntry, withoutEntry, withScalar, withValue } from "./yaml-file.ts";

/** An ask as it stands in the file of its domain; undefined where it does not any more. */
export function askEntry({ path }: Domain, id: string): AskEntry | undefined {
  const found = readYaml(path, readText(path), domainSchema).value.asks.find((ask) => ask.id === id);
  if (found === undefined) return undefined;
  // What is empty there is what a file leaves out.
  return Object.fromEntries(
    Object.entries(found).filter(([, value]) => value !== "" && !(Array.isArray(value) && value.length === 0)),
  ) as unknown as AskEntry;
}

/** What is to change in the files of a workspace in one step. */
export interface Revision {
  /** The service to add to zandrel.yaml; one that is there stays as it is. */
  readonly service?: { readonly key: string; readonly title: string };
  /** Ids of asks that go. */
  readonly without: readonly string[];
  readonly add: readonly AskEntry[];
  /** What the file says of the domain itself from now on. */
  readonly domain?: DomainChange;
}

/**
 * Carries a revision out: the service first and then, in one step, the file of the domain, so that whatever stops it
 * leaves files that can be read and a command that can be run again. Gives back how to restore what was there. Run
 * inside {@link exclusively}.
 */
export function revise(folder: string, domain: Domain, { service, without, add, domain: change = {} }: Revision): () => void {
  const settingsPath = join(folder, SETTINGS_FILE);
  const settings = readText(settingsPath);
  const path = domain.path;
  const before = readText(path);
  let after = changedDomain(before, change);
  for (const id of without) {
    const index = readYaml(domain.path, after, domainSchema).value.asks.findIndex((ask) => ask.id === id);
    if (index === -1) throw new Failure("ask-gone", { path: domain.path, ask: id });
    after = withoutEntry(after, "asks", index);
  }
  for (const ask of add) after = withEntry(after, "asks", [ask]);
  readYaml(domain.path, after, domainSchema);
  const known =
    service === undefined || Object.hasOwn(readYaml(SETTINGS_FILE, settings, settingsSchema).value.services, service.key);
  if (!known) {
    const text = withEntry(settings, "services", { [service.key]: { title: service.title } });
    readYaml(settingsPath, text, settingsSchema);
    replaceFile(settingsPath, text, { isOurs: true });
  }
  const restoreSettings = () => {
    if (!known) replaceFile(settingsPath, settings, { isOurs: true });
  };
  try {
    if (after !== before) replaceFile(path, after, { isOurs: true });
  } catch (error) {
    try {
      restoreSettings();
    } catch {
      // A service without an ask is harmless, and the first failure is the one to tell.
    }
    throw error;
  }
  return () => {
    if (after !== before) replaceFile(path, before, { isOurs: true });
    restoreSettings();
  };
}

/** What the file of a domain says of the domain itself. */
export interface DomainChange {
  readonly role?: string;
  readonly host?: string;
  readonly redirectTo?: DomainName;
}

/** The text of a domain's file, changed. */
function changedDomain(before: string, { role, host, redirectTo }: DomainChange): string {
  let text = before;
  if (role !== undefined) text = withScalar(text, "role", role, ["domain"]);
  if (host !== undefined) text = withScalar(text, "host", host, ["role", "domain"]);
  if (redirectTo !== undefined) text = withScalar(text, "redirectTo", withoutRootDot(redirectTo), ["host", "role", "domain"]);
  return text;
}

/** Changes what the file of a domain says of it. Run inside {@link lockWorkspace}. */
export function changeDomain(domain: Domain, change: DomainChange): void {
  const path = domain.path;
  const text = changedDomain(readText(path), change);
  readYaml(domain.path, text, domainSchema);
  replaceFile(path, text, { isOurs: true });
}

/** Says where the journal is kept from now on. Run inside {@link lockWorkspace}. */
export function setJournal(folder: string, journal: string): void {
  const path = join(folder, SETTINGS_FILE);
  const before = readText(path);
  const text = withScalar(before, "journal", journal, ["organisation", "version"]);
  readYaml(path, text, settingsSchema);
  replaceFile(path, text, { isOurs: true });
}

/** An entry of `hosts:` as a file shows it; what is not named stays as it is. */
export interface HostEntry {
  readonly title?: string;
  readonly servers?: readonly string[];
  readonly nameServers?: readonly string[];
  readonly publish?: Readonly<Record<string, unknown>>;
}

/**
 * Adds a DNS host to zandrel.yaml, or changes what is named of one that is there; comments, order and layout stay. Gives
 * back the entry as the file shows it now. Run inside {@link lockWorkspace}.
 */
export function setHost(
  folder: string,
  key: string,
  entry: HostEntry,
): { readonly title: string; readonly way: Way; readonly text: string; readonly changed: boolean } {
  const path = join(folder, SETTINGS_FILE);
  const before = readText(path);
  const known = Object.hasOwn(readYaml(path, before, settingsSchema).value.hosts, key);
  const text = known
    ? Object.entries(entry).reduce((so, [field, value]) => withValue(so, ["hosts", key, field], value), before)
    : withEntry(before, "hosts", { [key]: entry });
  const host = readYaml(path, text, settingsSchema).value.hosts[key];
  if (host === undefined) throw new Error(`the host ${key} was lost on the way`);
  if (text !== before) replaceFile(path, text, { isOurs: true });
  return { title: host.title, way: host.publish.way, text: valueText(text, ["hosts", key]), changed: text !== before };
}
