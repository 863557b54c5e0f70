import type { Cell, Line, Paste, Span } from "../paste.ts";
import { looksLikeName, wholeLine } from "../paste.ts";
import { fits, type Reader, type Reading, type Row, RowBuilder } from "../reading.ts";
import { type Column, FORWARD_TYPES, isEmptyMark, isNoise, labelOf, typeCell, withUnit } from "../words.ts";
import { contextType, typesIn } from "./context.ts";
import { labelAlone, labelIn, type Pair, pairsOf } from "./labels.ts";
import { goesOn } from "./table.ts";

/** All pairs of the paste: on one line, or the value below its label. */
function pairsIn({ lines }: Paste, free: (line: number) => boolean): Pair[] {
  const pairs: Pair[] = [];
  for (let i = 0; i < lines.length; i++) {
    const line = lines[i] as Line;
    if (!free(i)) continue;
    const alone = labelAlone(line);
    const found =
      alone === undefined ? pairsOf(line) : [{ label: alone, text: "", line: i, above: true, spans: [wholeLine(line)] }];
    for (const [j, pair] of found.entries()) {
      if (j < found.length - 1 || (pair.text !== "" && pair.label.column !== "value")) {
        pairs.push(pair);
        continue;
      }
      const { text, spans, to } = continued(lines, free, i, pair);
      pairs.push({ ...pair, text, spans });
      i = to;
    }
  }
  return pairs;
}

/** A pair whose value begins below, or goes on there. */
function continued(
  lines: readonly Line[],
  free: (line: number) => boolean,
  at: number,
  pair: Pair,
): { text: string; spans: Span[]; to: number } {
  let { text } = pair;
  const spans = [...pair.spans];
  let to = at;
  // A button has nothing below it.
  if (text === "" && pair.label.column === "other" && isNoise((lines[at] as Line).text)) return { text, spans, to };
  for (let i = at + 1; i < lines.length && free(i); i++) {
    const line = lines[i] as Line;
    const behind = lines[i + 1];
    // A button between the parts of a value.
    if (text !== "" && behind !== undefined && isNoise(line.text) && free(i + 1) && goesOn(text, behind.text)) {
      spans.push(wholeLine(line));
      continue;
    }
    const isNumber = pair.label.column === "ttl" || pair.label.column === "priority";
    // A button between a label and its number.
    if (
      text === "" &&
      isNumber &&
      pair.above &&
      isNoise(line.text) &&
      /^\d[\w ]{0,20}$/.test(behind?.text ?? "") &&
      i - at <= 2
    ) {
      spans.push(wholeLine(line));
      continue;
    }
    if (text === "" && isNumber && !/\d/.test(line.text) && !isEmptyMark(line.text)) break;
    if (text === "" && !isNumber && isNoise(line.text) && (labelOf(line.text)?.column ?? "other") === "other" && i - at <= 2) {
      spans.push(wholeLine(line));
      continue;
    }
    // Labels above their values stand right above them; an empty field of a form has nothing below it.
    if (
      text === ""
        ? !pair.above || labelIn(line.text) !== undefined || pairsOf(line).length > 0 || i - at > 2
        : !goesOn(text, line.text)
    )
      break;
    text = text === "" ? line.text.trim() : `${text}\n${line.text.trim()}`;
    spans.push(wholeLine(line));
    to = i;
    if (pair.label.column !== "value") break;
  }
  return { text, spans, to };
}

/** Puts pairs together to rows: a field that comes again, a heading or a new block begins the next one. */
function rowsOf(paste: Paste, pairs: readonly Pair[]): { row: Row; spans: readonly Span[] }[] {
  const { lines } = paste;
  const rows: { row: Row; spans: readonly Span[] }[] = [];
  let built = new RowBuilder();
  let points = false;
  let type: string | undefined;
  let lastType: string | undefined;
  let lastLine = -1;
  const close = () => {
    if (built.has("value", "oldValue", "nameServer") || (built.has("type") && built.has("host"))) {
      const own = built.fields.type;
      const value = built.fields.value ?? "";
      const said = type !== undefined && mayBe(type, value) ? type : undefined;
      const carried = lastType !== undefined && carriesOn(lastType, value) ? lastType : undefined;
      const pointed = points && !built.has("priority", "nameServer") && looksLikeName(value) ? "CNAME" : undefined;
      rows.push({ row: built.row(own === undefined ? (said ?? carried ?? pointed) : undefined), spans: built.spans });
      lastType = own ?? type ?? lastType;
    }
    built = new RowBuilder();
    points = false;
  };
  for (const { label, text, spans: places, line, above } of pairs) {
    const headed = lines.slice(lastLine + 1, line).find((between) => isRowHeading(between.text));
    const said = lastLine === -1 || headed !== undefined || line > lastLine + 1 ? contextType(lines, line, lastLine) : undefined;
    // What belongs behind a record begins none.
    if (!built.has("type", "host", "value", "nameServer") && (headed !== undefined || isBehindGap(lines, lastLine, line)))
      close();
    const isFar = lastLine !== -1 && line - lastLine > 3 && label.column !== "other";
    if (
      headed !== undefined ||
      isFar ||
      newBlock(built, lines, lastLine, line, label.column) ||
      (label.column !== "other" && built.has(label.column)) ||
      (label.column === "nameServer" ? built.has("type", "host", "value") : label.column !== "other" && built.has("nameServer"))
    )
      close();
    if (said !== undefined) {
      if (built.has("value") && !built.has("type")) close();
      type = said;
    } else if (headed !== undefined) type = undefined;
    if (label.type !== undefined) type = label.type;
    if (label.points === true) points = true;
    const cell: Cell = { text: label.column === "type" ? typeOfText(text) : withUnit(label, text), span: places[0] as Span };
    if (text === "" && (above || (label.column !== "value" && label.column !== "host"))) built.spans.push(...places);
    else if (built.take(label.column, cell)) built.spans.push(...places);
    else if (label.column === "other") built.spans.push(...places);
    // A remark between two records belongs to neither.
    if (label.column !== "other") lastLine = Math.max(line, ...places.map((place) => place.line));
  }
  close();
  return rows;
}

/** Whether a type that is only named above can be that of a value. */
const mayBe = (type: string, value: string): boolean =>
  value === "" ||
  (fits(type, value) >= 0 && !(type.toUpperCase() === "TXT" && (fits("A", value) > 0 || fits("AAAA", value) > 0)));

/** Whether a record without a type may have that of the one before: its value can be of that type, and looks like no other. */
const carriesOn = (type: string, value: string): boolean =>
  !FORWARD_TYPES.test(type) && fits(type, value) > 0 && !(type.toUpperCase() === "TXT" && looksLikeName(value));

/** The type in a type field, also where a word of instruction stands beside it: “choose TXT”. */
function typeOfText(text: string): string {
  const [only, ...more] = typesIn(text);
  return typeCell(text) ?? (only !== undefined && more.length === 0 && text.length < 60 ? only : text);
}

/** A line between two records: “Record 2”, “CNAME record”, a heading. */
const isRowHeading = (text: string): boolean =>
  (/^\W*record\s*#?\s*\d+\b/i.test(text) && text.length < 60) || (typeCell(text) !== undefined && !/^[a-z]/.test(text));

/** Whether an empty line stands between two lines. */
const isBehindGap = (lines: readonly Line[], from: number, to: number): boolean =>
  lines.slice(from + 1, to + 1).some(({ afterGap }) => afterGap);

/** The fields that a line names, also where their values stand below. */
function columnsOn(line: Line): Column[] {
  const alone = labelAlone(line);
  return alone === undefined ? pairsOf(line).map(({ label }) => label.column) : [alone.column];
}

/** Behind an empty line, a field begins a new record where the last one is complete and the new block has a value of its own. */
function newBlock(built: RowBuilder, lines: readonly Line[], last: number, line: number, column: Column): boolean {
  if (last === -1 || !built.has("value") || !isBehindGap(lines, last, line)) return false;
  if (column === "ttl" || column === "priority" || column === "other") return false;
  if (column === "type" || column === "host") {
    const ahead = lines.slice(line, line + 6).flatMap((next, i) => (i > 0 && next.afterGap ? ["gap" as const] : columnsOn(next)));
    const end = ahead.indexOf("gap");
    return (end === -1 ? ahead : ahead.slice(0, end)).includes("value");
  }
  return false;
}

/** Labels with their values; every record is a reading of its own, so that one of them can be read better in another way. */
export const readPairs: Reader = (paste, free) =>
  rowsOf(paste, pairsIn(paste, free))
    .filter(({ row: { fields } }) => fields.type !== undefined || fields.host !== undefined || fields.nameServer !== undefined)
    .map(({ row, spans }): Reading => ({ layout: "labelled fields", labelled: true, rows: [row], spans }));
