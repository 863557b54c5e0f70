import { distinct } from "../../distinct.ts";
import type { Explained, Leftover } from "./cover.ts";
import type { Paste } from "./paste.ts";
import type { Fields, Reading } from "./reading.ts";
import { isNoise, labelOf } from "./words.ts";

/** What a line is besides the fields it has: a caption or label, a button or state, understood with a record, not understood, no part of one. */
export const REST = ["label", "button", "layout", "leftover", "passed-over"] as const;

/** What one line of a page was taken for. */
export interface PageLine {
  /** From 1. */
  readonly number: number;
  readonly text: string;
  /** The parts of it that are fields of records. */
  readonly taken: readonly { readonly text: string; readonly as: keyof Fields }[];
  readonly rest: (typeof REST)[number];
}

/** A page of so many lines is a list, and nobody looks at each of them. */
const MAX_EXPLAINED = 300;

/** The page line by line, with what each was taken for. */
export function pageOf(
  paste: Paste,
  readings: readonly Reading[],
  explained: Explained,
  leftover: readonly Leftover[],
): PageLine[] {
  const left = new Set(leftover.map(({ line }) => line));
  return paste.lines.slice(0, MAX_EXPLAINED).map(({ index, number, text, aside }): PageLine => {
    const here = readings.filter(({ spans }) => spans.some(({ line }) => line === index));
    // A row goes on until the next one begins.
    const rows = here.flatMap((reading) => {
      const row = reading.rows.filter(({ line }) => line <= index).at(-1);
      return row === undefined ? [] : reading.rows.filter(({ line }) => line === row.line);
    });
    const taken = distinct(
      rows.flatMap(({ fields }) =>
        (Object.entries(fields) as [keyof Fields, string][]).flatMap(([as, value]) =>
          value
            .split("\n")
            .flatMap((part) => (part.trim() !== "" && text.includes(part.trim()) ? [{ text: part.trim(), as }] : [])),
        ),
      ),
      JSON.stringify,
    );
    const rest = left.has(number)
      ? "leftover"
      : isNoise(text)
        ? "button"
        : labelOf(text.replace(/\s*[:：]\s*$/, "")) !== undefined
          ? "label"
          : explained.has(index) && !aside
            ? "layout"
            : "passed-over";
    return { number, text, taken, rest };
  });
}
