/**
 * The workspace on disk: what is wanted (YAML files that people edit) and what happened (the journal).
 *
 * ```ts
 * const workspace = openWorkspace(process.cwd(), undefined);
 * workspace.domains[0].asks;                       // asks with their records parsed
 * const journal = await workspace.openJournal();
 * journal.append(now, "brackwater.example.", { kind: "proven", ask, by: "service", evidence });
 * ```
 */

export type { AskEntry } from "./ask-entry.ts";
export { BrokenPacking } from "./broken-packing.ts";
export { askEntry, changeDomain, revise, setHost, setJournal } from "./edit.ts";
export { readText, replaceFile } from "./files.ts";
export type {
  Journal,
  JournalEntry,
  JournalEvent,
  JournalKind,
  JournalledChange,
  Publication,
  PublicationEnd,
} from "./journal.ts";
export * from "./keys.ts";
// Kits and the schemas of files are loaded by the few commands that need them.
export type { KitFile } from "./kits.ts";
export { lockBeside, type Waiting, withLock } from "./lock.ts";
export * from "./messages.ts";
export { readSecret } from "./read-secret.ts";
export type { FoundReport, ReportFile } from "./reports.ts";
export { KEY, keyFor, type NoticeWay, type Settings } from "./schema.ts";
export { ignoreInGit, type SecretPlace, secretFile, secretVariable } from "./secret.ts";
export type { ArrivedReport, ReadReport, ReportStore, RowSum } from "./tally.ts";
export {
  type Domain,
  domainPath,
  exclusively,
  findWorkspace,
  lockGuard,
  lockReports,
  lockWorkspace,
  openWorkspace,
  pickDomains,
  pickService,
  readSettings,
  SETTINGS_FILE,
  type Workspace,
} from "./workspace.ts";
export const parseKit = async (...given: Parameters<typeof import("./kits.ts").parseKit>) =>
  (await import("./kits.ts")).parseKit(...given);
export const openSweepFile = async (path: string) => (await import("./sweep-store.ts")).openSweepFile(path);
export const openSweepQueue = async (...given: Parameters<typeof import("./sweep-queue.ts").openSweepQueue>) =>
  (await import("./sweep-queue.ts")).openSweepQueue(...given);
/** What files of reports hold, and their rows added up. */
export const reportReading = async () => {
  const [{ reportFiles, reportsIn }, { RowSums }] = await Promise.all([import("./reports.ts"), import("./tally.ts")]);
  return { reportFiles, reportsIn, RowSums };
};
/** What is kept, moved between files and a shared database. */
export const movingStores = () => import("./move-stores.ts");
export const sharedDatabase = async (...given: Parameters<typeof import("./shared-stores.ts").sharedDatabase>) =>
  (await import("./shared-stores.ts")).sharedDatabase(...given);
/** Kits from an address: how they are kept and known again. */
export const keptKits = () => import("./kits.ts");
export const readKit = async (...given: Parameters<typeof import("./kits.ts").readKit>) =>
  (await import("./kits.ts")).readKit(...given);
export const kitsOf = async (folder: string) => (await import("./kits.ts")).kitsOf(folder);
export const kitNames = async (folder: string) => (await import("./kits.ts")).kitNames(folder);
export const fileSchemas = async () => (await import("./file-schemas.ts")).fileSchemas();
