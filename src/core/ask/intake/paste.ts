import { decodeHTMLStrict } from "entities";
import { octetsOf } from "../../record/index.ts";
import { htmlText, isHtml, type MetaTag, metaTags, xmlText } from "./html.ts";
import { type Repair, repairText } from "./repair.ts";
import { isNoise, isTypeWord } from "./words.ts";

/** A stretch of a line, from the first character to behind the last. */
export interface Span {
  readonly line: number;
  readonly from: number;
  readonly to: number;
}

/** One cell of a line. */
export interface Cell {
  readonly text: string;
  readonly span: Span;
}

/** A line of the paste without the marks in front of it: quotation marks of mail, bullets, numbers, heading signs. */
export interface Line {
  /** Its place among the lines of {@link Paste}. */
  readonly index: number;
  /** Its number in what was pasted, counted from 1; for the source of a page, in what a browser shows of it. */
  readonly number: number;
  readonly text: string;
  /** The line as it was, for what depends on how far it is indented. */
  readonly raw: string;
  /** Whether it was longer than what is looked at. */
  readonly cut: boolean;
  /** Whether an empty line stands in front of it. */
  readonly afterGap: boolean;
  /** Whether it was a heading of a marked-up text. */
  readonly heading: boolean;
  /** Whether it belongs to the signature of a mail, which asks for nothing. */
  readonly aside: boolean;
}

/** A paste on its way to be read: cut into lines, with what copying did to it put right. */
export interface Paste {
  readonly lines: readonly Line[];
  /** The same text without the marks in front of its lines. */
  readonly text: string;
  readonly metaTags: readonly MetaTag[];
  readonly repairs: readonly Repair[];
}

/** A longer line is not a table, a label or a sentence: only its beginning is looked at, and all of it by readers of structures. */
export const MAX_LINE = 4000;

const QUOTE = /^(?:\s{0,3}>)+ ?/;
/** A bullet; a star or a hyphen only where no record can begin with it. */
const BULLET = /^\s*(?:[•·‣◦▪▫►▶▸➤➔➜✓✔✗✘☐☑☒○●■□❖]|[*+–—-](?= ))\s*(?![•·●○*])/u;
const NUMBERING =
  /^\s*(?:(?:step|schritt|étape|paso|passo|stap|krok|手順)\s*\d{1,2}\s*[.:)–-]?|\(?\d{1,2}[.)](?=\s)|\(?[a-h]\)(?=\s)|[①-⑳]|[ivx]{1,4}[.)](?=\s))\s*/iu;
/** Lines that only draw: rules of a table, frames. */
const DRAWN = /^[\s|:+=_─━│┃┌┐└┘├┤┬┴┼═║╔╗╚╝╠╣╦╩╬-]+$/u;
/** Pictures in front of a line, and signs behind it that only mean “copy” or “about this”. */
const PICTURES = /^(?:\p{Extended_Pictographic}|\ufe0f|\u200d)+\s*(?=\S)/u;
const TRAILING_SIGN = /(?:[📋⧉🗐ⓘ\u2139🛈]|\ufe0f)$/u;

/** A button that copies what stands in front of it, on the same line; “copy” behind a label is a value. */
const COPY_BUTTON =
  /(?<=[^\s:：=|→>])[ \t]+(?:Cop(?:y|ied|ier|ié|iar|iado|ia|iato)|COPY|Kopi(?:eren|ert|ëren|uj)|Gekopieerd|Skopiowano|コピー)!?$/;

/** A line without the signs behind it. */
function withoutSigns(text: string): string {
  let plain = text.trimEnd().replace(COPY_BUTTON, "");
  while (TRAILING_SIGN.test(plain)) plain = plain.replace(TRAILING_SIGN, "").trimEnd();
  return plain;
}

/** A wildcard or an apex in front of a type is a host, not a bullet. */
const isHostLine = (text: string): boolean => {
  const words = text.trim().split(/\s+/, 5);
  return words.slice(1).some((word) => /^[A-Z]{1,6}$/.test(word) && isTypeWord(word));
};

/** Takes the marks off one line. */
function bare(text: string): { readonly text: string; readonly heading: boolean } {
  let rest = text.replace(QUOTE, "");
  if (DRAWN.test(rest)) return { text: "", heading: false };
  const heading = /^ {0,3}#{1,6} +\S/.test(rest);
  if (heading) rest = rest.replace(/^ {0,3}#{1,6} +/, "");
  if (/^\s*```/.test(rest)) return { text: "", heading: false };
  for (let i = 0; i < 3; i++) {
    // A sign in a cell of its own is a cell.
    if (/^\s*[^\p{L}\p{N}\s]{1,2}\t/u.test(rest)) break;
    const next =
      isHostLine(rest) && /^\s*[*-](?:\s|\.)/.test(rest)
        ? rest
        : rest.replace(BULLET, "").replace(NUMBERING, "").replace(PICTURES, "");
    if (next === rest) break;
    rest = next;
  }
  return {
    text: withoutSigns(rest.replace(/[│┃║]/g, "|").replace(/(?<=^|[\s|(])\*\*([^*\n]{1,200})\*\*(?=[\s|):.,;]|$)/g, "$1")),
    heading,
  };
}

/** Zone-file lines keep what is in front of them: an empty owner repeats the last one (RFC 1035 section 5.1). */
const keepsIndent = (text: string): boolean => /^\s+(?:\d+[smhdw]?\s+)?(?:IN\s+)/i.test(text);

/**
 * The lines of a text that say anything, with the white space behind them gone and at most one empty line in a row; `numbers` are
 * those of the lines in the text as it was, counted from 1.
 */
function withoutGaps(text: string): { text: string; numbers: readonly number[] } {
  const lines = text
    .replace(/\r\n?|\u2028|\u2029/g, "\n")
    // A run of white space says no more than a short one.
    .replace(/([ \t\u00a0])\1{40,}/g, (run) => run.slice(0, 40))
    .split("\n")
    .map((line, i) => ({ line: line.trimEnd(), number: i + 1 }));
  const kept = lines.filter(({ line }, i) => line !== "" || lines[i - 1]?.line !== "");
  return { text: kept.map(({ line }) => line).join("\n"), numbers: kept.map(({ number }) => number) };
}

/** No signature of a mail is longer. */
const MAX_SIGNATURE = 8;

/** The lines of a mail's signature: behind two hyphens on a line of their own (RFC 3676 section 4.3), up to the next gap. */
function signatureIn(lines: readonly string[]): { readonly from: number; readonly to: number } | undefined {
  const from = lines.findIndex((line, i) => i > 2 && /^(?:> ?)*--\s?$/.test(line));
  if (from === -1) return undefined;
  const end = lines.findIndex((line, i) => i > from && line.replace(/^[> ]+/, "") === "");
  const to = end === -1 ? lines.length : end;
  return to - from - 1 > MAX_SIGNATURE ||
    lines.slice(from, to).some((line) => /\t|v=|\b(?:TXT|CNAME|MX|AAAA|SRV|CAA|A)\b/.test(line))
    ? undefined
    : { from, to };
}

/** A value in numbered parts: “Part 2: …”; behind the first, each is one word. */
const PART = /^(?:part|piece|string|chunk|teil|partie|parte|deel|część)\s*(\d)\s*[:.)]\s*(\S.*)$/i;

/** Numbered parts of one value, one a line, become a value that goes on over lines. */
function joinParts(lines: Line[]): void {
  for (let at = 0; at < lines.length; at++) {
    const parts: string[] = [];
    for (const { text } of lines.slice(at, at + 10)) {
      const [, number, part] = PART.exec(text) ?? [];
      if (part === undefined || Number(number) !== parts.length + 1) break;
      parts.push(part);
    }
    const [first = "", ...others] = parts;
    // Steps are numbered too.
    if (others.length === 0 || others.some((part) => /\s/.test(part)) || !/^["“]?v=|^\S+$/i.test(first)) continue;
    parts.forEach((text, i) => {
      lines[at + i] = { ...(lines[at + i] as Line), text: i === 0 ? `Value: ${text}` : text };
    });
    at += parts.length - 1;
  }
}

/**
 * A line that a mail program broke behind an equals sign (RFC 2045 section 6.7): one that is as long as such lines are, and goes on with a
 * single word.
 */
const LONG_SOFT_BREAK = /^([^\n]{70,75}[^\s=])=\n[> ]{0,20}(?=(?=[^\n]{0,60}\d)(?=[^\n]{0,60}[a-z])[\w+/.-]{6,76}(?:\n|$))/gim;
/** The same in the middle of a record for mail, wherever it was. */
const SOFT_BREAK = /(v=(?:DMARC1|spf1)\b[^\n]{0,500}[a-z0-9.])=\n[> ]{0,20}(?=[a-z0-9][^\n:]*(?:\n|$))/gi;

/** Cuts a paste into lines; the source of a page is read as a browser would show it. */
export function pasteOf(raw: string): Paste {
  const softened = raw.replace(SOFT_BREAK, "$1").replace(LONG_SOFT_BREAK, "$1");
  const { text: plain, numbers } = withoutGaps(softened);
  const meta = metaTags(plain);
  let source = plain;
  // A tag may stand over several lines, which stay lines.
  for (const { text } of meta) source = source.replace(text, text.replace(/[^\n]/g, ""));
  const page = isHtml(source) ? htmlText(source) : undefined;
  const shown = page?.text ?? xmlText(source);
  // Entities of a page's source are read with it.
  const { text, repairs } = repairText(shown ?? source);
  if (softened !== raw) repairs.push({ kind: "wrapped", was: raw, is: softened });
  const tags: Repair[] =
    page === undefined ? [] : [{ kind: "html-tag", was: /<[a-z][^>]{0,40}>?/i.exec(source)?.[0] ?? "", is: "" }];
  const entity = page === undefined ? undefined : /&(?:#\d+|[a-z]+);/i.exec(source)?.[0];
  if (entity !== undefined) tags.push({ kind: "html-entity", was: entity, is: decodeHTMLStrict(entity) });
  const struck = (page?.struck ?? []).map((was): Repair => ({ kind: "struck-out", was, is: "" }));
  const lines: Line[] = [];
  let gap = false;
  const all = text.split("\n");
  const signature = signatureIn(all);
  all.forEach((original, i) => {
    const { text, heading } = bare(original.length > MAX_LINE ? original.slice(0, MAX_LINE) : original);
    if (text.trim() === "") {
      gap = true;
      return;
    }
    const kept = keepsIndent(text) ? text : text.replace(/^ +/, "");
    lines.push({
      index: lines.length,
      number: shown === undefined ? (numbers[i] ?? i + 1) : i + 1,
      text: kept,
      raw: original.replace(QUOTE, ""),
      cut: original.length > MAX_LINE,
      afterGap: gap,
      heading,
      aside: signature !== undefined && i >= signature.from && i < signature.to,
    });
    gap = false;
  });
  joinParts(lines);
  return { lines, text: lines.map((line) => line.text).join("\n"), metaTags: meta, repairs: [...repairs, ...tags, ...struck] };
}

/** The cells of a line between separators, each trimmed, with its place. Empty cells stay. */
export function cellsBetween(line: Line, separator: RegExp): Cell[] {
  const cells: Cell[] = [];
  const push = (from: number, to: number) => {
    const text = line.text.slice(from, to);
    const lead = text.length - text.trimStart().length;
    const trimmed = text.trim();
    cells.push({ text: trimmed, span: { line: line.index, from: from + lead, to: from + lead + trimmed.length } });
  };
  let at = 0;
  for (const found of line.text.matchAll(separator)) {
    push(at, found.index);
    at = found.index + found[0].length;
  }
  push(at, line.text.length);
  return cells;
}

/** The whole of a line as one span. */
export const wholeLine = ({ index, text }: Pick<Line, "index" | "text">): Span => ({ line: index, from: 0, to: text.length });

/** A token that may be a part of a record: what must not be left over unseen. */
export function looksLikeData(token: string): boolean {
  if (token.length < 3 || isNoise(token)) return false;
  if (/^(?:https?:\/\/|mailto:)/i.test(token) || /^[^@\s]+@[^@\s]+\.[a-z]{2,}$/i.test(token)) return false;
  if (/^\d{1,2}:\d\d(?::\d\d)?$/.test(token)) return false;
  if (/^\d{1,3}(?:\.\d{1,3}){3}(?:\/\d+)?$/.test(token) || /^[0-9a-f]*:[0-9a-f:]*::?[0-9a-f:]+$/i.test(token))
    return /\d/.test(token);
  if (/^(?:v=(?:spf1|dkim1|dmarc1)|include:|ip[46]:|redirect=)/i.test(token)) return true;
  // A term of an SPF record, also one with a mistake in its name.
  if (/^[+?~-]all$/i.test(token) || /^[+?~-]?[a-z]{4,10}:(?:[a-z0-9_-]+\.)+[a-z]{2,}$/i.test(token)) return true;
  if (/^_[a-z0-9]/i.test(token)) return true;
  if (/^[\w.-]{2,}[=:][\w+/=.-]*\d[\w+/=.-]*$/.test(token) && !/^\d/.test(token)) return true;
  return octetsOf(token).length >= 16 && /\d/.test(token) && /[a-z]/i.test(token) && /^[\w+/=.-]+$/.test(token);
}

/** A token that is a name of at least two labels, and no number, version or abbreviation. */
export const looksLikeName = (token: string): boolean =>
  token.length <= 253 &&
  /^(?:\*\.)?(?:[a-z0-9_](?:[a-z0-9_-]*[a-z0-9_])?\.)+[a-z][a-z0-9-]*[a-z0-9]\.?$/i.test(token) &&
  !/^(?:e\.g|i\.e|z\.b|a\.m|p\.m)\.?$/i.test(token);
