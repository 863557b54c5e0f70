import stringWidth from "string-width";
import wrapAnsi from "wrap-ansi";
import type { RecordJson } from "../core/record/index.ts";
import { listOf } from "./english.ts";

/** Breaks a text at its spaces into lines of at most `width` columns, each but the first behind `indent`; lines it has already stay. */
export const wrap = (text: string, width: number, indent = ""): string =>
  text
    .split("\n")
    .flatMap((line) => {
      const lead = /^ */.exec(line)?.[0] ?? "";
      const broken = wrapAnsi(line.slice(lead.length), Math.max(1, width - lead.length)).split("\n");
      return broken.map((part, i) => (i === 0 ? `${lead}${part}` : part));
    })
    .join(`\n${indent}`);

/** Rows as aligned columns with two spaces between them; the last column is not padded. */
export function columns(
  rows: readonly (readonly string[])[],
  paint: (cell: string, column: number, row: number) => string = (cell) => cell,
): string[] {
  const widths = rows.reduce<number[]>((widest, row) => row.map((cell, i) => Math.max(widest[i] ?? 0, stringWidth(cell))), []);
  return rows.map((row, r) =>
    row
      .map(
        (cell, i) => paint(cell, i, r) + (i === row.length - 1 ? "" : " ".repeat((widths[i] as number) - stringWidth(cell) + 2)),
      )
      .join(""),
  );
}

/** A clause as a sentence; names and commands at its beginning keep their case. */
export const sentence = (text: string): string => {
  const begun = /^(?!zandrel )[a-z]+(?=[ ,;:’']|$)/.test(text) ? `${text[0]?.toUpperCase()}${text.slice(1)}` : text;
  return /[.!?]$/.test(begun) ? begun : `${begun}.`;
};

/** What is said in place of the DNS host of a domain whose file names none. */
export const NO_HOST = "no DNS host named";
export const YOUR_HOST = "your DNS host";

/** The data of some records, as one list of a sentence. */
export const dataList = (records: readonly RecordJson[]): string =>
  listOf(records.map(({ data }) => (typeof data === "string" ? data : Object.values(data).join(" "))));
