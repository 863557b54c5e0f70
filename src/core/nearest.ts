import { distance } from "fastest-levenshtein";

/** A word longer than this is compared by its beginning only. */
const MAX_COMPARED = 200;

/** The word closest to a mistyped one, where one is close enough to be meant: at most a third of its letters differ. */
export function nearest(word: string, among: readonly string[]): string | undefined {
  const given = word.slice(0, MAX_COMPARED).toLowerCase();
  const limit = Math.max(1, Math.floor(given.length / 3));
  const letters = (text: string): string => [...text].sort().join("");
  // Letters in the wrong order are one slip, however far the words are apart by the letter.
  const apartFrom = (other: string): number => (letters(given) === letters(other) ? 1 : distance(given, other));
  const [best] = among
    .map((candidate) => ({ candidate, apart: apartFrom(candidate.toLowerCase()) }))
    // A word of which nothing is left was not meant.
    .filter(({ apart }) => apart <= limit && apart < given.length)
    .sort((a, b) => a.apart - b.apart);
  return best?.candidate;
}
