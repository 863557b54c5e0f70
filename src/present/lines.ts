/** How many columns a text takes, its colours aside. */
const shownLength = (text: string): number => text.replace(/\x1b\[[0-9;]*m/g, "").length;

/** Breaks a text at its blanks into lines of at most `width` characters, each but the first behind `indent`; lines it has already stay. */
export function wrap(text: string, width: number, indent = ""): string {
  if (text.includes("\n"))
    return text
      .split("\n")
      .map((line) => wrap(line, width, indent))
      .join(`\n${indent}`);
  const lines: string[] = [];
  let line = "";
  for (const word of text.split(" ")) {
    if (line !== "" && shownLength(line) + 1 + shownLength(word) > width) {
      lines.push(line);
      line = word;
    } else line = line === "" ? word : `${line} ${word}`;
  }
  lines.push(line);
  return lines.join(`\n${indent}`);
}

/** Rows as aligned columns with two blanks between them; the last column is not padded. */
export function columns(
  rows: readonly (readonly string[])[],
  paint: (cell: string, column: number, row: number) => string = (cell) => cell,
): string[] {
  const widths = rows.reduce<number[]>((widest, row) => row.map((cell, i) => Math.max(widest[i] ?? 0, [...cell].length)), []);
  return rows.map((row, r) =>
    row
      .map(
        (cell, i) => paint(cell, i, r) + (i === row.length - 1 ? "" : " ".repeat((widths[i] as number) - [...cell].length + 2)),
      )
      .join(""),
  );
}
