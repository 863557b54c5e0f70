import { type Clause, clause } from "./clause/index.ts";

/** One `name=value` of a tag list. All offsets count from the start of the text. */
interface Tag {
  readonly name: string;
  /** Without the white space around it. */
  readonly value: string;
  readonly at: number;
  /** Everything between the equals sign and the semicolon, white space included. */
  readonly valueStart: number;
  readonly valueEnd: number;
}

/** A mistake at its character, with the likely intention where there is one. */
export interface Mistake {
  readonly at: number;
  readonly text: string;
  readonly message: Clause;
  readonly meant?: string;
}

export interface TagList {
  readonly tags: readonly Tag[];
  readonly mistakes: readonly Mistake[];
  /** The first tag of a name. */
  get(name: string): Tag | undefined;
}

/** Blank, tab, carriage return or line feed. */
const isWhiteSpace = (code: number): boolean => code === 32 || code === 9 || code === 13 || code === 10;

/** A text without the white space of mail around it; other invisible characters stay. */
function inside(text: string, start: number, end: number): [number, number] {
  while (start < end && isWhiteSpace(text.charCodeAt(start))) start += 1;
  while (end > start && isWhiteSpace(text.charCodeAt(end - 1))) end -= 1;
  return [start, end];
}

/**
 * Reads a tag list (RFC 6376 section 3.2): `name=value` pairs between semicolons, with a semicolon allowed at
 * the end. Names are case-sensitive, and each may stand only once.
 */
export function readTagList(text: string): TagList {
  const tags: Tag[] = [];
  const mistakes: Mistake[] = [];
  const byName = new Map<string, Tag>();
  let start = 0;
  while (start <= text.length) {
    const semicolon = text.indexOf(";", start);
    const end = semicolon === -1 ? text.length : semicolon;
    const [from, to] = inside(text, start, end);
    const last = semicolon === -1;
    if (from === to) {
      if (!last) mistakes.push({ at: start, text: ";", message: clause("tags-nothing-between") });
    } else {
      const equals = text.indexOf("=", from);
      if (equals === -1 || equals >= to) {
        mistakes.push({ at: from, text: text.slice(from, to), message: clause("tags-form") });
      } else {
        const [, nameEnd] = inside(text, from, equals);
        const name = text.slice(from, nameEnd);
        const [valueFrom, valueTo] = inside(text, equals + 1, end);
        const tag: Tag = { name, value: text.slice(valueFrom, valueTo), at: from, valueStart: equals + 1, valueEnd: end };
        if (!/^[A-Za-z][A-Za-z0-9_]*$/.test(name))
          mistakes.push({
            at: from,
            text: name,
            message: clause("tags-name"),
          });
        else if (byName.has(name)) mistakes.push({ at: from, text: name, message: clause("tags-twice", { name }) });
        else byName.set(name, tag);
        tags.push(tag);
      }
    }
    if (last) break;
    start = end + 1;
  }
  return { tags, mistakes, get: (name) => byName.get(name) };
}
