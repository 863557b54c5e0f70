import type { DomainName } from "../name/index.ts";
import type { DataOf, KnownType, RecordData, RecordSet, RecordType, ResourceRecord } from "./data.ts";
import { decodeUtf8 } from "./octets.ts";
import { printData } from "./types.ts";

/** A set or record whose type is known to be `T`, so that its data has that shape. */
export function isOfType<T extends KnownType>(set: RecordSet, type: T): set is RecordSet<DataOf[T]> & { readonly type: T } {
  return set.type === type;
}

/** The joined strings of a TXT record as an octet string: consumers join without a space (RFC 7208 section 3.3, RFC 6376 section 3.6.2.2). */
export const txtValue = (data: DataOf["TXT"]): string => data.strings.join("");

/** What makes two record data of one type the same data. */
export const dataKey = (type: RecordType, data: RecordData): string =>
  type === "TXT" ? txtValue(data as DataOf["TXT"]) : printData(type, data);

/** Whether two sets hold the same data, in whatever order and with whatever TTL; two absent sets are the same. */
export function sameData(a: RecordSet | undefined, b: RecordSet | undefined): boolean {
  if (a === undefined || b === undefined) return a === b;
  if (a.type !== b.type || a.data.length !== b.data.length) return false;
  const keys = new Set(a.data.map((data) => dataKey(a.type, data)));
  return b.data.every((data) => keys.has(dataKey(b.type, data)));
}

/** Whether every record of `part` is in `whole`. */
export function containsAll(whole: RecordSet | undefined, part: RecordSet): boolean {
  if (whole === undefined || whole.type !== part.type) return false;
  const keys = new Set(whole.data.map((data) => dataKey(whole.type, data)));
  return part.data.every((data) => keys.has(dataKey(part.type, data)));
}

/** The set with these data added; data already there stay as they are. */
export function withData(set: RecordSet, more: readonly RecordData[]): RecordSet {
  const keys = new Set(set.data.map((data) => dataKey(set.type, data)));
  return { ...set, data: [...set.data, ...more.filter((data) => !keys.has(dataKey(set.type, data)))] };
}

export const recordsOf = (set: RecordSet): ResourceRecord[] =>
  set.data.map((data) => ({ name: set.name, type: set.type, ttl: set.ttl, data }));

/** Gathers records into sets, in the order of their first record. The set's TTL is the smallest (RFC 2181 section 5.2). */
export function toSets(records: Iterable<ResourceRecord>): RecordSet[] {
  const sets = new Map<string, { name: DomainName; type: RecordType; ttl: number; data: RecordData[] }>();
  const keys = new Map<string, Set<string>>();
  for (const { name, type, ttl, data } of records) {
    const id = `${name} ${type}`;
    const set = sets.get(id);
    if (set === undefined) {
      sets.set(id, { name, type, ttl, data: [data] });
      continue;
    }
    set.ttl = Math.min(set.ttl, ttl);
    // Most sets have one record, and nothing to compare it with.
    let seen = keys.get(id);
    if (seen === undefined) keys.set(id, (seen = new Set(set.data.map((recordData) => printData(type, recordData)))));
    const key = printData(type, data);
    if (!seen.has(key)) set.data.push(data);
    seen.add(key);
  }
  return [...sets.values()];
}

/** One record as one zone-file line, the name absolute. */
export const printRecord = ({ name, type, ttl, data }: ResourceRecord): string =>
  `${name} ${ttl} IN ${type} ${printData(type, data)}`;

/** A record as programs read it: `{name, type, ttl, data}`, where data is text where the type has one field, and an object else. */
export interface RecordJson {
  readonly name: DomainName;
  readonly type: string;
  readonly ttl: number;
  readonly data: string | Readonly<Record<string, unknown>>;
}

export function recordJson({ name, type, ttl, data }: ResourceRecord): RecordJson {
  if ("strings" in data) return { name, type, ttl, data: decodeUtf8(txtValue(data)) };
  if ("address" in data) return { name, type, ttl, data: data.address };
  if (isAlias(data)) return { name, type, ttl, data: data.target };
  if ("rdata" in data) return { name, type, ttl, data: printData(type, data) };
  return { name, type, ttl, data: "value" in data ? { ...data, value: decodeUtf8(data.value) } : withoutSpelling({ ...data }) };
}

const isAlias = (data: RecordData): data is DataOf["CNAME"] => "target" in data && Object.keys(data).length === 1;

/** Fields in which a name is kept as it was spelled, with the name alone. */
const withoutSpelling = (data: Readonly<Record<string, unknown>>): Readonly<Record<string, unknown>> =>
  Object.fromEntries(
    Object.entries(data).map(([key, value]) => [
      key,
      typeof value === "object" && value !== null && "octets" in value && "name" in value ? value.name : value,
    ]),
  );

export const setJson = (set: RecordSet | undefined): RecordJson[] => (set === undefined ? [] : recordsOf(set).map(recordJson));
