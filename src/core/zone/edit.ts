import { type DomainName, ROOT, relativeText } from "../name/index.ts";
import { dataKey, printData, type RecordData, type RecordSet, type RecordType, sameData, toSets } from "../record/index.ts";
import { err, ok, type Result } from "../result.ts";
import { type ParseOptions, type RecordEntry, readZone, type ZoneDocument } from "./document.ts";
import { nextSerial } from "./serial.ts";

/** One record set as it is to be: `after` undefined removes it, `before` undefined says there is none yet. */
export interface SetChange {
  readonly name: DomainName;
  readonly type: RecordType;
  readonly before: RecordSet | undefined;
  readonly after: RecordSet | undefined;
}

export type EditError =
  | { readonly code: "conflict"; readonly change: SetChange; readonly now: RecordSet | undefined }
  | { readonly code: "included"; readonly change: SetChange; readonly file: string }
  | { readonly code: "no-soa" | "signed" };

interface Splice {
  readonly start: number;
  readonly end: number;
  readonly text: string;
}

const lineEndOf = (text: string): string => (/\r\n/.test(text) ? "\r\n" : "\n");

/** One record as a line in the manner of the records around it. */
function writeRecord(
  set: RecordSet,
  data: RecordData,
  like: Pick<RecordEntry, "origin" | "defaultTtl" | "classWritten">,
): string {
  const owner = like.origin === ROOT ? set.name : relativeText(set.name, like.origin);
  const words = [
    owner,
    ...(set.ttl === like.defaultTtl ? [] : [String(set.ttl)]),
    ...(like.classWritten ? ["IN"] : []),
    set.type,
  ];
  return `${words.join("\t")}\t${printData(set.type, data)}`;
}

/**
 * Carries changes of record sets into a zone file and raises its serial, leaving every other character
 * as it is: comments, order, layout, line ends. Refuses, changing nothing, where a set is not as `before`
 * says. The result is read again, and has to say exactly what was wanted.
 *
 * @param options what the document was parsed with
 * @param today the day as YYYYMMDD, for zones whose serial is a date
 */
export function editZone(
  document: ZoneDocument,
  changes: readonly SetChange[],
  options: ParseOptions,
  today: string,
): Result<{ readonly text: string; readonly serial: number }, EditError> {
  const { text, entries } = document;
  const sets = new Map(toSets(entries).map((set) => [`${set.name} ${set.type}`, set]));
  const idOf = (change: { name: DomainName; type: RecordType }) => `${change.name} ${change.type}`;
  for (const change of changes) {
    const now = sets.get(idOf(change));
    if (!sameData(now, change.before) || now?.ttl !== change.before?.ttl) return err({ code: "conflict", change, now });
  }
  // A signed file would keep signatures that fit no more: every checking resolver would refuse what was changed (RFC 4035 section 2.2).
  if (changes.length > 0 && entries.some((entry) => entry.type === "RRSIG")) return err({ code: "signed" });
  const soa = entries.find((entry) => entry.type === "SOA" && entry.file === undefined);
  if (soa?.serialAt === undefined || soa.serialAt < 0) return err({ code: "no-soa" });

  const byName = new Map<DomainName, RecordEntry[]>();
  for (const entry of entries) {
    const same = byName.get(entry.name);
    if (same === undefined) byName.set(entry.name, [entry]);
    else same.push(entry);
  }
  const gone = new Set<RecordEntry>();
  const added: { readonly after: RecordSet; readonly data: readonly RecordData[]; readonly anchor: RecordEntry | undefined }[] =
    [];
  for (const change of changes) {
    const own = (byName.get(change.name) ?? []).filter((entry) => entry.type === change.type);
    const keep = new Set(change.after?.data.map((data) => dataKey(change.type, data)));
    const stays = (entry: RecordEntry) => entry.ttl === change.after?.ttl && keep.has(dataKey(entry.type, entry.data));
    for (const entry of own) {
      if (stays(entry)) continue;
      if (entry.file !== undefined) return err({ code: "included", change, file: entry.file });
      gone.add(entry);
    }
    const kept = new Set(own.filter(stays).map((entry) => dataKey(entry.type, entry.data)));
    const missing = (change.after?.data ?? []).filter((data) => !kept.has(dataKey(change.type, data)));
    if (change.after !== undefined && missing.length > 0) {
      const near = own.length > 0 ? own : (byName.get(change.name) ?? []);
      added.push({ after: change.after, data: missing, anchor: near.findLast((entry) => entry.file === undefined) });
    }
  }

  const splices: Splice[] = [];
  const newline = lineEndOf(text);
  entries.forEach((entry, i) => {
    if (gone.has(entry)) {
      splices.push({ start: entry.start, end: entry.end, text: "" });
    } else if (!entry.ownerWritten && entry.file === undefined) {
      // An owner that was written on a removed line is written out on the first line that stays.
      let source = i - 1;
      while (source >= 0 && gone.has(entries[source] as RecordEntry) && !entries[source]?.ownerWritten) source -= 1;
      const written = entries[source];
      if (written?.ownerWritten && gone.has(written))
        splices.push({ start: entry.start, end: entry.start, text: relativeText(entry.name, entry.origin) });
    }
  });
  for (const { after, data, anchor } of added) {
    const at = anchor?.end ?? text.length;
    const like = anchor ?? { origin: document.origin, defaultTtl: document.defaultTtl, classWritten: soa.classWritten };
    const lines = data.map((recordData) => writeRecord(after, recordData, like) + newline).join("");
    splices.push({ start: at, end: at, text: at > 0 && text[at - 1] !== "\n" ? newline + lines : lines });
  }
  const before = soa.data as { readonly serial: number };
  const serial = nextSerial(before.serial, today);
  splices.push({
    start: soa.serialAt,
    end: soa.serialAt + /^\d+/.exec(text.slice(soa.serialAt, soa.serialAt + 10))![0].length,
    text: String(serial),
  });

  const edited = splice(text, splices);
  expectExactly(edited, options, sets, changes);
  return ok({ text: edited, serial });
}

function splice(text: string, splices: readonly Splice[]): string {
  // Stable: of two splices at one place, the removal of the lines before it comes first.
  const ordered = [...splices].sort((a, b) => a.start - b.start || a.end - b.end);
  const parts: string[] = [];
  let at = 0;
  for (const { start, end, text: insert } of ordered) {
    parts.push(text.slice(at, start), insert);
    at = Math.max(at, end);
  }
  parts.push(text.slice(at));
  return parts.join("");
}

/** Reads the edited file and compares it, set by set, with what was wanted: a file that says anything else is never written. */
function expectExactly(
  text: string,
  options: ParseOptions,
  before: ReadonlyMap<string, RecordSet>,
  changes: readonly SetChange[],
): void {
  const wanted = new Map(before);
  for (const { name, type, after } of changes) {
    if (after === undefined) wanted.delete(`${name} ${type}`);
    else wanted.set(`${name} ${type}`, after);
  }
  const got = new Map(toSets(readZone(text, options).entries).map((set) => [`${set.name} ${set.type}`, set]));
  const differs =
    got.size !== wanted.size ||
    [...wanted].some(([id, set]) => {
      const other = got.get(id);
      return set.type !== "SOA" && (!sameData(other, set) || other?.ttl !== set.ttl);
    });
  if (differs) throw new Error("the edited zone file does not say what was wanted; nothing was written");
}
