/** How a command ends: all is as wanted, something is not, the call or a file is wrong, or nobody could say. */
export const EXIT = { ok: 0, not: 1, usage: 2, undetermined: 3 } as const;
export type ExitCode = (typeof EXIT)[keyof typeof EXIT];

/**
 * The one exception that is meant for the user: printed as a single sentence that says what is wrong, where,
 * and what to do now. Everything else that is thrown is a defect of the program.
 */
export class UserError extends Error {
  readonly exit: ExitCode;

  constructor(message: string, exit: ExitCode = EXIT.usage) {
    super(message);
    this.name = "UserError";
    this.exit = exit;
  }
}

/** The entry closest to a mistyped word, if one is close enough to be meant. */
export function closest(word: string, among: Iterable<string>): string | undefined {
  let best: string | undefined;
  let least = Math.max(1, Math.floor(word.length / 3)) + 1;
  for (const candidate of among) {
    const distance = editDistance(word.toLowerCase(), candidate.toLowerCase(), least);
    if (distance < least) {
      least = distance;
      best = candidate;
    }
  }
  return best;
}

/** Number of single-character edits (neighbours swapped count as one) between two words; at most `limit`. */
function editDistance(a: string, b: string, limit: number): number {
  if (Math.abs(a.length - b.length) >= limit) return limit;
  let before: number[] = [];
  let last = Array.from({ length: b.length + 1 }, (_, i) => i);
  for (let i = 1; i <= a.length; i++) {
    const row = [i];
    for (let j = 1; j <= b.length; j++) {
      const same = a[i - 1] === b[j - 1] ? 0 : 1;
      let cost = Math.min((last[j] as number) + 1, (row[j - 1] as number) + 1, (last[j - 1] as number) + same);
      if (i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1]) cost = Math.min(cost, (before[j - 2] as number) + 1);
      row.push(cost);
    }
    before = last;
    last = row;
  }
  return last[b.length] as number;
}
