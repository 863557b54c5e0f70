import { type Clause, clause } from "../clause/index.ts";
import type { Token } from "../record/index.ts";

/** One entry of a zone file: a record or a directive, possibly over several lines (RFC 1035 section 5.1). */
export interface ScannedEntry {
  /** Whether the entry begins with a space, so that its owner is the one before it. */
  readonly indented: boolean;
  readonly tokens: readonly Token[];
  /** Offset of the first character of its first line, and of the first character after its last line end. */
  readonly start: number;
  readonly end: number;
  /** Offset where its last word ends; a comment may follow. */
  readonly wordsEnd: number;
}

/** A place where the file cannot be read. `at` is an offset. */
export interface ScanError {
  readonly at: number;
  readonly text: string;
  readonly expected: Clause;
}

const NEWLINE = 10;
const RETURN = 13;
const SPACE = 32;
const TAB = 9;
const QUOTE = 34;
const OPEN = 40;
const CLOSE = 41;
const SEMICOLON = 59;
const BACKSLASH = 92;

function afterLine(text: string, at: number): number {
  const newline = text.indexOf("\n", at);
  return newline === -1 ? text.length : newline + 1;
}

/** Whether a character ends a word. */
const endsWord = (code: number): boolean =>
  code === SPACE ||
  code === TAB ||
  code === NEWLINE ||
  code === RETURN ||
  code === SEMICOLON ||
  code === OPEN ||
  code === CLOSE ||
  code === QUOTE;

/** Where a word ends that begins at a place; a backslash takes the character behind it along (RFC 1035 section 5.1). */
function afterWord(text: string, from: number): number {
  let at = from;
  for (; at < text.length; at++) {
    const here = text.charCodeAt(at);
    if (here === BACKSLASH && at + 1 < text.length && text.charCodeAt(at + 1) !== NEWLINE) at += 1;
    else if (endsWord(here)) break;
  }
  return at;
}

/**
 * Cuts a zone file into entries. After a scan error it goes on with the next line, so that one mistake
 * does not hide the rest of the file.
 */
export function* scan(text: string): Generator<ScannedEntry | ScanError> {
  let at = 0;
  while (at < text.length) {
    const start = at;
    const first = text.charCodeAt(at);
    const indented = first === SPACE || first === TAB;
    const tokens: Token[] = [];
    let wordsEnd = at;
    let openedAt = -1;
    let error: ScanError | undefined;
    entry: for (;;) {
      const code = at < text.length ? text.charCodeAt(at) : NEWLINE;
      switch (code) {
        case SPACE:
        case TAB:
        case RETURN:
          at += 1;
          break;
        case NEWLINE:
          if (at >= text.length || openedAt === -1) {
            at = Math.min(at + 1, text.length);
            break entry;
          }
          at += 1;
          break;
        case SEMICOLON: {
          const end = text.indexOf("\n", at);
          at = end === -1 ? text.length : end;
          break;
        }
        case OPEN:
          if (openedAt !== -1) error ??= { at, text: "(", expected: clause("expected-close-before-open") };
          openedAt = at;
          at += 1;
          break;
        case CLOSE:
          if (openedAt === -1) error ??= { at, text: ")", expected: clause("expected-open-before-close") };
          openedAt = -1;
          at += 1;
          wordsEnd = at;
          break;
        case QUOTE: {
          const from = at;
          at += 1;
          while (at < text.length && text.charCodeAt(at) !== QUOTE && text.charCodeAt(at) !== NEWLINE)
            at += text.charCodeAt(at) === BACKSLASH && text.charCodeAt(at + 1) !== NEWLINE ? 2 : 1;
          if (at >= text.length || text.charCodeAt(at) !== QUOTE) {
            at = Math.min(at, text.length);
            error ??= { at: from, text: text.slice(from, Math.min(at, from + 40)), expected: clause("expected-closing-quote") };
            break;
          }
          at += 1;
          tokens.push({ text: text.slice(from + 1, at - 1), quoted: true, at: from });
          wordsEnd = at;
          break;
        }
        default: {
          const from = at;
          at = afterWord(text, at);
          tokens.push({ text: text.slice(from, at), quoted: false, at: from });
          wordsEnd = at;
        }
      }
    }
    if (openedAt !== -1 && error === undefined) {
      at = afterLine(text, openedAt);
      error = { at: openedAt, text: "(", expected: clause("expected-close") };
    }
    if (error !== undefined) yield error;
    else if (tokens.length > 0) yield { indented, tokens, start, end: at, wordsEnd };
  }
}
