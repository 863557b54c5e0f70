import { type Line, looksLikeData, looksLikeName } from "../paste.ts";
import { type Column, isTypeWord, type Label, typeCell } from "../words.ts";
import { pairsOf } from "./labels.ts";

/** The one record type that the lines right above name, behind the line `from`: “MX records”, “Add these CNAME records”. */
export function contextType(lines: readonly Line[], at: number, from = -1): string | undefined {
  for (let i = at - 1; i > Math.max(from, at - 4); i--) {
    const line = lines[i] as Line;
    const { text } = line;
    if (text.length > 300 || isOfRecord(line)) return undefined;
    const types = typesIn(text);
    if (types.size === 1) return [...types][0];
    if (types.size > 1) return undefined;
  }
  return undefined;
}

/** The one type of the records below headings: a heading says it, or the lines above where the columns are not those of another. */
export function typeOfTable(columns: readonly (Label | undefined)[], lines: readonly Line[], at: number): string | undefined {
  const own = columns.find((label) => label?.type !== undefined)?.type;
  if (own !== undefined) return own;
  const type = contextType(lines, at);
  const has = (...wanted: Column[]) => columns.some((label) => label !== undefined && wanted.includes(label.column));
  if (has("service", "protocol", "weight", "port") && type !== "SRV") return undefined;
  return has("priority") && type !== "MX" && type !== "SRV" ? undefined : type;
}

/** Whether a line belongs to a record of its own: with cells, with fields besides a type, with data. */
const isOfRecord = (line: Line): boolean =>
  /\t|\S {2,}\S.* {2,}|^\s*"|["(]\s*$/.test(line.text) ||
  pairsOf(line).some(({ label: { column }, text }) => (column === "host" || column === "value") && text !== "") ||
  line.text.split(/[\s,;()"“”]+/).some((token) => looksLikeData(token) && !looksLikeName(token));

/** Record types that a sentence or heading names. “A” only where “record” follows, or nothing else. */
export function typesIn(text: string): Set<string> {
  const found = new Set<string>();
  const whole = typeCell(text);
  if (whole !== undefined) return found.add(whole);
  for (const [, word = "", behind] of text.matchAll(
    /(?<![\w.=-])([A-Z]{1,6})(?![\w=]|\.\w)((?:[ -](?:resource |DNS )?(?:records?|entry|entries|eintr[aä]ge?|enregistrements?|registros?|type))|\s*\(|\))?/gi,
  )) {
    if (!isTypeWord(word)) continue;
    if (word === word.toUpperCase() && word.length > 1 && word !== "SPF") found.add(word);
    else if (
      behind !== undefined &&
      /rec|ent|eint|enr|reg|type/i.test(behind) &&
      !/^a$/.test(word) &&
      word.toUpperCase() !== "SPF"
    )
      found.add(word.toUpperCase());
    else if (word === "A" && behind !== undefined && /rec|ent|eint/i.test(behind)) found.add("A");
  }
  if (/\bSPF[ -](?:record|entry)/.test(text) && found.size === 0) found.add("TXT");
  return found;
}

/** The end of a sentence, unless a name goes on behind the dot. */
export const SENTENCE = /(?<=[.!?])\s+(?=[\p{Lu}"“(\d])/u;
