import { distance } from "fastest-levenshtein";

const AND = new Intl.ListFormat("en-GB", { type: "conjunction" });
const OR = new Intl.ListFormat("en-GB", { type: "disjunction" });

/** `a, b and c`, each once. */
export const listOf = (words: readonly string[], kind: "conjunction" | "disjunction" = "conjunction"): string =>
  (kind === "conjunction" ? AND : OR).format(new Set(words));

/** The word closest to a mistyped one, where one is close enough to be meant. */
export function nearest(word: string, among: readonly string[]): string | undefined {
  const limit = Math.max(1, Math.floor(word.length / 3));
  const ranked = among
    .map((candidate) => ({ candidate, apart: distance(word.toLowerCase().slice(0, 200), candidate.toLowerCase()) }))
    .filter(({ apart }) => apart <= limit)
    .sort((a, b) => a.apart - b.apart);
  return ranked[0]?.candidate;
}

const PLURAL = new Intl.PluralRules("en-GB");

/** `1 record`, `2 records`. */
export const count = (number: number, word: string, plural = `${word}s`): string =>
  `${number} ${PLURAL.select(number) === "one" ? word : plural}`;
