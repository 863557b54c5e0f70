import { parseIpv4, parseIpv6 } from "../../record/index.ts";
import { type Cell, looksLikeName, type Paste, type Span } from "./paste.ts";
import { repairTarget, repairTxt } from "./repair.ts";
import { type Column, FORWARD_TYPES, isEmptyMark, isNoise, isTypeWord, labelOf } from "./words.ts";

/** The fields of one record as they were pasted, before anything is understood of them. */
export interface Fields {
  readonly type?: string;
  readonly host?: string;
  readonly value?: string;
  readonly priority?: string;
  readonly ttl?: string;
  readonly weight?: string;
  readonly port?: string;
  readonly service?: string;
  readonly protocol?: string;
  readonly flags?: string;
  readonly tag?: string;
  readonly action?: string;
  readonly oldValue?: string;
  readonly nameServer?: string;
  readonly forwardKind?: string;
  readonly other?: string;
}

/**
 * What shows that a text is a field of a record, the surest first: a label or a word for the field beside it; its place beside a type
 * or an arrow; marks around it beside a word that goes with a host; a form that nothing else has. A bare word of a sentence is none.
 */
export const EVIDENCE = ["label", "place", "marked", "form", "own"] as const;
export type Evidence = (typeof EVIDENCE)[number];

/** One record of a reading: its fields, and the line it begins on (an index into the lines of the paste). */
export interface Row {
  readonly fields: Fields;
  readonly line: number;
  /** Whether its value is in the grammar of zone files already: quoted strings, names with their final dot. */
  readonly zoneSyntax?: boolean;
  /** What shows its fields, where that is not the same for all of them. */
  readonly evidence?: Readonly<Partial<Record<"type" | "host" | "value", Evidence>>>;
  /** Whether a zone file's line lost the dot at the end of its target. */
  readonly dotless?: boolean;
  /** The number of the option it is, from 1, where its own sentence offers several. */
  readonly option?: number;
  /** Whether its own sentence says that it has to go. */
  readonly remove?: boolean;
}

export type Layout =
  | "options"
  | "zone-file lines"
  | "JSON"
  | "YAML"
  | "labelled fields"
  | "table"
  | "list"
  | "sentence"
  | "web proof"
  | "SPF terms"
  | "name servers"
  | "forwarding";

/** One way to read a part of a paste. */
export interface Reading {
  readonly layout: Layout;
  readonly rows: readonly Row[];
  /** Whether the page's own labels say which field is which. */
  readonly labelled?: boolean;
  /** Texts inside its place that no row holds. */
  readonly unused?: readonly string[];
  /** What it explains: the fields, their labels, buttons and states among them. */
  readonly spans: readonly Span[];
}

/** Reads a paste in one kind of layout; `free` says which lines no other reading has explained yet. */
export type Reader = (paste: Paste, free: (line: number) => boolean) => readonly Reading[];

/** A row with the places that it explains; several lines that hold no row of their own go with one that does. */
export interface PlacedRow {
  readonly row?: Row;
  readonly spans: readonly Span[];
}

/** Readings of rows without labels, one for each run of lines without a gap: what stands elsewhere may be read better in another way. */
export function readingsByPlace(layout: Layout, { lines: all }: Pick<Paste, "lines">, placed: readonly PlacedRow[]): Reading[] {
  const runs: { rows: Row[]; spans: Span[]; last: number }[] = [];
  for (const { row, spans } of placed) {
    const lines = spans.map(({ line }) => line);
    const begin = Math.min(...lines);
    let run = runs.at(-1);
    if (run === undefined || begin > run.last + 1 || (begin > run.last && all[begin]?.afterGap === true))
      runs.push((run = { rows: [], spans: [], last: 0 }));
    if (row !== undefined) run.rows.push(row);
    run.spans.push(...spans);
    run.last = Math.max(...lines);
  }
  return runs.flatMap(({ rows, spans }) => (rows.length === 0 ? [] : [{ layout, rows, spans }]));
}

/** A row while its fields are found. */
export class RowBuilder {
  readonly fields: { -readonly [C in Column]?: string } = {};
  readonly spans: Span[] = [];
  line = -1;
  /** Takes a cell as a field; a second cell of the same field is not taken. */
  take(column: Column, cell: Cell): boolean {
    if (this.fields[column] !== undefined && column !== "other") return false;
    this.fields[column] = cell.text;
    this.spans.push(cell.span);
    if (this.line === -1) this.line = cell.span.line;
    return true;
  }
  has(...columns: readonly Column[]): boolean {
    return columns.some((column) => this.fields[column] !== undefined);
  }
  row(type?: string): Row {
    return { fields: { ...(type === undefined ? {} : { type }), ...this.fields }, line: this.line };
  }
}

/** Whether a text can be what a host field holds: one token, or words for the domain itself, perhaps with a remark in brackets. */
export function looksLikeHost(text: string): boolean {
  const plain = repairTarget(text.replace(/\s*\([^)]*\)\s*$/, "").trim()).text;
  return (
    /^(?:@|\*|(?:\*\.)?[\p{L}\p{N}_][\p{L}\p{N}_.-]*|@\.[\w.-]+)$/u.test(plain) && !(isTypeWord(plain) && /^[A-Z]+$/.test(plain))
  );
}

/** How well a value fits a record type: 2 it can be nothing else, 1 it can be, 0 hardly, -1 it cannot be. */
export function fits(type: string | undefined, value: string): -1 | 0 | 1 | 2 {
  const text = value.trim();
  if (text === "" || isEmptyMark(text)) return -1;
  const target = repairTarget(text).text;
  const bare = text.replace(/^["'`]|["'`]$/g, "");
  const isAddress = parseIpv4(bare) !== undefined || parseIpv6(bare) !== undefined;
  switch (type?.toUpperCase()) {
    case "A":
      return parseIpv4(bare) === undefined ? -1 : 2;
    case "AAAA":
      return parseIpv6(bare) === undefined ? -1 : 2;
    case "CNAME":
    case "NS":
    case "PTR":
    case "DNAME":
      return isAddress
        ? -1
        : looksLikeName(target)
          ? 2
          : target === "@"
            ? 1
            : /^\S+$/.test(target) && labelOf(text) === undefined
              ? 0
              : -1;
    case "MX":
      if (/^(?:0\s+)?\.$/.test(text)) return 2;
      return looksLikeName(repairTarget(text.replace(/^\d+\s+/, "").replace(/\s*\(.*\)$/, "")).text) && !isAddress ? 2 : -1;
    case "SRV":
      return /^(?:\d+\s+){0,3}\S+$/.test(text) ? 1 : -1;
    case "CAA":
      return /\bissue|iodef/i.test(text) ? 2 : /^\S+$/.test(text) ? 1 : -1;
    case "TXT":
    case "SPF": {
      if (labelOf(text) !== undefined || isNoise(text) || (isTypeWord(text) && /^[A-Z]+$/.test(text))) return -1;
      if (isAddress) return 0;
      const plain = repairTxt(text).text;
      if (/^v=\w+/i.test(plain)) return 2;
      if (/^\S+$/.test(plain)) return /[=:_-]|\d/.test(plain) ? 2 : 1;
      return /=/.test(plain) ? 1 : 0;
    }
    default:
      return labelOf(text) !== undefined || isNoise(text) || (isTypeWord(text) && /^[A-Z]{2,}$/.test(text))
        ? -1
        : /^\S+$/.test(text)
          ? 1
          : 0;
  }
}

/** How plausible a row is as a record; the higher the better, negative where it is none. */
export function plausibility({ fields }: Row): number {
  const { type, host, value, priority, ttl, nameServer, forwardKind } = fields;
  if (nameServer !== undefined) return looksLikeName(nameServer) ? 12 : -10;
  if (type !== undefined && FORWARD_TYPES.test(type)) return value === undefined ? -5 : 12;
  let score = 0;
  if (type !== undefined) score += isTypeWord(type) ? 5 : /^[A-Z]{2,10}$/.test(type) ? 0 : -12;
  if (host !== undefined)
    score +=
      isEmptyMark(host) || looksLikeHost(host)
        ? 5
        : labelOf(host) !== undefined || isTypeWord(host)
          ? -12
          : / /.test(host)
            ? -2
            : -6;
  if (value === undefined || isEmptyMark(value)) score -= 4;
  else score += [-12, 1, 5, 8][fits(type, value) + 1] as number;
  if (value !== undefined && isNoise(value)) score -= 6;
  if (ttl !== undefined && !isEmptyMark(ttl)) score += /\d/.test(ttl) ? 1 : -4;
  if (priority !== undefined && !isEmptyMark(priority))
    score += !/^\d+$/.test(priority) ? -4 : /^(?:MX|SRV)$/i.test(type ?? "MX") ? 2 : -1;
  if (forwardKind !== undefined) score += 1;
  return score;
}

/** What a layout is worth for each of its rows: labels that the page put there itself count more than the order of words. */
const WORTH: Partial<Record<Layout, number>> = { "zone-file lines": 2, table: 1, sentence: -4 };

/** What shows the fields of a reading that does not say it of each. */
export const evidenceOf = ({ layout, labelled }: Reading): Evidence =>
  labelled === true || layout === "JSON" || layout === "YAML" ? "label" : layout === "sentence" ? "form" : "place";

/** How well a row of a reading explains its part of the paste; nothing of it where that is negative. */
const worthOfRow = ({ layout, labelled }: Reading, row: Row): number =>
  plausibility(row) + (labelled === true ? (layout === "sentence" ? 7 : 8) : (WORTH[layout] ?? 0));

/** How well a reading explains its part of the paste; not at all where a row of it can be no record. */
export function worthOf(reading: Reading): number {
  const rows = reading.rows.map((row) => worthOfRow(reading, row));
  if (rows.some((worth) => worth < 0)) return -1;
  // Several addresses of a sentence are one thing that it says.
  return reading.layout === "sentence" ? Math.max(...rows) : rows.reduce((sum, worth) => sum + worth, 0);
}
