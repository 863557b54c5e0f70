import type { Line, Paste, Span } from "../paste.ts";
import { looksLikeName } from "../paste.ts";
import { fits, looksLikeHost, type Reader, type Reading, type Row } from "../reading.ts";
import { APEX_WORDS, type Column, isTypeWord, SAYS } from "../words.ts";
import { SENTENCE, typesIn } from "./context.ts";

/** A thing that may be named in a sentence: in quotes, in code marks, or one word. */
const THING = `(?:["“„'‘\`]([^"”“'’\`\\n]{1,400})["”“'’\`]|([^\\s"“”„\`,;]*[^\\s"“”„\`,;.:!?)(]))`;
const HOST_FIELD = "(?:host ?name|host|name|sub-?domain|label|alias|record name)";
const VALUE_FIELD = "(?:value|target|points? to|destination|data|content|contents|answer|text|address|record value|mail server)";
const FIELD_BEHIND = "(?:field|box|column|input)?";
const ENTER = "(?:enter|type|put|paste|add|use|set|write|insert|fill in|choose|select)";

/** How sentences name the fields of a record. Each pattern holds one thing; the first that matches at a place wins. */
const SLOTS: readonly (readonly [Column, RegExp])[] = (
  [
    ["host", `\\b${ENTER}\\s+${THING}\\s+(?:in|into|as|for|under|in to)\\s+(?:the\\s+|your\\s+)?["“']?${HOST_FIELD}["”']?\\b`],
    ["value", `\\b${ENTER}\\s+${THING}\\s+(?:in|into|as|for|under)\\s+(?:the\\s+|your\\s+)?["“']?${VALUE_FIELD}["”']?\\b`],
    ["value", `\\band\\s+${THING}\\s+(?:in|into|as|for|under)\\s+(?:the\\s+|your\\s+)?["“']?${VALUE_FIELD}["”']?\\b`],
    [
      "host",
      `\\b(?:in|under|for|as|into) (?:the |your )?["“']?${HOST_FIELD}["”']? ?${FIELD_BEHIND},? (?:${ENTER}|is|should be)\\s+${THING}`,
    ],
    [
      "value",
      `\\b(?:in|under|for|as|into) (?:the |your )?["“']?${VALUE_FIELD}["”']? ?${FIELD_BEHIND},? (?:${ENTER}|is|should be)\\s+${THING}`,
    ],
    ["host", `\\b(?:with|and|has|having) (?:the |a )?${HOST_FIELD}(?: of| set to)?\\s*:?\\s+${THING}`],
    [
      "value",
      `\\b(?:with|and|has|having|this|these|the following) (?:the |a |this )?${VALUE_FIELD}(?: of| set to)?\\s*:?\\s+${THING}`,
    ],
    [
      "value",
      `\\b(?:pointing|points?|pointed|resolves?|resolving|leads?|leading|directed|refers?) (?:it |them )?(?:to|at)\\s*:?\\s+${THING}`,
    ],
    ["value", `\\b(?:containing|contains?|set to|equal to|reads?|that says|whose value is)\\s*:?\\s+${THING}`],
    ["value", `\\balias (?:\\(?CNAME\\)? )?(?:of|for|to)\\s+${THING}`],
    ["host", `\\b(?:make|turn)\\s+${THING}\\s+(?:an?|into an?)\\s+alias\\b`],
    ["host", `\\b(?:named|called|under the name|with the name)\\s+${THING}`],
    ["host", `\\b(?:point|alias|direct)\\s+${THING}\\s+(?:to|at)\\b`],
    ["value", `\\b(?:point|alias|direct)\\s+\\S+\\s+(?:to|at)\\s+${THING}`],
    ["host", `\\b(?:for|at|on|under|to|of)\\s+(?:the |your )?(?:host(?:name)? |sub-?domain |name )?${THING}(?=[\\s,.:;]|$)`],
    ["host", `\\b(?:für|pour|para|per|voor|dla)\\s+${THING}`],
    ["value", `\\b(?:der|die|das|qui|que|che|die)\\s+(?:auf|vers|a|naar)\\s+${THING}\\s+(?:zeigt|pointe|apunta|verwijst)`],
    [
      "value",
      `\\b(?:pointant vers|apuntando a|que apunte a|che punta a|mit dem wert|avec la valeur|con el valor|com o valor|con il valore|met de waarde)\\s*:?\\s+${THING}`,
    ],
    ["value", `(?:\\bto|:|=|→)\\s+${THING}(?=[\\s,.;]|$)`],
  ] as const
).map(([column, pattern]) => [column, new RegExp(pattern, "giu")] as const);

const WORDY_APEX =
  /\b(?:root(?: of)?(?: your| the)?(?: domain)?|root domain|apex|bare domain|naked domain|domain itself|top level of your domain)\b/i;

interface Slot {
  readonly column: "type" | "host" | "value";
  readonly text: string;
  readonly from: number;
  readonly to: number;
}

/** Sentences are at most so long; what is longer is not a sentence. */
const MAX_SENTENCE = 2000;

/** What the slots of a sentence hold, in the order of the text, each place taken once. */
function slotsOf(sentence: string): Slot[] {
  const slots: Slot[] = [];
  const taken = (from: number, to: number) => slots.some((slot) => from < slot.to && to > slot.from);
  for (const match of sentence.matchAll(/(?<![\w.=@-])([A-Za-z]{1,6})(?![\w=@]|\.\w)/g)) {
    const [, word = ""] = match;
    if (!isTypeWord(word)) continue;
    if (!typesIn(sentence.slice(Math.max(0, match.index - 8), match.index + word.length + 20)).has(word.toUpperCase())) continue;
    slots.push({ column: "type", text: word.toUpperCase(), from: match.index, to: match.index + word.length });
  }
  for (const [column, pattern] of SLOTS) {
    for (const match of sentence.matchAll(pattern)) {
      const text = match[1] ?? match[2] ?? "";
      const from = match.index + match[0].lastIndexOf(text);
      if (taken(from, from + text.length) || !suits(column, text, match[1] !== undefined)) continue;
      slots.push({ column: column as "host" | "value", text, from, to: from + text.length });
    }
  }
  return slots.sort((a, b) => a.from - b.from);
}

/** Words that stand where a thing could and are none. */
const NO_THING =
  /^(?:a|an|the|this|that|your|our|it|its|them|following|new|one|two|record|records|domain|dns|host|name|value|field|box|type|here|us|you|be|is|and|or|with|verify|prove|connect|use|any|each|other|provider|settings|zone|make|set|see|have|get|do|finish|continue)$/i;

function suits(column: Column, text: string, quoted: boolean): boolean {
  if (NO_THING.test(text) || /^\d{1,2}(?:h|:\d\d)?$/.test(text)) return false;
  if (column === "host") return looksLikeHost(text) || APEX_WORDS.test(text);
  return quoted || looksLikeName(text) || (fits(undefined, text) === 1 && /[=:]|\d.*\d|\d\./.test(text) && !/^\d+$/.test(text));
}

/** The records that one sentence, or several that belong together, ask for. */
function rowsIn(slots: readonly Slot[], text: string): { row: Omit<Row, "line">; slots: readonly Slot[] }[] {
  const rows: { row: Omit<Row, "line">; slots: readonly Slot[] }[] = [];
  const types = slots.filter(({ column }) => column === "type");
  const distinct = new Set(types.map((slot) => slot.text));
  const values = slots.filter(({ column }) => column === "value");
  const hosts = slots.filter(({ column }) => column === "host");
  if (values.length === 0) return [];
  const groups = distinct.size <= 1 ? [slots] : splitByType(slots);
  for (const group of groups) {
    const type = group.find(({ column }) => column === "type")?.text;
    const held = group
      .filter(({ column }) => column === "value")
      .filter(({ text: value }) => type === undefined || fits(type, value) >= 0);
    const host = group.find(({ column }) => column === "host") ?? (groups.length === 1 ? hosts[0] : undefined);
    if (type === undefined || held.length === 0) continue;
    // Several values are several addresses of one name; of anything else it is not clear what the second one is for.
    const several = type === "A" || type === "AAAA";
    const apex = host === undefined && WORDY_APEX.test(text);
    for (const value of several ? held : held.slice(0, 1))
      rows.push({
        row: {
          fields: {
            type,
            value: value.text,
            ...(host === undefined ? (apex ? { host: "@" } : {}) : { host: APEX_WORDS.test(host.text) ? "@" : host.text }),
          },
        },
        slots: [...group.filter((slot) => slot.column === "type"), ...(host === undefined ? [] : [host]), value],
      });
  }
  return rows;
}

/** Slots in groups of which each begins with a type. */
function splitByType(slots: readonly Slot[]): Slot[][] {
  const groups: Slot[][] = [[]];
  for (const slot of slots) {
    if (slot.column === "type" && (groups.at(-1) as Slot[]).some(({ column }) => column === "type")) groups.push([]);
    (groups.at(-1) as Slot[]).push(slot);
  }
  return groups;
}

/** Further values behind the first: “203.0.113.10 and 203.0.113.11”. */
function furtherValues(sentence: string, slots: readonly Slot[], type: string | undefined): Slot[] {
  const more: Slot[] = [];
  for (const match of sentence.matchAll(/(?:,|\band\b|\bund\b|\bet\b|\by\b|\be\b|\ben\b|\bi\b)\s+([^\s,;]+[^\s,;.])/g)) {
    const text = match[1] as string;
    const from = match.index + match[0].lastIndexOf(text);
    if (
      slots.some((slot) => from < slot.to && from + text.length > slot.from) ||
      fits(type, text) < 2 ||
      (type !== "A" && type !== "AAAA")
    )
      continue;
    more.push({ column: "value", text, from, to: from + text.length });
  }
  return more;
}

/** Sentences: “Add a CNAME record for www pointing to …”, also over several steps. */
export const readProse: Reader = (paste, free) => {
  const readings: Reading[] = [];
  const said = new Set<number>();
  for (const unit of sentencesOf(paste, free)) {
    // Lines are only read together where none of them says everything by itself.
    if (unit.lines.length > 1 && unit.lines.some((line) => said.has(line))) continue;
    const first = slotsOf(unit.text);
    const type = first.find(({ column }) => column === "type")?.text;
    const slots = [...first, ...furtherValues(unit.text, first, type)];
    const found = rowsIn(slots, unit.text);
    const remove = SAYS.remove.test(unit.text) && !SAYS.add.test(unit.text);
    if (found.length === 0) continue;
    for (const line of unit.lines) said.add(line);
    readings.push({
      layout: "sentence",
      rows: found.map(({ row }, i) => ({
        ...row,
        ...(found.length > 1 && /\beither\b/i.test(unit.text) ? { option: i + 1 } : {}),
        line: unit.lineAt(0),
        ...(remove ? { remove } : {}),
      })),
      spans: found.flatMap((one) => one.slots.map((slot) => unit.spanOf(slot.from, slot.to))),
    });
  }
  return readings;
};

interface Unit {
  readonly text: string;
  readonly lines: readonly number[];
  lineAt(offset: number): number;
  spanOf(from: number, to: number): Span;
}

/** Every sentence for itself, and every run of lines that are steps of one instruction. */
function sentencesOf({ lines }: Paste, free: (line: number) => boolean): Unit[] {
  const units: Unit[] = [];
  const unit = (line: Line, from: number, text: string): Unit => ({
    text,
    lines: [line.index],
    lineAt: () => line.index,
    spanOf: (a, b) => ({ line: line.index, from: from + a, to: from + b }),
  });
  for (const line of lines) {
    if (!free(line.index) || line.text.includes("\t")) continue;
    let from = 0;
    for (const text of line.text.length > MAX_SENTENCE ? [] : line.text.split(SENTENCE)) {
      const at = line.text.indexOf(text, from);
      units.push(unit(line, at, text));
      from = at + text.length;
    }
  }
  return [...units, ...paragraphs(lines, free)];
}

const MAX_STEPS = 8;

/** Lines that follow one another, as one text: what the steps of an instruction say together. */
function paragraphs(lines: readonly Line[], free: (line: number) => boolean): Unit[] {
  const units: Unit[] = [];
  let run: Line[] = [];
  const close = () => {
    if (run.length >= 2 && run.length <= MAX_STEPS) {
      const part = run;
      const text = part.map((line) => line.text).join("\n");
      const place = (offset: number): { line: Line; at: number } => {
        let at = offset;
        for (const line of part) {
          if (at <= line.text.length) return { line, at };
          at -= line.text.length + 1;
        }
        return { line: part.at(-1) as Line, at: 0 };
      };
      if (text.length <= MAX_SENTENCE)
        units.push({
          text,
          lines: part.map((line) => line.index),
          lineAt: (offset) => place(offset).line.index,
          spanOf: (from, to) => {
            const { line, at } = place(from);
            return { line: line.index, from: at, to: Math.min(line.text.length, at + to - from) };
          },
        });
    }
    run = [];
  };
  for (const line of lines) {
    if (line.afterGap || !free(line.index) || line.text.includes("\t")) close();
    if (free(line.index) && !line.text.includes("\t")) run.push(line);
  }
  close();
  return units;
}
