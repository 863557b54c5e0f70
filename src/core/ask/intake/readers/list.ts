import type { DomainName } from "../../../name/index.ts";
import type { Cell, Paste, Span } from "../paste.ts";
import { wholeLine } from "../paste.ts";
import {
  fits,
  looksLikeHost,
  type PlacedRow,
  type Reader,
  type Reading,
  type Row,
  RowBuilder,
  readingsByPlace,
} from "../reading.ts";
import { type Column, isEmptyMark, isNoise, type Label, labelOf, typeCell } from "../words.ts";
import { contextType, typeOfTable, typesIn } from "./context.ts";
import { holdsFields } from "./labels.ts";
import { saidIn } from "./sentences.ts";
import { goesOn } from "./table.ts";

/** Every cell of the lines that are still free, in reading order; buttons and states are not cells. */
function cellsOf({ lines }: Paste, free: (line: number) => boolean): Cell[] {
  const cells: Cell[] = [];
  for (const line of lines) {
    if (!free(line.index)) continue;
    let at = 0;
    for (const part of line.text.split("\t")) {
      const text = part.trim();
      const from = at + part.length - part.trimStart().length;
      const span = { line: line.index, from, to: from + text.length };
      at += part.length + 1;
      if (text === "") continue;
      // A host may be called like a button: right behind a type it is one.
      const before = cells.at(-1)?.text ?? "";
      const isHost = /^[a-z]+$/.test(text) && (typeCell(before) !== undefined || labelOf(before) !== undefined);
      if (isHost || !isNoise(text)) cells.push({ text, span });
    }
  }
  return cells;
}

/** No table has more columns. */
const MAX_COLUMNS = 10;

/** How many cells from `at` are headings of different columns. */
function headingRun(cells: readonly Cell[], at: number): Label[] {
  const labels: Label[] = [];
  for (let i = at; i < cells.length && labels.length < MAX_COLUMNS; i++) {
    const label = labelOf((cells[i] as Cell).text);
    if (label === undefined || (label.column !== "other" && labels.some(({ column }) => column === label.column))) break;
    labels.push(label);
  }
  return labels;
}

/** Whether a cell can stand in a column; a status or remark is anything. */
function fitsColumn(column: Column, text: string): boolean {
  switch (column) {
    case "type":
      return typeCell(text) !== undefined;
    case "host":
      return looksLikeHost(text) || isEmptyMark(text);
    case "priority":
    case "ttl":
    case "weight":
    case "port":
    case "flags":
      return /\d/.test(text) && text.length < 30;
    case "service":
    case "protocol":
      return /^_?[\w-]+$/.test(text);
    case "value":
    case "oldValue":
      return labelOf(text) === undefined && !holdsFields(text);
    default:
      return true;
  }
}

/** The cells of one row under its columns; cells that were empty on the page are missing in the list. */
function rowUnder(
  columns: readonly Label[],
  cells: readonly Cell[],
  type: string | undefined,
  isFirst: boolean,
): { row: Row; spans: Span[] } | undefined {
  const built = new RowBuilder();
  let at = 0;
  let misses = false;
  columns.forEach(({ column }, i) => {
    const cell = cells[at];
    if (cell === undefined || misses) return;
    if (column === "type" && !fitsColumn(column, cell.text)) {
      // A type is never left out on the page itself.
      misses = true;
      return;
    }
    const spare = cells.length - at - (columns.length - i);
    if (fitsColumn(column, cell.text) || spare >= 0) {
      if (!fitsColumn(column, cell.text)) return;
      built.take(column, column === "type" ? { ...cell, text: typeCell(cell.text) as string } : cell);
      at += 1;
    }
  });
  if (misses || at !== cells.length || !built.has("value")) return undefined;
  const row = built.row(built.has("type") ? undefined : type);
  const { host, value = "" } = row.fields;
  // Behind the first row, or with other columns empty, a line without a type may as well be the text around the table.
  const whole = columns.every(({ column }) => built.has(column));
  const sure = whole && (isFirst || built.has("type") || /^\S{13,}$/.test(value));
  if (!sure && fits(row.fields.type, value) < 2) return undefined;
  if (fits(row.fields.type, value) < 0 || (host !== undefined && !looksLikeHost(host) && !isEmptyMark(host))) return undefined;
  return { row, spans: built.spans };
}

/** Joins cells that are the pieces of one value. */
function joined(cells: readonly Cell[]): { cell: Cell; spans: Span[] }[] {
  const result: { cell: Cell; spans: Span[] }[] = [];
  for (const cell of cells) {
    const last = result.at(-1);
    if (last !== undefined && goesOn(last.cell.text, cell.text)) {
      last.cell = { ...last.cell, text: `${last.cell.text}\n${cell.text}` };
      last.spans.push(cell.span);
    } else result.push({ cell, spans: [cell.span] });
  }
  return result;
}

/** A copied table with one cell a line: its headings first, then the cells of each row. */
function underHeadings(paste: Paste, cells: readonly Cell[]): Reading[] {
  const readings: Reading[] = [];
  for (let at = 0; at < cells.length; at++) {
    const labels = headingRun(cells, at);
    // A status is shown as a sign or a word that is not a part of a record, and is gone by now.
    const columns = labels.filter(({ column }) => column !== "other");
    if (columns.length < 2 || !columns.some(({ column }) => column === "value" || column === "nameServer")) {
      at += Math.max(0, labels.length - 1);
      continue;
    }
    const type = typeOfTable(columns, paste.lines, (cells[at] as Cell).span.line);
    const behind = joined(cells.slice(at + labels.length));
    const spans = cells.slice(at, at + labels.length).map(({ span }) => span);
    const rows: Row[] = [];
    let next = 0;
    const typeFirst = columns[0]?.column === "type";
    while (next < behind.length) {
      const width = typeFirst ? toNextType(behind, next) : columns.length;
      const taken = [...new Set([Math.min(width, columns.length), columns.length])]
        .map((size) => behind.slice(next, next + size))
        .map((part) => ({
          part,
          read: rowUnder(
            columns,
            part.map(({ cell }) => cell),
            type,
            rows.length === 0,
          ),
        }))
        .find(({ read }) => read !== undefined);
      if (taken?.read === undefined) break;
      rows.push(taken.read.row);
      spans.push(...taken.part.flatMap((piece) => piece.spans));
      next += taken.part.length;
    }
    if (rows.length > 0) readings.push({ layout: "list", labelled: true, rows, spans });
    at += labels.length - 1;
  }
  return readings;
}

/** How many cells a row has that begins with its type. */
function toNextType(cells: readonly { cell: Cell }[], from: number): number {
  let to = from + 1;
  while (to < cells.length && typeCell((cells[to] as { cell: Cell }).cell.text) === undefined) to += 1;
  return to - from;
}

/** Rows of a list without headings: each begins with its type, host and value follow. */
function withoutHeadings(paste: Paste, cells: readonly Cell[], free: (line: number) => boolean): Reading[] {
  const placed: PlacedRow[] = [];
  const pieces = joined(cells);
  for (let at = 0; at < pieces.length; ) {
    const { cell } = pieces[at] as { cell: Cell };
    const type = /^[A-Z]/.test(cell.text) ? typeCell(cell.text) : undefined;
    if (type === undefined) {
      at += 1;
      continue;
    }
    // What another reading has explained ends a row.
    const parted = pieces.slice(at, at + 5).findIndex(({ cell: next }) => isParted(cell.span.line, next.span.line, free));
    const width = Math.min(toNextType(pieces, at), 5, ...(parted === -1 ? [] : [parted]));
    const read = listRow(
      type,
      pieces.slice(at + 1, at + width).map((piece) => piece.cell),
    );
    if (read !== undefined)
      placed.push({
        row: { fields: read.fields, line: cell.span.line },
        spans: pieces.slice(at, at + 1 + read.used).flatMap((piece) => piece.spans),
      });
    at += 1 + (read?.used ?? 0);
  }
  return readingsByPlace("list", paste, placed);
}

/** Whether a line that is explained already stands between two lines. */
function isParted(from: number, to: number, free: (line: number) => boolean): boolean {
  for (let line = from + 1; line < to; line++) if (!free(line)) return true;
  return false;
}

function listRow(type: string, cells: readonly Cell[]): { fields: Row["fields"]; used: number } | undefined {
  const [host, ...more] = cells.map(({ text }) => text);
  if (host === undefined || !looksLikeHost(host) || labelOf(host) !== undefined) return undefined;
  const numberFirst = type === "MX" && /^\d{1,5}$/.test(more[0] ?? "");
  const value = numberFirst ? more[1] : more[0];
  // Words with a number among them are a text where the host can be nothing else.
  const isText = type === "TXT" && /^(?:@|_\S+|\S+\.\S+)$/.test(host) && /\d/.test(value ?? "") && !/[,;:.]\s/.test(value ?? "");
  if (value === undefined || fits(type, value) < (isText ? 0 : 1)) return undefined;
  const behind = more[numberFirst ? 2 : 1];
  const ttl = behind !== undefined && /^\d{2,6}$/.test(behind) ? behind : undefined;
  return {
    fields: { type, host, value, ...(numberFirst ? { priority: more[0] as string } : {}), ...(ttl === undefined ? {} : { ttl }) },
    used: 2 + (numberFirst ? 1 : 0) + (ttl === undefined ? 0 : 1),
  };
}

/** Lists of cells, one a line, as a copied table becomes in plain text. */
export const readLists: Reader = (paste, free) => {
  const cells = cellsOf(paste, free);
  return [...underHeadings(paste, cells), ...withoutHeadings(paste, cells, free)];
};

/** One value on a line of its own below a sentence or heading that names its type: “add this TXT record”. */
export const readLoneValues: Reader = (paste, free) => {
  const readings: Reading[] = [];
  const { lines } = paste;
  for (const line of lines) {
    if (!free(line.index)) continue;
    const text = line.text.trim();
    if (/\t/.test(text) || labelOf(text) !== undefined || typeCell(text) !== undefined || holdsFields(text)) continue;
    const type = contextType(lines, line.index);
    if (type === undefined) continue;
    const inMx = type === "MX" && /^\d{1,5}\s+\S+$/.test(text);
    if (!inMx && !/^\S+$/.test(text) && !/^["“`]?v=(?:spf1|DKIM1|DMARC1)\b/i.test(text)) continue;
    if (fits(type, text) < 2) continue;
    const rows: Row[] = [{ line: line.index, fields: { type, value: text } }];
    const spans = [wholeLine(line)];
    let value = text;
    for (const next of lines.slice(line.index + 1)) {
      if (!free(next.index) || !goesOn(value, next.text)) break;
      value += `\n${next.text}`;
      spans.push(wholeLine(next));
    }
    // What belongs to it may follow as a field of its own.
    const fields: { priority?: string; ttl?: string } = {};
    for (let at = line.index + spans.length; at < lines.length && free(at); ) {
      // Its label may stand above it.
      const field = lines.slice(at, at + 2).map((next) => next.text.trim());
      const found = /^(priority|prio|preference|ttl)\s*[:=]?(?:\s*(\d[\w ]{0,20})(?:\n|$)|\n(\d{1,10})$)/i.exec(field.join("\n"));
      if (found === null) break;
      const [, label = "", beside, below = ""] = found;
      fields[/ttl/i.test(label) ? "ttl" : "priority"] = beside ?? below;
      const used = lines.slice(at, at + (beside === undefined ? 2 : 1));
      spans.push(...used.map(wholeLine));
      at += used.length;
    }
    readings.push({
      layout: "sentence",
      rows: rows.map((row) => ({ ...row, fields: { ...row.fields, ...fields, value } })),
      spans,
    });
  }
  return readings;
};

/** A value alone on its line, of a type that a line above names; a mail server may have its priority in front. */
function loneValue(type: string, text: string): Row["fields"] | undefined {
  const [, priority, exchange] = (type === "MX" ? /^(?:priority |prio )?(\d{1,5})[\s,:)–-]+(\S+)$/i.exec(text) : null) ?? [];
  const value = exchange ?? text;
  if (!/^\S+$/.test(value) || labelOf(value) !== undefined || fits(type, value) < 1) return undefined;
  return { type, value, ...(priority === undefined ? {} : { priority }) };
}

/**
 * Several values, one a line, below a sentence that names their type, and perhaps the host that all of them are for: “Add these MX records
 * for mail.brackwater.example:”.
 */
export const readValuesBelow =
  (domain: DomainName): Reader =>
  ({ lines }, free) =>
    lines.flatMap((line): Reading[] => {
      if (!free(line.index) || line.text.length > 300 || !/\s/.test(line.text.trim()) || holdsFields(line.text)) return [];
      const [type, ...others] = typesIn(line.text);
      if (type === undefined || others.length > 0 || !["A", "AAAA", "MX"].includes(type)) return [];
      const below: Row["fields"][] = [];
      for (const next of lines.slice(line.index + 1)) {
        const fields = free(next.index) ? loneValue(type, next.text.trim()) : undefined;
        if (fields === undefined) break;
        below.push(fields);
      }
      const said = saidIn(line.text, 0, line.index, domain);
      const hosts = said.filter(({ field }) => field === "host");
      if (below.length < 2 || hosts.length > 1 || said.some(({ field }) => field === "value")) return [];
      const [host] = hosts;
      return [
        {
          layout: "sentence",
          labelled: true,
          rows: below.map((fields, i) => ({
            line: line.index + 1 + i,
            fields: { ...fields, ...(host === undefined ? {} : { host: host.text }) },
          })),
          spans: lines.slice(line.index, line.index + 1 + below.length).map(wholeLine),
        },
      ];
    });
