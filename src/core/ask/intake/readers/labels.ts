import { type Line, looksLikeName, type Span, wholeLine } from "../paste.ts";
import { fits, looksLikeHost } from "../reading.ts";
import { type Column, isNoise, isTypeWord, type Label, labelOf, typeCell } from "../words.ts";

/** A field and its text, as one pair of a label with what belongs to it. */
export interface Pair {
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
const BEFORE = /(?<=^[A-Z]{1,6}(?: [Rr]ecord)?)\s*[:：]\s*|\.\s+(?=\p{Lu})|[,;|·•/(]\s*|\t\s*| {2,}/gu;

const MAX_PAIRED_LINE = 5000;

/** The pairs of one line. A further label needs the same sign behind it as the first, so that `host=www` in a value stays there. */
export function pairsOf(line: Pick<Line, "text" | "index">): Pair[] {
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
  const pairs = found.flatMap(({ label, from, valueAt, sign }, i): Pair[] => {
    const end = found[i + 1]?.from ?? text.length;
    const part = text.slice(valueAt, end).replace(i + 1 < found.length ? /[,;|·•/(\s]+$/ : /[\s|]+$/, "");
    const bar = /^[^|]*:[^|]*\|/.test(text) ? part.search(/\s\|\s/) : -1;
    const cell = bar === -1 ? part : part.slice(0, bar);
    const whole = cell.includes("(") ? cell : cell.replace(/\)$/, "");
    // “In the Name field enter _x.” is a sentence, and its full stop no part of what is entered.
    const isSentence = sign === "one space" && /\b(?:enter|paste|type|use|copy|put)\b/i.test(text.slice(from, valueAt));
    const raw = isSentence ? whole.replace(/\.$/, "") : whole;
    // Headings of a table beside each other, and a preference that is a server.
    const isNone =
      (sign === " " && (raw === "" || labelOf(raw) !== undefined)) || (label.column === "priority" && looksLikeName(raw));
    return isNone
      ? []
      : [{ label, text: raw, line: index, above: false, spans: [{ line: index, from, to: valueAt + raw.length }] }];
  });
  return [...front, ...pairs];
}

/** The pairs of a line whose labels name a field of a record, and that say something: what must not be passed over. */
export const fieldsOn = (line: Line): readonly { readonly text: string; readonly span: Span }[] =>
  pairsOf(line)
    .filter(({ label, text }) => label.column !== "other" && text !== "" && !isNoise(text))
    .map(({ text, spans }) => ({ text, span: spans[0] as Span }));

/** Whether a text holds several fields with their labels, and is not a value. */
export const holdsFields = (text: string): boolean => pairsOf({ text, index: 0 }).length > 1;

/** Whether a line begins with a label and a sign behind it, and is not a row of a table. */
export function beginsWithLabel({ text }: Line): boolean {
  const sign = signBehind(text.slice(0, 100), 0)?.sign;
  return sign !== undefined && sign !== " " && sign !== "one space";
}

/** A line with a value so long that only its beginning is looked at. */
function longPair(line: Pick<Line, "text" | "index">): Pair[] {
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
  if (single === null || label === undefined || word.endsWith(":") || labelOf(`${single[1]} ${word}`) !== undefined)
    return undefined;
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

/** Captions of the two ends of an alias, where they stand alone. */
const ENDS: Readonly<Record<string, Column>> = { from: "host", to: "value", von: "host", nach: "value", vers: "value" };

/** The label that is all a line holds; not one with a text behind it, and not a host that ends like a label. */
export function labelAlone({ text }: Pick<Line, "text">): Label | undefined {
  const plain = text.replace(/\s*[:：]\s*$/, "").trim();
  if (/\t| {2,}\S/.test(plain) || plain.startsWith("_")) return undefined;
  const end = ENDS[plain.toLowerCase()];
  return end === undefined ? labelIn(plain) : { column: end };
}

/** A label, also behind a word of whose record it is: `record2.value`, `DNS_TYPE`, `Record 1 name`, “Your host”. */
export function labelIn(candidate: string): Label | undefined {
  const plain = candidate.replace(/^[\s"'`*|]+|[\s"'`]+$/g, "");
  if (/^record ?#?\d{1,3}$/i.test(plain)) return { column: "type" };
  const whole = labelOf(plain.replace(/([a-z])([A-Z])/g, "$1 $2"));
  if (whole !== undefined) return whole;
  const last = /(?:^|[._-]|\brecord \d+ )([a-z]+)$/i.exec(plain)?.[1];
  return last === undefined || plain.startsWith("_") || !/[._\d]/.test(plain) || /\s/.test(plain.replace(/record \d+ /i, ""))
    ? undefined
    : labelOf(last);
}
