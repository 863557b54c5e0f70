import { distance } from "fastest-levenshtein";

/** A word longer than this is compared by its beginning only. */
const MAX_COMPARED = 200;

/** The word closest to a mistyped one, where one is close enough to be meant: at most a third of its letters differ. */
export function nearest(word: string, among: readonly string[]): string | undefined {
  const limit = Math.max(1, Math.floor(word.length / 3));
  const typed = word.slice(0, MAX_COMPARED).toLowerCase();
  const [best] = among
    .map((candidate) => ({ candidate, apart: distance(typed, candidate.toLowerCase()) }))
    .filter(({ apart }) => apart <= limit)
    .sort((a, b) => a.apart - b.apart);
  return best?.candidate;
}
