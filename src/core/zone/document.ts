import { type Clause, clause } from "../clause/index.ts";
import { type DomainName, isAtOrBelow, parseName, ROOT, upwards } from "../name/index.ts";
import {
  decodeUtf8,
  isOfType,
  parseSeconds,
  parseType,
  type RecordSet,
  type RecordType,
  type ResourceRecord,
  readData,
  type Token,
  toSets,
} from "../record/index.ts";
import { type ScannedEntry, scan } from "./scan.ts";

/** A record of a zone file and where it stands in it; offsets count characters of the file's text. */
export interface RecordEntry extends ResourceRecord {
  readonly start: number;
  readonly end: number;
  /** Where its words begin and end, without the space in front and the comment behind. */
  readonly wordsStart: number;
  readonly wordsEnd: number;
  /** Whether its owner is written out, or taken over from the entry before. */
  readonly ownerWritten: boolean;
  /** Whether its class is written out. */
  readonly classWritten: boolean;
  /** What `$ORIGIN` and `$TTL` were here. */
  readonly origin: DomainName;
  readonly defaultTtl: number | undefined;
  /** Offset of the serial number, in an SOA record. */
  readonly serialAt?: number;
  /** The file it comes from: undefined for the document itself, the path for an `$INCLUDE`. */
  readonly file?: string;
}

/** A mistake in a zone file. `line` and `column` count from 1. */
export interface ZoneIssue {
  readonly line: number;
  readonly column: number;
  readonly text: string;
  readonly expected: Clause;
  readonly file?: string;
}

/** A zone file as text with its records located in it. */
export interface ZoneDocument {
  readonly text: string;
  readonly entries: readonly RecordEntry[];
  readonly issues: readonly ZoneIssue[];
  /** What `$ORIGIN` and `$TTL` are at the end of the file. */
  readonly origin: DomainName;
  readonly defaultTtl: number | undefined;
}

export interface ParseOptions {
  /** What names are relative to at the start; the root if not given. */
  readonly origin?: DomainName;
  /** TTL in seconds of records that name none where no `$TTL` and no earlier record gives one. */
  readonly ttl?: number;
  /** Reads the file an `$INCLUDE` names, as octets; or says what it expected instead. */
  readonly include?: (path: string) => { readonly text: string } | { readonly expected: Clause };
  /**
   * Fills in a word of a record before it is understood. What words there are is known by then: nothing that is filled in begins
   * another word, line, type or directive. `undefined` where nothing can be filled in.
   */
  readonly fill?: (word: Token, place: WordPlace) => Token | undefined;
}

/** What a word of a record is: its owner's name, its TTL, or a part of its data, by the record's type. */
export type WordPlace = "owner" | "ttl" | RecordType;

const CLASSES = new Set(["IN", "CH", "HS", "CS"]);
const MAX_ISSUES = 1000;

/** How deep files may include each other, how many there may be, and how many characters they may have together. */
const MAX_DEPTH = 16;
const MAX_INCLUDED = 200;
const MAX_INCLUDED_LENGTH = 64 << 20;

/** Line and column, counted from 1, of offsets in a text; where its lines begin is found once, with the first question. */
function positionsIn(text: string): (at: number) => { line: number; column: number } {
  let starts: number[] | undefined;
  return (at) => {
    if (starts === undefined) {
      starts = [0];
      for (let i = text.indexOf("\n"); i !== -1; i = text.indexOf("\n", i + 1)) starts.push(i + 1);
    }
    let line = 0;
    for (let step = 1 << 30; step >= 1; step >>= 1) if ((starts[line + step] ?? Number.POSITIVE_INFINITY) <= at) line += step;
    return { line: line + 1, column: at - (starts[line] as number) + 1 };
  };
}

interface State {
  origin: DomainName;
  owner: DomainName | undefined;
  defaultTtl: number | undefined;
  lastTtl: number | undefined;
  depth: number;
  included: number;
  includedLength: number;
  readonly options: ParseOptions;
  readonly entries: RecordEntry[];
  readonly issues: ZoneIssue[];
}

/**
 * Reads a zone file (RFC 1035 section 5, RFC 2308 section 4 for `$TTL`, RFC 3597 for unknown types).
 * `text` is an octet string: decode files as latin1, so that every octet survives. Mistakes are listed in
 * `issues` and the reading goes on behind them.
 */
export function readZone(text: string, options: ParseOptions = {}): ZoneDocument {
  const state: State = {
    origin: options.origin ?? ROOT,
    owner: undefined,
    defaultTtl: undefined,
    lastTtl: undefined,
    depth: 0,
    included: 0,
    includedLength: 0,
    options,
    entries: [],
    issues: [],
  };
  readInto(state, text, undefined);
  return { text, entries: state.entries, issues: state.issues, origin: state.origin, defaultTtl: state.defaultTtl };
}

function readInto(state: State, text: string, file: string | undefined): void {
  const positionOf = positionsIn(text);
  const issue = (at: number, found: string, expected: Clause) =>
    state.issues.push({ ...positionOf(at), text: decodeUtf8(found), expected, ...(file === undefined ? {} : { file }) });
  for (const entry of scan(text)) {
    // A text with so many mistakes is not a zone file, and nobody reads the rest of the list.
    if (state.issues.length >= MAX_ISSUES) return;
    if ("expected" in entry) {
      issue(entry.at, entry.text, entry.expected);
      continue;
    }
    const first = entry.tokens[0] as Token;
    if (!entry.indented && first.text.startsWith("$") && !first.quoted) readDirective(state, entry, file, issue);
    else readRecord(state, entry, file, issue);
  }
}

type Report = (at: number, found: string, expected: Clause) => void;

function readDirective(state: State, entry: ScannedEntry, file: string | undefined, issue: Report): void {
  const [directive, argument, origin] = entry.tokens as [Token, Token?, Token?];
  const kind = directive.text.toUpperCase();
  if (argument === undefined) return issue(directive.at, directive.text, clause("expected-argument", { directive: kind }));
  switch (kind) {
    case "$ORIGIN": {
      const parsed = parseName(decodeUtf8(argument.text), state.origin);
      if (parsed.ok) state.origin = parsed.value;
      else issue(argument.at, argument.text, clause("expected-other-name", { because: parsed.error.message }));
      return;
    }
    case "$TTL": {
      const ttl = parseSeconds(argument.text);
      if (ttl === undefined) issue(argument.at, argument.text, clause("expected-time"));
      else state.defaultTtl = ttl;
      return;
    }
    case "$INCLUDE": {
      if (state.depth >= MAX_DEPTH) return issue(argument.at, argument.text, clause("expected-no-loop-of-files"));
      if (state.included >= MAX_INCLUDED)
        return issue(argument.at, argument.text, clause("expected-fewer-files", { most: MAX_INCLUDED }));
      const included = state.options.include?.(decodeUtf8(argument.text)) ?? { expected: clause("expected-readable-file") };
      if ("expected" in included) return issue(argument.at, argument.text, included.expected);
      state.included += 1;
      state.includedLength += included.text.length;
      if (state.includedLength > MAX_INCLUDED_LENGTH)
        return issue(argument.at, argument.text, clause("expected-smaller-files", { octets: MAX_INCLUDED_LENGTH }));
      const parsed = origin === undefined ? undefined : parseName(decodeUtf8(origin.text), state.origin);
      if (parsed?.ok === false)
        return issue(origin?.at ?? 0, origin?.text ?? "", clause("expected-other-name", { because: parsed.error.message }));
      // The origin and owner of the including file hold again behind the include (RFC 1035 section 5.1).
      const { origin: before, owner } = state;
      if (parsed?.ok) state.origin = parsed.value;
      state.depth += 1;
      readInto(state, included.text, decodeUtf8(argument.text));
      state.depth -= 1;
      state.origin = before;
      state.owner = owner;
      return;
    }
    default:
      issue(directive.at, directive.text, clause("expected-directive", { included: file !== undefined }));
  }
}

function readRecord(state: State, entry: ScannedEntry, file: string | undefined, issue: Report): void {
  const { tokens } = entry;
  const fill = state.options.fill ?? ((word: Token): Token | undefined => word);
  let next = 0;
  if (!entry.indented) {
    const token = tokens[next++] as Token;
    const owner = fill(token, "owner");
    const parsed = owner === undefined ? undefined : parseName(decodeUtf8(owner.text), state.origin);
    if (!parsed?.ok) {
      state.owner = undefined;
      const expected =
        parsed === undefined ? clause("expected-name") : clause("expected-other-name", { because: parsed.error.message });
      return issue(token.at, token.text, expected);
    }
    state.owner = parsed.value;
  }
  if (state.owner === undefined) return issue(entry.start, tokens[0]?.text ?? "", clause("expected-owner"));
  let ttl: number | undefined;
  let classWritten = false;
  for (; next < tokens.length; next++) {
    const token = tokens[next] as Token;
    const filled = fill(token, "ttl");
    const word = (filled ?? token).text;
    const upper = word.toUpperCase();
    const time = ttl === undefined && /^\d/.test(word) ? parseSeconds(word) : undefined;
    if (time !== undefined) ttl = time;
    // What was filled in is a time, or a mistake; it never says of which type the record is.
    else if (filled !== token) return issue(token.at, token.text, clause("expected-time"));
    else if (!classWritten && CLASSES.has(upper)) {
      if (upper !== "IN") return issue((tokens[next] as Token).at, word, clause("expected-class-in"));
      classWritten = true;
    } else break;
  }
  const typeToken = tokens[next++];
  const type = typeToken === undefined || typeToken.quoted ? undefined : parseType(typeToken.text);
  if (type === undefined) return issue(typeToken?.at ?? entry.wordsEnd, typeToken?.text ?? "", clause("expected-type-such-as"));
  const words: Token[] = [];
  for (const token of tokens.slice(next)) {
    const word = fill(token, type);
    if (word === undefined) return issue(token.at, token.text, clause("expected-value-for", { type }));
    words.push(word);
  }
  const data = readData(type, words, state.origin, entry.wordsEnd);
  if (!data.ok) return issue(data.error.at, data.error.text, data.error.expected);
  const soaMinimum = type === "SOA" ? (data.value as { minimum: number }).minimum : undefined;
  const effective = ttl ?? state.defaultTtl ?? state.lastTtl ?? state.options.ttl ?? soaMinimum;
  if (effective === undefined) return issue(entry.wordsEnd, "", clause("expected-ttl"));
  state.lastTtl = effective;
  state.entries.push({
    name: state.owner,
    type,
    ttl: effective,
    data: data.value,
    start: entry.start,
    end: entry.end,
    wordsStart: (tokens[0] as Token).at,
    wordsEnd: entry.wordsEnd,
    ownerWritten: !entry.indented,
    classWritten,
    origin: state.origin,
    defaultTtl: state.defaultTtl,
    ...(type === "SOA" ? { serialAt: tokens[next + 2]?.at ?? -1 } : {}),
    ...(file === undefined ? {} : { file }),
  });
}

/** The records of some zone-file lines, for a place that is not a whole zone: an ask, a paste. */
export function readRecords(
  text: string,
  options: ParseOptions = {},
): { readonly records: readonly ResourceRecord[]; readonly issues: readonly ZoneIssue[] } {
  const { entries, issues } = readZone(text, options);
  return { records: entries.map(({ name: owner, type, ttl, data }) => ({ name: owner, type, ttl, data })), issues };
}

/** A zone in memory: what one apex answers for. */
export interface Zone {
  readonly apex: DomainName;
  readonly soa: RecordSet | undefined;
  /** Record sets by name and type. */
  readonly nodes: ReadonlyMap<DomainName, ReadonlyMap<RecordType, RecordSet>>;
  /** Every name that exists, empty non-terminals included (RFC 4592 section 2.2.2). */
  readonly names: ReadonlySet<DomainName>;
}

/** Builds a zone from its record sets; sets outside the apex are left out. */
export function zoneOf(apex: DomainName, sets: Iterable<RecordSet>): Zone {
  const nodes = new Map<DomainName, Map<RecordType, RecordSet>>();
  const names = new Set<DomainName>([apex]);
  for (const set of sets) {
    if (!isAtOrBelow(set.name, apex)) continue;
    let node = nodes.get(set.name);
    if (node === undefined) {
      nodes.set(set.name, (node = new Map()));
      for (const above of upwards(set.name)) {
        if (names.has(above)) break;
        names.add(above);
      }
    }
    node.set(set.type, set);
  }
  return { apex, soa: nodes.get(apex)?.get("SOA"), nodes, names };
}

/**
 * The zones a zone file describes: one for each SOA record, each with the records nearest to it. A file
 * without an SOA is one zone at its `$ORIGIN` or, without one, at the closest name above everything in it.
 */
export function zonesOf({ entries }: Pick<ZoneDocument, "entries">): Zone[] {
  const sets = toSets(entries);
  const apexes = new Set(sets.filter((set) => isOfType(set, "SOA")).map((set) => set.name));
  if (apexes.size === 0) {
    const apex = sets.reduce<DomainName | undefined>((common, set) => {
      if (common === undefined) return entries[0]?.origin === ROOT ? set.name : (entries[0]?.origin ?? set.name);
      for (const above of upwards(common)) if (isAtOrBelow(set.name, above)) return above;
      return ROOT;
    }, undefined);
    return apex === undefined ? [] : [zoneOf(apex, sets)];
  }
  const byApex = new Map<DomainName, RecordSet[]>([...apexes].map((apex) => [apex, []]));
  for (const set of sets) {
    // The DS and NS sets of a delegation stand at the child's apex too; they stay where the file has one zone for both.
    for (const above of upwards(set.name)) {
      const zone = byApex.get(above);
      if (zone !== undefined) {
        zone.push(set);
        break;
      }
    }
  }
  return [...byApex].map(([apex, own]) => zoneOf(apex, own));
}

/** The negative-caching time a zone's SOA asks for, in seconds (RFC 2308 section 5). */
export function negativeTtl(soa: RecordSet): number {
  return isOfType(soa, "SOA") ? Math.min(soa.ttl, soa.data[0]?.minimum ?? soa.ttl) : soa.ttl;
}
