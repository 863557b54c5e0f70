/** What must never reach a terminal raw: control characters, and the marks that turn the direction of text around. */
const UNSAFE = /[\x00-\x1f\x7f-\x9f\u061c\u200e\u200f\u2028\u2029\u202a-\u202e\u2066-\u2069\ufeff]/g;

const escapeOf = (character: string): string => {
  const code = character.charCodeAt(0);
  return code < 0x100 ? `\\x${code.toString(16).padStart(2, "0")}` : `\\u${code.toString(16).padStart(4, "0")}`;
};

/** A text from outside as one visible line: everything a terminal would obey is written out instead. */
export const visible = (text: string): string => text.replace(UNSAFE, escapeOf);

/** The same for a text whose line ends are meant. */
export const visibleLines = (text: string): string => text.split("\n").map(visible).join("\n");

const COLOUR = /\x1b\[[0-9;]{0,12}m/g;

/**
 * The last gate in front of the terminal: line ends and colours pass, everything else a terminal would obey
 * is shown escaped. Colours from outside never get here, because `visible` runs where text comes in.
 */
export function terminalSafe(text: string): string {
  const colours = text.match(COLOUR) ?? [];
  return text
    .split(COLOUR)
    .map((part) => visibleLines(part) + (colours.shift() ?? ""))
    .join("");
}

/** JSON that is also safe to show on a terminal. */
export const jsonText = (value: unknown, indent?: number): string =>
  JSON.stringify(value, undefined, indent).replace(UNSAFE, (character) =>
    character === "\n" ? character : `\\u${character.charCodeAt(0).toString(16).padStart(4, "0")}`,
  );

/** A word as a shell takes it: quoted where it has to be. */
export const shellWord = (text: string): string =>
  /^[\w.@%+=:,/-]+$/.test(text) ? text : `'${visible(text).replaceAll("'", "'\\''")}'`;
