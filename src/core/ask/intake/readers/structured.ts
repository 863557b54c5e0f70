import { parseDocument } from "yaml";
import { type Line, type Paste, wholeLine } from "../paste.ts";
import { fits, type Layout, looksLikeHost, type Reader, type Reading, type Row } from "../reading.ts";
import { type Column, isTypeWord, labelOf } from "../words.ts";
import { zoneLine } from "./zone-lines.ts";

/** What a place in a structure says of the records below it. */
interface Place {
  readonly type?: string;
  readonly host?: string;
}

const MAX_DEPTH = 12;

/** A key as words: `recordType`, `record_type` and `record-type` are the same. */
const wordsOf = (key: string): string => key.replace(/([a-z])([A-Z])/g, "$1 $2").replace(/[_.-]+/g, " ");

/** The record type a key names: `txt`, `cname_records`. */
function typeOfKey(key: string): string | undefined {
  const [first = "", second] = wordsOf(key).trim().split(" ");
  return isTypeWord(first) && (second === undefined || /^records?$/i.test(second)) ? first.toUpperCase() : undefined;
}

const isScalar = (value: unknown): value is string | number => typeof value === "string" || typeof value === "number";

/** Records in a structure of any shape: an object with fields, types as keys, hosts as keys. */
function rowsIn(node: unknown, place: Place, depth: number): Row[] {
  if (depth > MAX_DEPTH || typeof node !== "object" || node === null) return [];
  if (Array.isArray(node))
    return node.flatMap((item) => {
      if (!isScalar(item)) return rowsIn(item, place, depth + 1);
      const line = typeof item === "string" ? zoneLine(item) : undefined;
      if (line !== undefined) return [line];
      return place.type !== undefined && place.host !== undefined ? [row({ ...place, value: String(item) })] : [];
    });
  const fields: Partial<Record<Column, string>> = {};
  let values: readonly unknown[] = [];
  for (const [key, value] of Object.entries(node)) {
    const label = labelOf(wordsOf(key).replace(/^(?:rr|record|dns) ?(?=(?:type|name|data|value|host|ttl)\b| )/i, ""));
    const column = label?.column ?? (/^(?:values|rrdatas|addresses|targets|records)$/i.test(key) ? "value" : undefined);
    if (column === undefined || column === "other") continue;
    if (label?.type !== undefined) fields.type ??= label.type;
    if (isScalar(value)) fields[column] ??= String(value);
    else if (column === "value" && Array.isArray(value) && value.every(isScalar)) values = value;
  }
  const own = fields.type !== undefined && !isTypeWord(fields.type) ? undefined : (fields.type ?? place.type);
  const given = {
    ...(place.host === undefined ? {} : { host: place.host }),
    ...fields,
    ...(own === undefined ? {} : { type: own }),
  };
  if (
    fields.value !== undefined &&
    (own !== undefined || fields.host !== undefined) &&
    (fields.type === undefined || own !== undefined)
  )
    return [row(given)];
  if (values.length > 0 && own !== undefined)
    return (own.toUpperCase() === "TXT" && arePieces(values.map(String)) ? [values.join("")] : values).map((value) =>
      row({ ...given, value: String(value) }),
    );
  return Object.entries(node).flatMap(([key, value]) => {
    const type = typeOfKey(key);
    const below: Place = { ...place, ...(type === undefined ? (hostKey(key, value) ? { host: key } : {}) : { type }) };
    if (!isScalar(value)) return rowsIn(value, below, depth + 1);
    const text = String(value);
    // { "www": { "CNAME": "…" } } and { "CNAME": { "www": "…" } }
    if (type !== undefined && place.host !== undefined && fits(type, text) > 0)
      return [row({ type, host: place.host, value: text })];
    if (type === undefined && place.type !== undefined && hostKey(key, value) && fits(place.type, text) > 0)
      return [row({ type: place.type, host: key, value: text })];
    return [];
  });
}

/** Whether texts are the pieces of one (RFC 1035 section 3.3.14): the first one begins what the others go on with. */
const arePieces = ([first = "", ...others]: readonly string[]): boolean =>
  others.length > 0 &&
  (/^v=(?:DKIM1|spf1|DMARC1)\b/i.test(first) || /\bp=[\w+/=]{40,}$/.test(first) || first.length >= 200) &&
  !others.some((text) => /^v=/i.test(text));

/** Every text of a structure, by which it is seen whether all of it was understood. */
function textsIn(node: unknown, depth: number): string[] {
  if (typeof node === "string") return [node];
  if (depth > MAX_DEPTH || typeof node !== "object" || node === null) return [];
  return Object.values(node).flatMap((value) => textsIn(value, depth + 1));
}

/** Whether a key can be a host: nothing that names a field, a purpose or a group. */
const hostKey = (key: string, value: unknown): boolean =>
  looksLikeHost(key) &&
  labelOf(wordsOf(key)) === undefined &&
  /[.@*_-]|^www$|^\w{1,20}$/.test(key) &&
  !/(?:^|[_.-])(?:records?|dns|data|results?|items|entries|domains?|zones?|list)$/i.test(key) &&
  (typeof value !== "object" || !Array.isArray(value) || value.length > 0);

const row = (fields: Row["fields"]): Row => ({ fields, line: 0 });

/** A piece out of the middle of some JSON, in the brackets that it lost. */
function pieceOf(text: string): { layout: Layout; value: unknown } | undefined {
  // Brackets around it may be halves of pairs; a loop, because there may be a million of them.
  const isEdge = (at: number): boolean => " \t\n,{}[]".includes(text[at] ?? "x");
  let [from, to] = [0, text.length];
  while (isEdge(from)) from += 1;
  while (to > from && isEdge(to - 1)) to -= 1;
  const inside = text.slice(from, to);
  if (!/^"[\w .-]{1,40}"\s*:/.test(inside)) return undefined;
  for (const whole of [`[{${inside}}]`, `{${inside}}`, `[{${inside}]}]`])
    try {
      return { layout: "JSON", value: JSON.parse(whole) as unknown };
    } catch {}
  return undefined;
}

/** The value of a text as JSON or YAML, where it is a structure. */
function parsed(text: string): { layout: Layout; value: unknown } | undefined {
  if (/^\s*"[\w .-]{1,40}"\s*:/.test(text)) {
    const piece = pieceOf(text);
    if (piece !== undefined) return piece;
  }
  if (/^\s*[[{]/.test(text)) {
    try {
      return { layout: "JSON", value: JSON.parse(text) as unknown };
    } catch {
      const piece = pieceOf(text);
      if (piece !== undefined) return piece;
      const lines = text.trim().split("\n");
      // One object a line, or YAML in its flowing form.
      if (lines.length > 1 && lines.every((line) => /^\s*\{.*\},?\s*$/.test(line))) {
        try {
          return {
            layout: "JSON",
            value: JSON.parse(`[${lines.map((line) => line.trim().replace(/,$/, "")).join(",")}]`) as unknown,
          };
        } catch {
          return undefined;
        }
      }
    }
  }
  if (text.length > 200_000 || !/^\s+(?:- )?["']?[\w@.*-]+["']?:(?:\s|$)|^\s*- \w+:\s/m.test(text)) return undefined;
  const document = parseDocument(text, { strict: false, uniqueKeys: false, logLevel: "silent" });
  if (document.errors.length > 0) return undefined;
  try {
    const value: unknown = document.toJS({ maxAliasCount: 20 });
    return typeof value === "object" && value !== null ? { layout: "YAML", value } : undefined;
  } catch {
    return undefined;
  }
}

/** JSON or YAML of any shape: the whole paste, or the largest structure in it. */
export const readStructures: Reader = (paste, free) => {
  const candidates = structures(paste, free);
  return candidates.flatMap(({ from, to, text }): Reading[] => {
    const read = parsed(text);
    if (read === undefined) return [];
    const rows = rowsIn(read.value, {}, 0).map((found) => ({ ...found, line: from }));
    return rows.length === 0
      ? []
      : [
          {
            layout: read.layout,
            labelled: true,
            rows,
            unused: textsIn(read.value, 0),
            spans: paste.lines.slice(from, to).map(wholeLine),
          },
        ];
  });
};

/** Stretches of lines that may be a structure: the whole, and from each line that opens a bracket to the last that closes one. */
function structures({ lines }: Paste, free: (line: number) => boolean): { from: number; to: number; text: string }[] {
  if (lines.length === 0 || !lines.every(({ index }) => free(index))) return [];
  const text = (from: number, to: number) =>
    lines
      .slice(from, to)
      .map((line) => line.raw)
      .join("\n");
  const whole = { from: 0, to: lines.length, text: text(0, lines.length) };
  // “[ Back ]” is a button.
  const isButton = ({ text: line }: Line): boolean => /^\s*(?:\[ ?[\p{L} ]+ ?\]\s*)+$/u.test(line);
  const opens = lines.findIndex((line) => !isButton(line) && /^\s*(?:[[{]|"[\w .-]{1,40}"\s*:)/.test(line.text));
  let closes = -1;
  for (const line of lines)
    if (!isButton(line) && /[\]}],?\s*$|^\s*"[\w .-]{1,40}"\s*:.*,?\s*$/.test(line.text)) closes = line.index;
  return opens > -1 && closes >= opens && (opens > 0 || closes < lines.length - 1)
    ? [whole, { from: opens, to: closes + 1, text: text(opens, closes + 1) }]
    : [whole];
}
