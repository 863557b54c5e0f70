import type { DomainName } from "../../name/index.ts";
import { type Line, looksLikeData, looksLikeName, type Paste, type Span } from "./paste.ts";
import { readForwards, readNameServers } from "./readers/beside.ts";
import { contextType } from "./readers/context.ts";
import { readEvidence } from "./readers/evidence.ts";
import { fieldsOn } from "./readers/labels.ts";
import { readLists, readLoneValues, readValuesBelow } from "./readers/list.ts";
import { readPairs } from "./readers/pairs.ts";
import { readStructures } from "./readers/structured.ts";
import { readTables } from "./readers/table.ts";
import { readZoneLines } from "./readers/zone-lines.ts";
import { type Reader, type Reading, type Row, worthOf } from "./reading.ts";
import { isNoise, labelOf, SAYS, typeCell } from "./words.ts";

/** Something of the paste that no reading explains and that may belong to a record. */
export interface Leftover {
  readonly text: string;
  /** The number of its line, from 1. */
  readonly line: number;
}

/** Which characters of the paste are explained. */
export class Explained {
  readonly #spans = new Map<number, Span[]>();

  add(spans: readonly Span[]): void {
    for (const span of spans) {
      const held = this.#spans.get(span.line);
      if (held === undefined) this.#spans.set(span.line, [span]);
      else held.push(span);
    }
  }
  overlaps(spans: readonly Span[]): boolean {
    return spans.some((span) => this.#spans.get(span.line)?.some(({ from, to }) => span.from < to && from < span.to) === true);
  }
  has(line: number): boolean {
    return this.#spans.has(line);
  }
  /** What of a line is not explained, its explained parts replaced by a separator. */
  rest({ index, text }: Line): string {
    let rest = text;
    for (const { from, to } of this.#spans.get(index) ?? [])
      rest = `${rest.slice(0, from)}${"\t".repeat(to - from)}${rest.slice(to)}`;
    return rest;
  }
}

/** What the best readings of a paste make of it together. */
export interface Cover {
  readonly readings: readonly Reading[];
  /** Two readings of the same place that are about equally good. */
  readonly rivals: readonly [Reading, Reading] | undefined;
}

/** Readings within so many points of each other are both possible. */
const MARGIN = 2;
/** How often what is left is read again without what the best readings have explained. */
const PASSES = 4;

const contentOf = ({ rows }: Reading): string[] =>
  rows.map(({ fields: { type = "", host = "", value = "", nameServer = "" } }) =>
    [type.toUpperCase(), ...[host, value.replace(/\s+/g, " "), nameServer].map((text) => text.replace(/^["']|["']$/g, ""))].join(
      "\t",
    ),
  );

/** Chooses the readings that explain the paste best; each place is explained once, and `explained` knows it afterwards. */
export function coverOf(paste: Paste, domain: DomainName, explained: Explained): Cover {
  const readers: readonly Reader[] = [
    readStructures,
    readZoneLines(domain),
    readTables,
    readLists,
    readPairs,
    readForwards,
    readNameServers(domain),
    readEvidence(domain),
    readLoneValues,
    readValuesBelow(domain),
  ];
  const chosen: Reading[] = [];
  let rivals: readonly [Reading, Reading] | undefined;
  for (let pass = 0; pass < PASSES; pass++) {
    const candidates = readers
      .flatMap((read) => read(paste, (line) => !explained.has(line)))
      .map((reading) => ({ reading, worth: worthOf(reading) }))
      .filter(({ worth }) => worth > 0)
      .sort((a, b) => b.worth - a.worth);
    if (candidates.length === 0) break;
    const near = byLine(candidates);
    let found = false;
    for (const { reading, worth } of candidates) {
      if (explained.overlaps(reading.spans)) continue;
      rivals ??= rivalOf(reading, worth, near);
      explained.add(reading.spans);
      chosen.push(reading);
      found = true;
    }
    if (!found) break;
  }
  return { readings: chosen.sort((a, b) => lineOf(a) - lineOf(b)), rivals };
}

const lineOf = ({ rows }: Reading): number => Math.min(...rows.map(({ line }) => line));

interface Candidate {
  readonly reading: Reading;
  readonly worth: number;
}

/** Candidates by the lines they explain. */
function byLine(candidates: readonly Candidate[]): ReadonlyMap<number, readonly Candidate[]> {
  const lines = new Map<number, Candidate[]>();
  for (const candidate of candidates)
    for (const line of new Set(candidate.reading.spans.map((span) => span.line))) {
      const here = lines.get(line);
      if (here === undefined) lines.set(line, [candidate]);
      else here.push(candidate);
    }
  return lines;
}

/** A reading of more rows is compared with no other: a list of that length is what it looks like. */
const MAX_COMPARED = 50;

/** Another reading of the same place that is as good and finds something else. */
function rivalOf(
  best: Reading,
  worth: number,
  near: ReadonlyMap<number, readonly Candidate[]>,
): readonly [Reading, Reading] | undefined {
  if (best.rows.length > MAX_COMPARED || best.layout === "sentence") return undefined;
  const own = new Set(contentOf(best));
  const lines = new Set(best.spans.map((span) => span.line));
  const others = new Set([...lines].flatMap((line) => near.get(line) ?? []));
  const rival = [...others].find(
    (other) =>
      other.reading !== best &&
      other.worth >= worth - MARGIN &&
      other.worth >= 10 &&
      other.reading.layout !== "sentence" &&
      other.reading.rows.length === best.rows.length &&
      contentOf(other.reading).some((content) => !own.has(content)),
  );
  return rival === undefined ? undefined : [best, rival.reading];
}

/** What the lines around a record say of it. */
export interface Section {
  readonly remove: boolean;
  /** Whether it shows what is there now, and not what is to be. */
  readonly found: boolean;
  readonly example: boolean;
  /** The number of the option it belongs to, from 1; 0 outside of options. */
  readonly option: number;
  /** The heading or sentence right above. */
  readonly heading: string;
}

/** Where a pattern matches last in a text; -1 where it does not. */
const lastOf = (pattern: RegExp, text: string): number =>
  [...text.matchAll(new RegExp(pattern.source, "gi"))].at(-1)?.index ?? -1;

/** A line that says of what follows that it is there already is no longer. */
const MAX_CAPTION = 80;

/** Says of every line which section it is in: records to remove, an example, one of several options. */
export function sectionsOf(paste: Paste, explained: Explained): readonly Section[] {
  let remove = false;
  let found = false;
  let example = false;
  let option = 0;
  let heading = "";
  return paste.lines.map((line): Section => {
    const { text } = line;
    const bare = explained.rest(line).replace(/\t+/g, " ").trim();
    const isRecord = explained.has(line.index);
    if (example && line.afterGap && isRecord && !SAYS.example.test(text))
      example = SAYS.example.test(paste.lines[line.index - 1]?.text ?? "");
    if (!isRecord && text.length < 300) {
      if (
        SAYS.remove.test(text) &&
        (ABOUT_RECORDS.test(text) || /:\s*$/.test(text) || line.heading || typeCell(text) !== undefined) &&
        !/\bdo not (?:remove|delete)|\bdon.t (?:remove|delete)|\bnot be (?:removed|deleted)/i.test(text)
      )
        // Within a line the last verb counts: “Delete any existing MX records, then add:”.
        remove = lastOf(SAYS.remove, text) > lastOf(SAYS.add, text);
      else if (SAYS.add.test(text) || (labelOf(text) === undefined && (/:\s*$/.test(text) || line.heading))) remove = false;
      if (/:\s*$/.test(text) || line.heading)
        found = text.length < MAX_CAPTION && SAYS.found.test(text) && !SAYS.wanted.test(text) && !SAYS.add.test(text);
      else if (SAYS.add.test(text) || SAYS.wanted.test(text)) found = false;
      if (!isNoise(text)) heading = text;
    } else if (
      remove &&
      bare.length < 200 &&
      /^\W*(?:(?:then|now|next|and|please)\W+)*\p{L}+/u.test(bare) &&
      SAYS.add.test(bare.split(/\s+/).slice(0, 3).join(" "))
    )
      // A step that adds its own record ends what a step in front of it removes.
      remove = false;
    if (SAYS.example.test(bare)) example = true;
    if (text.length < 300 && bare !== "" && SAYS.option.test(bare)) option += 1;
    else if (text.length < 300 && bare !== "" && SAYS.either.test(bare) && option === 0) option = 1;
    else if (text.length < 300 && bare !== "" && SAYS.or.test(bare) && line.index > 0) option = option === 0 ? 2 : option + 1;
    return { remove, found, example, option, heading };
  });
}

/** Whether a line is a sentence rather than a cell or a caption. */
const isSentence = (text: string): boolean => text.trim().split(/\s+/).length >= 5;

/** A sentence that is about records; a name in it may be a part of one. */
const ABOUT_RECORDS = /\b(?:records?|CNAME|TXT|MX|AAAA|value|host|target|points?|alias|entry)\b/i;

/** A page with more records is a list, and no sentence around it repeats them. */
const MAX_REPEATED = 100;

/** What may be a part of a record and is explained by nothing. */
export function leftoverOf(
  paste: Paste,
  explained: Explained,
  readings: readonly Reading[],
  rows: readonly Row[],
  domain: DomainName,
): Leftover[] {
  const known = new Set(rows.flatMap(({ fields }) => Object.values(fields)).map((text) => text.toLowerCase()));
  // On a page of a few records a sentence may repeat a part of one.
  const whole = rows.length > MAX_REPEATED ? "" : [...known].join("\n");
  const own = domain.slice(0, -1);
  const types = new Set(rows.map(({ fields }) => fields.type?.toUpperCase()));
  const ofFields = new Set(
    readings.flatMap(({ layout, spans }) => (layout === "labelled fields" ? spans.map(({ line }) => line) : [])),
  );
  // A piece of a value, or a line of which a value is a part.
  const isHeld = (text: string): boolean =>
    rows.length <= MAX_REPEATED &&
    [...known].some((held) => held.length > 6 && ((text.length > 6 && held.includes(text)) || text.includes(held)));
  const left: Leftover[] = readings.flatMap((reading) =>
    (reading.unused ?? [])
      .filter(
        (text) =>
          !known.has(text.toLowerCase()) &&
          !isHeld(text.toLowerCase()) &&
          text.toLowerCase().replace(/\.$/, "") !== own &&
          (looksLikeData(text) || looksLikeName(text)),
      )
      .map((text) => ({ text, line: paste.lines[lineOf(reading)]?.number ?? 1 })),
  );
  for (const line of paste.lines) {
    // Numbers of versions look like addresses.
    const rest = explained
      .rest(line)
      .replace(/\b(?:version|build|release|v)\.? ?\d+(?:\.\d+){2,}/gi, (text) => "\t".repeat(text.length));
    if (line.cut && !explained.has(line.index) && rows.length > 0) left.push({ text: line.text.slice(0, 60), line: line.number });
    // A mark of something left out, behind what was understood.
    if (explained.has(line.index) && /(?:^|[\s\t])(?:\[\s*(?:\.{2,}|…)\s*\]|\.{3,}|…)\s*$/.test(rest))
      left.push({ text: rest.trim(), line: line.number });
    if (rest.trim() === "" || isNoise(rest)) continue;
    const type = typeCell(rest);
    if (type !== undefined && !explained.has(line.index)) {
      // A caption of the records below it is understood with them.
      const caption =
        types.has(type) || (type === "SPF" && types.has("TXT")) || contextType(paste.lines, line.index + 1) === undefined;
      if (!caption || (!types.has(type) && type !== "SPF" && rows.length > 0))
        left.push({ text: rest.trim(), line: line.number });
      continue;
    }
    // A line of fields that none of them is taken from, or not all.
    if (rows.length > 0 && (rest === line.text || ofFields.has(line.index)) && !line.text.includes("\t"))
      for (const { text } of fieldsOn({ ...line, text: rest }))
        if (!known.has(text.toLowerCase())) left.push({ text, line: line.number });
    const sentence = isSentence(rest) && !line.text.includes("\t");
    for (const word of rest.split(/[\s,;()"“”„«»‹›‘’<>|]+/)) {
      const token = word.replace(/^['‘`]+|['’`.:!?]+$/g, "");
      if (token === "" || token.length > 4000) continue;
      const lower = token.toLowerCase().replace(/\.$/, "");
      const isOwn = lower === own || lower === `www.${own}` || lower.endsWith(`@${own}`);
      // The name that records stand below, and the end of an SPF record that terms go into.
      const isAbove =
        rows.length <= MAX_REPEATED &&
        looksLikeName(token) &&
        lower.endsWith(`.${own}`) &&
        [...known].some((held) => isBelowName(held, lower, own));
      // How a name looks in the end, with a placeholder for the reader's own domain.
      const isPlaceholder = rows.length > 0 && /(?:^|\.)(?:your|my)-?domain\.\w+$/i.test(token);
      if (isAbove || isPlaceholder || (sentence && /^[+?~-]all$/.test(token))) continue;
      if (isOwn || known.has(lower) || (lower.length > 5 && whole.includes(lower))) continue;
      const mayBeName = looksLikeName(token) && !/\.(?:html?|php|pdf|txt|png|jpe?g|csv|json|ya?ml|zone)$/i.test(token);
      if (looksLikeData(token) || (mayBeName && (!sentence || ABOUT_RECORDS.test(rest)) && rows.length > 0 && !isContact(rest)))
        left.push({ text: token, line: line.number });
    }
  }
  return left;
}

/** Whether a host stands below a name of the domain, in whatever form it is written. */
const isBelowName = (host: string, name: string, own: string): boolean =>
  host.endsWith(`.${name}`) || host.endsWith(`.${name.slice(0, -own.length - 1)}`);

/** Lines of a mail's head or a page's foot: names in them are addresses, not records. */
const isContact = (text: string): boolean =>
  /^\s*(?:from|to|cc|subject|date|reply-to|von|an|de|à|home|©|copyright)\b/i.test(text) ||
  /\b(?:help|docs?|support|www|blog)\.[\w.-]+\.[a-z]+/i.test(text) ||
  / [>›/] /.test(text);
