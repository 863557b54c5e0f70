import { decodeHTMLStrict } from "entities";
import { plainHyphens, straightQuotes, withoutInvisible } from "../copying.ts";

/** How a published value differs from the wanted one. */
export type ValueMismatch =
  | "quoted-twice"
  | "typographic"
  | "white-space"
  | "wrapped"
  | "case-changed"
  | "escaped"
  | "html-entities"
  | "percent-encoded"
  | "cut"
  | "extra-text"
  | "other-value";

const BLANKS = /\s+/g;

/** A text as it is typed, without what an editor makes of quotation marks and hyphens. */
export const straight = (text: string) => plainHyphens(straightQuotes(text));
const bare = (text: string) => withoutInvisible(text).replace(BLANKS, "");
/** A text without the quotation marks around it, also where each is escaped, or there are several. */
export const unquoted = (text: string) => text.replace(/^(?:\\?["'])+|(?:\\?["'])+$/g, "");

/** What is before the first `=` or `:`, by which a service knows its own tokens. */
const tokenKey = (text: string): string | undefined => /^([a-z0-9][a-z0-9._-]*)[=:]/i.exec(text)?.[1]?.toLowerCase();

/**
 * Says how `seen` comes close to `wanted` without being it, or undefined where the two have nothing to do
 * with each other. Both are the joined text of a TXT record.
 */
export function valueMismatch(wanted: string, seen: string): ValueMismatch | undefined {
  if (seen === wanted) return undefined;
  const asWritten = straight(seen);
  if (asWritten === seen && unquoted(seen) === wanted) return "quoted-twice";
  if (asWritten !== seen && unquoted(asWritten) === unquoted(straight(wanted))) return "typographic";
  if (bare(seen) === bare(wanted))
    return seen.replace(/^[\s\u200b-\u200f\u2060-\u2064]+|[\s\u200b-\u200f\u2060-\u2064]+$/g, "") === wanted
      ? "white-space"
      : "wrapped";
  if (seen.replace(/\\(.)/g, "$1") === wanted) return "escaped";
  if (seen.includes("&") && unquoted(decodeHTMLStrict(seen)) === wanted) return "html-entities";
  if (seen.length >= Math.min(8, wanted.length / 2) && (wanted.startsWith(seen) || wanted.endsWith(seen))) return "cut";
  if (wanted.length >= 8 && seen.includes(wanted)) return "extra-text";
  // Several of these at once: the first that applies names it.
  const core = (text: string) =>
    unquoted(bare(straight(text)))
      .replace(/\\(.)/g, "$1")
      .toLowerCase();
  if (core(seen) === core(wanted)) {
    if (asWritten !== seen) return "typographic";
    if (/["']/.test(seen) && !/["']/.test(wanted)) return "quoted-twice";
    return bare(seen) === seen ? "case-changed" : "wrapped";
  }
  const key = tokenKey(wanted);
  return key !== undefined && tokenKey(straight(unquoted(seen))) === key ? "other-value" : undefined;
}

/** The first place where two texts part, counted from 1. */
export function firstDifference(a: string, b: string): number {
  let i = 0;
  while (i < a.length && a[i] === b[i]) i += 1;
  return i + 1;
}
