import type { Cell, Line, Paste, Span } from "../paste.ts";
import { wholeLine } from "../paste.ts";
import { fits, looksLikeHost, type Reader, type Reading, type Row, RowBuilder } from "../reading.ts";
import { type Column, isNoise, isTypeWord, type Label, labelOf, typeCell } from "../words.ts";
import { contextType, goesOn, typesIn } from "./table.ts";

/** A field and its text, as one pair of a label with what belongs to it. */
interface Pair {
  readonly label: Label;
  readonly text: string;
  readonly spans: readonly Span[];
  readonly line: number;
  /** Whether the label stood on a line of its own. */
  readonly above: boolean;
}

/** What may stand between a label and its value. */
const BETWEEN = /\s*[:：=]\s*|\s*(?:→|➔|➜|⟶|⇒|->|=>)\s*|\s*\.{3,}\s*|\s*\|\s*|\s*\t\s*| {2,}(?=\S)|\s+[–—-]\s+/g;
/** What may stand in front of a further label on the same line. */
const BEFORE = /\.\s+(?=\p{Lu})|[,;|·•/(]\s*|\t\s*| {2,}/gu;

const MAX_PAIRED_LINE = 5000;

/** The pairs of one line. A further label needs the same sign behind it as the first, so that `host=www` in a value stays there. */
function pairsOf(line: Line): Pair[] {
  const { text, index } = line;
  if (text.length > MAX_PAIRED_LINE) return longPair(line);
  // Structures have a reader of their own.
  if (/^\s*[{[]/.test(text)) return [];
  const found: { label: Label; from: number; valueAt: number; sign: string }[] = [];
  const starts = [0, ...[...text.matchAll(BEFORE)].map((match) => match.index + match[0].length)];
  for (const from of starts) {
    if (found.length > 0 && from < (found.at(-1) as { valueAt: number }).valueAt) continue;
    const sign = signBehind(text, from);
    if (sign === undefined) continue;
    const { label, valueAt } = sign;
    const [first] = found;
    if (first !== undefined && first.sign !== sign.sign && sign.sign !== "one space") continue;
    // The same field again on one line is a part of the value, unless a new record begins with its type.
    if (found.some((other) => other.label.column === label.column) && label.column !== found[0]?.label.column) continue;
    found.push({ label, from, valueAt, sign: sign.sign });
  }
  const [leading] = found;
  const type =
    leading === undefined || leading.label.column === "type"
      ? undefined
      : typeCell(text.slice(0, leading.from).replace(/[\s(:,–-]+$/, ""));
  const front: Pair[] =
    type === undefined
      ? []
      : [
          {
            label: { column: "type" },
            text: type,
            line: index,
            above: false,
            spans: [{ line: index, from: 0, to: leading?.from ?? 0 }],
          },
        ];
  const pairs = found.map(({ label, from, valueAt }, i): Pair => {
    const end = found[i + 1]?.from ?? text.length;
    const part = text.slice(valueAt, end).replace(i + 1 < found.length ? /[,;|·•/(\s]+$/ : /[\s|]+$/, "");
    const raw = part.includes("(") ? part : part.replace(/\)$/, "");
    return { label, text: raw, line: index, above: false, spans: [{ line: index, from, to: valueAt + raw.length }] };
  });
  return [...front, ...pairs];
}

/** The pairs of a line whose labels name a field of a record, and that say something: what must not be passed over. */
export const fieldsOn = (line: Line): readonly { readonly text: string; readonly span: Span }[] =>
  pairsOf(line)
    .filter(({ label, text }) => label.column !== "other" && text !== "" && !isNoise(text))
    .map(({ text, spans }) => ({ text, span: spans[0] as Span }));

/** A line with a value so long that only its beginning is looked at. */
function longPair(line: Line): Pair[] {
  const sign = signBehind(line.text.slice(0, 100), 0);
  return sign === undefined
    ? []
    : [
        {
          label: sign.label,
          text: line.text.slice(sign.valueAt).trim(),
          line: line.index,
          above: false,
          spans: [wholeLine(line)],
        },
      ];
}

/** The label that begins at `from`, and the sign behind it. */
function signBehind(text: string, from: number): { label: Label; valueAt: number; sign: string } | undefined {
  BETWEEN.lastIndex = from;
  for (let i = 0; i < 3; i++) {
    const sign = BETWEEN.exec(text);
    if (sign === null || sign.index - from > 60) break;
    const candidate = text.slice(from, sign.index);
    const label = candidate.trim() === "" ? undefined : labelIn(candidate);
    if (label !== undefined)
      return { label, valueAt: sign.index + sign[0].length, sign: sign[0].trim() === "" ? " " : (sign[0].trim()[0] as string) };
  }
  // “Type TXT”, “Host @”: a space only, where the rest is a single word that can be nothing else.
  const single = /^(\p{L}[\p{L} ]{1,24}?) (\S+)\s*(?=$|[,;|])/u.exec(text.slice(from, from + 400));
  const label = single === null ? undefined : labelOf(single[1] as string);
  const word = single?.[2] ?? "";
  if (single === null || label === undefined || labelOf(`${single[1]} ${word}`) !== undefined) return undefined;
  const sure =
    label.column === "type"
      ? isTypeWord(word) && word === word.toUpperCase()
      : label.column === "host"
        ? looksLikeHost(word) && /^[@_*]|\.|^www$|^\w+$/.test(word)
        : label.column === "value"
          ? fits(undefined, word) > 0 && /[=:._-]|\d/.test(word)
          : /^\d/.test(word);
  return sure ? { label, valueAt: from + (single[1] as string).length + 1, sign: "one space" } : undefined;
}

/** A label, also behind a word of whose record it is: `record2.value`, `DNS_TYPE`, `Record 1 name`, “Your host”. */
function labelIn(candidate: string): Label | undefined {
  const plain = candidate.replace(/^[\s"'`*|]+|[\s"'`]+$/g, "");
  if (/^record ?#?\d{1,3}$/i.test(plain)) return { column: "type" };
  const whole = labelOf(plain.replace(/([a-z])([A-Z])/g, "$1 $2"));
  if (whole !== undefined) return whole;
  const last = /(?:^|[._-]|\brecord \d+ )([a-z]+)$/i.exec(plain)?.[1];
  return last === undefined || !/[._\d]/.test(plain) || /\s/.test(plain.replace(/record \d+ /i, "")) ? undefined : labelOf(last);
}

/** All pairs of the paste: on one line, or the value below its label. */
function pairsIn({ lines }: Paste, free: (line: number) => boolean): Pair[] {
  const pairs: Pair[] = [];
  for (let i = 0; i < lines.length; i++) {
    const line = lines[i] as Line;
    if (!free(i)) continue;
    const alone = labelIn(line.text.replace(/\s*[:：]\s*$/, ""));
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
  for (let i = at + 1; i < lines.length && free(i); i++) {
    const line = lines[i] as Line;
    if (text === "" && isNoise(line.text) && labelOf(line.text) === undefined && i - at <= 2) {
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
  let type: string | undefined;
  let lastType: string | undefined;
  let lastLine = -1;
  const close = () => {
    if (built.has("value", "oldValue", "nameServer") || (built.has("type") && built.has("host"))) {
      const own = built.fields.type;
      rows.push({ row: built.row(own === undefined ? (type ?? lastType) : undefined), spans: built.spans });
      lastType = own ?? type ?? lastType;
    }
    built = new RowBuilder();
  };
  for (const { label, text, spans: places, line, above } of pairs) {
    const headed = lines.slice(lastLine + 1, line).find((between) => isRowHeading(between.text));
    const said = lastLine === -1 || headed !== undefined || line > lastLine + 1 ? headingType(lines, lastLine, line) : undefined;
    if (
      headed !== undefined ||
      newBlock(built, lines, lastLine, line, label.column) ||
      (label.column !== "other" && built.has(label.column))
    )
      close();
    if (said !== undefined) {
      if (built.has("value") && !built.has("type")) close();
      type = said;
    } else if (headed !== undefined) type = undefined;
    if (label.type !== undefined) type = label.type;
    const cell: Cell = { text: label.column === "type" ? typeOfText(text) : text, span: places[0] as Span };
    if (text === "" && (above || (label.column !== "value" && label.column !== "host"))) built.spans.push(...places);
    else if (built.take(label.column, cell)) built.spans.push(...places);
    else if (label.column === "other") built.spans.push(...places);
    lastLine = Math.max(line, ...places.map((place) => place.line));
  }
  close();
  return rows;
}

/** The type in a type field, also where a word of instruction stands beside it: “choose TXT”. */
function typeOfText(text: string): string {
  const [only, ...more] = typesIn(text);
  return typeCell(text) ?? (only !== undefined && more.length === 0 && text.length < 60 ? only : text);
}

/** A line between two records: “Record 2”, “CNAME record”, a heading. */
const isRowHeading = (text: string): boolean =>
  (/^\W*record\s*#?\s*\d+\b/i.test(text) && text.length < 60) || (typeCell(text) !== undefined && !/^[a-z]/.test(text));

/** The record type that the lines between two pairs name; a heading of one record, or the sentence above them. */
function headingType(lines: readonly Line[], from: number, to: number): string | undefined {
  for (let i = to - 1; i > Math.max(from, to - 4); i--) {
    const { text } = lines[i] as Line;
    const types = text.length > 300 ? new Set<string>() : typesIn(text);
    if (types.size === 1) return [...types][0];
    if (types.size > 1) return undefined;
  }
  return from === -1 ? contextType(lines, to) : undefined;
}

/** Behind an empty line, a field begins a new record where the last one is complete and the new block has a value of its own. */
function newBlock(built: RowBuilder, lines: readonly Line[], last: number, line: number, column: Column): boolean {
  if (last === -1 || !built.has("value") || !(lines[line] as Line).afterGap) return false;
  if (column === "ttl" || column === "priority" || column === "other") return false;
  if (column === "type" || column === "host") {
    const ahead = lines
      .slice(line, line + 6)
      .flatMap((next, i) => (i > 0 && next.afterGap ? ["gap" as const] : pairsOf(next).map(({ label }) => label.column)));
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
