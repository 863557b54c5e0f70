import { readdirSync, readFileSync } from "node:fs";
import { expect, test } from "@jest/globals";
import { parseSync } from "@swc/core";

/**
 * Regular expressions of the engines see texts of strangers: the time that each takes over its worst characters grows with the text, and
 * not with its square. What reads pages sees lines of a bounded length, and is fed megabytes in its own tests.
 */
const root = new URL("../src/", import.meta.url).pathname;
const files = readdirSync(root, { recursive: true, encoding: "utf8" }).filter(
  (file) => /^(core|net)\/.*\.ts$/.test(file) && !file.endsWith(".test.ts") && !file.startsWith("core/ask/intake/"),
);

/** The regular expressions of a file. */
function regexesOf(file: string): RegExp[] {
  const found: RegExp[] = [];
  const walk = (node: unknown): void => {
    if (Array.isArray(node)) for (const child of node) walk(child);
    if (typeof node !== "object" || node === null) return;
    const { type, pattern, flags } = node as { type?: string; pattern?: string; flags?: string };
    if (type === "RegExpLiteral" && pattern !== undefined) found.push(new RegExp(pattern, (flags ?? "").replace("y", "")));
    for (const value of Object.values(node)) walk(value);
  };
  walk(parseSync(readFileSync(root + file, "utf8"), { syntax: "typescript" }));
  return found;
}

const all = [...new Map(files.flatMap(regexesOf).map((regex) => [String(regex), regex])).values()];

/** What repeats most in texts, and the characters that a pattern names itself. */
const USUAL = [" ", "\t", "\n", "a", "0", ".", "\\", '"', "a ", "a.", "0.", "a="];
const worstOf = ({ source }: RegExp): string[] => [
  ...new Set([...USUAL, ...source.replace(/\\[a-zA-Z]|[\\^$()[\]{}?+*|]/g, "")]),
];

const timeOver = (regex: RegExp, text: string): number => {
  const began = performance.now();
  if (regex.flags.includes("g")) text.replace(regex, "");
  else regex.test(text);
  return performance.now() - began;
};

/** How many times as long eight times the text takes, at the least of a few tries; 0 where it is over at once anyway. */
function growth(regex: RegExp, piece: string): number {
  const text = (octets: number) => `${piece.repeat(Math.ceil(octets / piece.length))}\u0001`;
  let least = Number.POSITIVE_INFINITY;
  for (let tries = 0; tries < 3 && least > 30; tries++) {
    const long = timeOver(regex, text(50_000));
    if (long < 40) return 0;
    least = Math.min(least, long / Math.max(timeOver(regex, text(6_250)), 0.05));
  }
  return least;
}

test("there are many", () => expect(all.length).toBeGreaterThan(200));

test.each(all.map((regex) => [String(regex), regex] as const))("%s grows with its text", (_, regex) => {
  const slow = worstOf(regex).filter((piece) => growth(regex, piece) > 30);
  expect(slow).toEqual([]);
});
