import { parse } from "csv-parse/sync";
import { type Cell, cellsBetween, type Line, MAX_LINE, type Paste, type Span, wholeLine } from "../paste.ts";
import {
  fits,
  looksLikeHost,
  type PlacedRow,
  plausibility,
  type Reader,
  type Reading,
  type Row,
  RowBuilder,
  readingsByPlace,
} from "../reading.ts";
import { type Column, isEmptyMark, isNoise, isTypeWord, type Label, labelOf, typeCell, withUnit } from "../words.ts";
import { typeOfTable } from "./context.ts";
import { beginsWithLabel } from "./labels.ts";

/** Cuts lines into rows of cells; a row may take several lines, where a quoted cell goes on. */
type Cutter = (lines: readonly Line[], at: number) => { readonly cells: readonly Cell[]; readonly lines: number };

const byPattern =
  (separator: RegExp): Cutter =>
  (lines, at) => {
    const line = lines[at] as Line;
    if (line.text.length > MAX_LINE) return { cells: [{ text: line.text, span: wholeLine(line) }], lines: 1 };
    return { cells: cellsBetween(line, separator), lines: 1 };
  };

/** A table of bars: those at both ends frame it. */
const byBars: Cutter = (lines, at) => {
  const line = lines[at] as Line;
  if (line.text.length > MAX_LINE || !line.text.includes("|"))
    return { cells: [{ text: line.text.trim(), span: wholeLine(line) }], lines: 1 };
  const cells = cellsBetween(line, /\|/g);
  if (/^\s*\|/.test(line.text)) cells.shift();
  if (/\|\s*$/.test(line.text)) cells.pop();
  return { cells, lines: 1 };
};

/** A quoted cell goes on for at most so many lines. */
const MAX_CELL_LINES = 20;

/** Comma- and semicolon-separated values; quotes may hold separators and line ends (RFC 4180). */
const byCommas =
  (delimiter: "," | ";"): Cutter =>
  (lines, at) => {
    const first = lines[at] as Line;
    const single = { cells: [{ text: first.text.trim(), span: wholeLine(first) }], lines: 1 };
    if (first.text.length > MAX_LINE || !first.text.includes(delimiter)) return single;
    let text = first.text;
    let used = 1;
    while ((text.split(/["“”„‟]/).length - 1) % 2 === 1 && used < MAX_CELL_LINES && at + used < lines.length) {
      text += `\n${(lines[at + used] as Line).text}`;
      used += 1;
    }
    try {
      // A mail program makes other quotation marks of those of the file.
      const [cells = []] = parse(text.replace(/[“”„‟]/g, '"'), {
        delimiter,
        relax_quotes: true,
        trim: true,
        relax_column_count: true,
      }) as string[][];
      // Some programs put every cell into single quotes.
      const isSingle = cells.length > 1 && cells.every((cell) => /^'.*'$/.test(cell));
      return {
        cells: placed(isSingle ? cells.map((cell) => cell.slice(1, -1)) : cells, lines.slice(at, at + used)),
        lines: used,
      };
    } catch {
      return single;
    }
  };

/** Cells with their places; one whose quotes changed it stands for its whole line. */
function placed(cells: readonly string[], lines: readonly Line[]): Cell[] {
  let line = 0;
  let from = 0;
  return cells.map((text): Cell => {
    for (let i = line; i < lines.length; i++) {
      const on = lines[i] as Line;
      const found = on.text.indexOf(text, i === line ? from : 0);
      if (found === -1) continue;
      [line, from] = [i, found + text.length];
      return { text, span: { line: on.index, from: found, to: from } };
    }
    return { text, span: wholeLine(lines[line] as Line) };
  });
}

const CUTTERS: readonly Cutter[] = [
  byPattern(/\t/g),
  byBars,
  byPattern(/\t+| {2,}/g),
  byPattern(/\s*(?:→|➔|➜|⟶|⇒|->|=>)\s*|(?<=^\s*[A-Z]{1,6}(?: [Rr]ecord)?)\s*[:：]\s+|\t+| {2,}/g),
  byCommas(","),
  byCommas(";"),
];

interface Heading {
  readonly columns: readonly (Label | undefined)[];
  readonly cells: readonly Cell[];
}

/** A line of headings: at least two that name fields, one of them of a value, and nothing that could be a record. */
function headingOf(cells: readonly Cell[]): Heading | undefined {
  if (cells.length < 2 || cells.length > 16) return undefined;
  const columns = cells.map((cell) => labelOf(cell.text));
  const named = columns.filter((label) => label !== undefined && label.column !== "other");
  const known = columns.filter((label, i) => label !== undefined || (cells[i] as Cell).text === "");
  const holds = (...wanted: Column[]) => named.some((label) => label !== undefined && wanted.includes(label.column));
  if (named.length < 2 || !holds("value", "oldValue", "nameServer")) return undefined;
  // Columns that nobody knows are remarks, where the record's own are all there.
  const whole = holds("type") && holds("host") && holds("value");
  if (known.length < cells.length - (whole ? 3 : 1)) return undefined;
  return { columns, cells };
}

/**
 * The cells of a row under their headings; where cells were lost, those of a table aligned with white space by their place. None
 * where two cells stand under one heading.
 */
function assign(cells: readonly Cell[], { columns, cells: headings }: Heading, aligned: boolean): RowBuilder | undefined {
  const row = new RowBuilder();
  let apart = true;
  const starts = headings.map(({ span }) => span.from);
  const columnAt = (cell: Cell, i: number): number => {
    if (!aligned || cells.length >= columns.length) return i;
    const nearest = starts.reduce(
      (best, from, j) => (Math.abs(from - cell.span.from) < Math.abs((starts[best] as number) - cell.span.from) ? j : best),
      0,
    );
    return nearest;
  };
  cells.forEach((cell, i) => {
    const label = columns[columnAt(cell, i)];
    if (label !== undefined) apart = row.take(label.column, { ...cell, text: withUnit(label, cell.text) }) && apart;
    else if (isNoise(cell.text)) row.spans.push(cell.span);
  });
  return apart ? row : undefined;
}

/** Whether what is under headings is a row: its type is one, or there is none to be seen and the rest fits. */
function isRow({ fields }: Row): boolean {
  const { type, value, host, nameServer, priority, service } = fields;
  if (service !== undefined && !/^_?[\w-]+$/.test(service)) return false;
  // Another type than the one that is named above.
  if (host !== undefined && /^[A-Z]+$/.test(host) && isTypeWord(host)) return false;
  const beside = /\s\(([A-Z]+)\)$/.exec(value ?? "")?.[1];
  if (beside !== undefined && isTypeWord(beside) && beside !== type) return false;
  // A line of labels with their values, and no row.
  if (value !== undefined && (labelOf(value) !== undefined || (typeCell(value) !== undefined && value === value.toUpperCase())))
    return false;
  if (type !== undefined && !isEmptyMark(type))
    return typeCell(type) !== undefined || /^[A-Z]{3,10}$/.test(type) || plausibility({ fields, line: 0 }) > 0;
  if (nameServer !== undefined) return true;
  return (
    value !== undefined &&
    value !== "" &&
    (host === undefined ? priority !== undefined || fits("TXT", value) > 0 : isEmptyMark(host) || looksLikeHost(host))
  );
}

/** The rows below a heading, up to the next heading or a line that is none. */
function rowsBelow(
  lines: readonly Line[],
  from: number,
  cut: Cutter,
  heading: Heading,
  type: string | undefined,
  aligned: boolean,
) {
  const rows: Row[] = [];
  const spans: Span[] = [];
  let last: { value: string; line: number } | undefined;
  let at = from;
  while (at < lines.length) {
    const line = lines[at] as Line;
    const { cells, lines: used } = cut(lines, at);
    const filled = cells.filter(({ text }) => text !== "");
    const isMore = filled.length === 1 && last !== undefined && goesOn(last.value, (filled[0] as Cell).text);
    if (!isMore && (headingOf(cells) !== undefined || beginsWithLabel(line))) break;
    // A remark in brackets between rows.
    if (filled.length === 1 && rows.length > 0 && /^\([^()]*\)$/.test((filled[0] as Cell).text)) {
      at += used;
      continue;
    }
    if (isMore && last !== undefined) {
      const row = rows.pop() as Row;
      last = { value: `${last.value}\n${(filled[0] as Cell).text}`, line: at };
      rows.push({ ...row, fields: { ...row.fields, value: last.value } });
      spans.push(wholeLine(line));
    } else if (filled.length > 0 && filled.every(({ text }) => isNoise(text))) spans.push(wholeLine(line));
    else if (filled.length < 2 && heading.columns.length > 1) break;
    else {
      const built = assign(cells, heading, aligned);
      if (built === undefined) break;
      const row = cleaned(built.row(built.has("type") ? undefined : type));
      if (!isRow(row)) break;
      if (built.line === -1) break;
      rows.push(row);
      spans.push(...built.spans, ...(used > 1 ? lines.slice(at, at + used).map(wholeLine) : []));
      last = row.fields.value === undefined ? undefined : { value: row.fields.value, line: at };
    }
    at += used;
  }
  return { rows, spans, to: at };
}

/** Fields without placeholders, a type cell as its type. */
function cleaned(row: Row): Row {
  const { type: given, ttl, priority, ...rest } = row.fields;
  // One column may hold both: “www CNAME”.
  const both =
    rest.host === undefined
      ? /^(?:(?<host>\S+)\s+(?<behind>[A-Z]+)|(?<front>[A-Z]+)\s+(?:record )?(?:for |at )?(?<last>\S+))$/.exec(given ?? "")
          ?.groups
      : undefined;
  const two = both !== undefined && isTypeWord(both.behind ?? both.front ?? "") && looksLikeHost(both.host ?? both.last ?? "");
  const type = two ? (both.behind ?? both.front) : given;
  return {
    ...row,
    fields: {
      ...rest,
      ...(two ? { host: (both.host ?? both.last) as string } : {}),
      ...(type === undefined || type === "" ? {} : { type: typeCell(type) ?? type }),
      ...(ttl === undefined || isEmptyMark(ttl) ? {} : { ttl }),
      ...(priority === undefined || isEmptyMark(priority) ? {} : { priority }),
    },
  };
}

/** A tag of a key or a policy (RFC 6376 section 3.6.1, RFC 7489 section 6.3). */
const TAG = /^(?:[vkpnsthg]|sp|np|psd|pct|fo|r[ifu]|ru[af]|adkim|aspf)=\S/;

/** Whether a line goes on with the value of the one before: a key cut in two, a second quoted string, more SPF terms. */
export function goesOn(value: string, next: string): boolean {
  const text = next.trim();
  if (/^["“][^"”]*["”]?$/.test(text) && /["”]$/.test(value.trim())) return true;
  if (/^["“](?:[^"”]*)$/.test(value) && /["”]$/.test(text)) return true;
  if (/\bp=[A-Za-z0-9+/=\s"]*$/.test(value) && /^"?[A-Za-z0-9+/=]{8,}"?;?$/.test(text))
    return !isTypeWord(text) && labelOf(text) === undefined && (text.length > 20 || /[\d+/=]/.test(text));
  if (/^"?v=spf1\b/i.test(value) && !/\ball"?$/i.test(value.trim()))
    return /^[+?~-]?(?:include|ip4|ip6|a|mx|exists|redirect|all)\b(?:[:=/]|$)/i.test(text) || /^[+?~-]all"?$/i.test(text);
  return /^"?v=(?:DKIM1|DMARC1)\b/i.test(value) && TAG.test(text) && !/^v=/i.test(text);
}

/** Tables with a line of headings above their rows. */
function withHeading(paste: Paste, free: (line: number) => boolean, cut: Cutter, aligned: boolean): Reading[] {
  const { lines } = paste;
  const readings: Reading[] = [];
  for (let at = 0; at < lines.length; at++) {
    if (!free(at)) continue;
    const { cells, lines: used } = cut(lines, at);
    const heading = headingOf(cells);
    if (heading === undefined) continue;
    const { rows, spans, to } = rowsBelow(lines, at + used, cut, heading, typeOfTable(heading.columns, lines, at), aligned);
    if (rows.length > 0)
      readings.push({ layout: "table", labelled: true, rows, spans: [...lines.slice(at, at + used).map(wholeLine), ...spans] });
    at = Math.max(at, to - 1);
  }
  return readings;
}

/** Rows without a heading above them: one cell is a record type, the next two are host and value, numbers are TTL or priority. */
function withoutHeading(paste: Paste, free: (line: number) => boolean, cut: Cutter): Reading[] {
  const placed: PlacedRow[] = [];
  const { lines } = paste;
  for (let at = 0; at < lines.length; at++) {
    if (!free(at)) continue;
    const { cells, lines: used } = cut(lines, at);
    const row = cells.length < 2 || cells.length > 12 ? undefined : rowOf(cells);
    if (row !== undefined) placed.push({ row, spans: lines.slice(at, at + used).map(wholeLine) });
    at += used - 1;
  }
  return readingsByPlace("table", paste, placed);
}

function rowOf(cells: readonly Cell[]): Row | undefined {
  const typeAt = cells.findIndex(({ text }) => typeCell(text) !== undefined && !/^[a-z]/.test(text));
  if (typeAt === -1) return undefined;
  // “(delete)” beside a record says what to do with it; a bare “Delete” is a button.
  const remove = cells.some(({ text }) => /^[([]\s*(?:to be )?(?:delete|remove|drop)d?\s*[)\]]$/i.test(text));
  const others = cells.filter(
    ({ text }, i) =>
      i !== typeAt && text !== "" && text.toUpperCase() !== "IN" && !isNoise(text) && !/^[([][^()[\]]*[)\]]$/.test(text),
  );
  if (others.some(({ text }) => labelOf(text) !== undefined && !looksLikeHost(text))) return undefined;
  const type = typeCell((cells[typeAt] as Cell).text) as string;
  const numbers = others.filter(({ text }) => /^\d{1,9}$|^\d+\s?(?:s|m|h|d|min|hours?|hour)$/.test(text));
  const words = others.filter((cell) => !numbers.includes(cell));
  // A cell that is empty in front of the value is the domain itself.
  const [host, value] =
    words.length === 1 && cells.some(({ text }, i) => text === "" && i !== typeAt)
      ? ["", words[0]?.text]
      : words.map(({ text }) => text);
  if (host === undefined || value === undefined || words.length > 2) return undefined;
  if (
    !(host === "" || looksLikeHost(host)) ||
    fits(type, type === "SRV" ? `${numbers.map(({ text }) => text).join(" ")} ${value}` : value) < 1
  )
    return undefined;
  const line = (cells[0] as Cell).span.line;
  if (type === "SRV" && !/\s/.test(value))
    return { line, fields: { type, host, value: [...numbers.map(({ text }) => text).slice(-3), value].join(" ") } };
  const isMx = type === "MX";
  const priority = isMx ? numbers.find(({ text }) => Number(text) <= 100)?.text : undefined;
  const ttl = numbers.find(({ text }) => text !== priority && (/\D/.test(text) || Number(text) >= 30))?.text;
  return {
    line,
    ...(remove ? { remove } : {}),
    fields: { type, host, value, ...(priority === undefined ? {} : { priority }), ...(ttl === undefined ? {} : { ttl }) },
  };
}

/** Tables that stand on their side: every line begins with its heading, and each further column is a record. */
function onItsSide(paste: Paste, free: (line: number) => boolean, cut: Cutter): Reading[] {
  const readings: Reading[] = [];
  const { lines } = paste;
  let block: { label: Label; cells: readonly Cell[]; line: Line }[] = [];
  const close = () => {
    const width = Math.max(0, ...block.map(({ cells }) => cells.length - 1));
    const columns = block.map(({ label }) => label.column);
    if (width >= 2 && block.length >= 2 && columns.includes("value") && new Set(columns).size === columns.length) {
      const rows = Array.from({ length: width }, (_, i) => {
        const row = new RowBuilder();
        for (const { label, cells } of block) {
          const cell = cells[i + 1];
          if (cell !== undefined && cell.text !== "") row.take(label.column, cell);
        }
        return cleaned(row.row());
      }).filter((row) => row.line !== -1);
      readings.push({ layout: "table", labelled: true, rows, spans: block.map(({ line }) => wholeLine(line)) });
    }
    block = [];
  };
  lines.forEach((line, at) => {
    const { cells } = cut(lines, at);
    const label = free(at) && cells.length >= 3 && cells.length < 12 ? labelOf((cells[0] as Cell).text) : undefined;
    // A line of headings only is the top of an upright table.
    if (label === undefined || cells.slice(1).every(({ text }) => labelOf(text) !== undefined)) close();
    else block.push({ label, cells, line });
  });
  close();
  return readings;
}

/** Tables in every direction, cut at whatever separates their cells. */
export const readTables: Reader = (paste, free) =>
  CUTTERS.flatMap((cut, i) => [
    ...withHeading(paste, free, cut, i === 2 || i === 3),
    ...withoutHeading(paste, free, cut),
    ...(i < 3 ? onItsSide(paste, free, cut) : []),
  ]);
