/** `a, b and c`, each once. By hand, because loading the language's own rules takes longer than the rest of a short command. */
export function listOf(words: readonly string[], kind: "conjunction" | "disjunction" = "conjunction"): string {
  const all = [...new Set(words)];
  const last = all.pop() ?? "";
  return all.length === 0 ? last : `${all.join(", ")} ${kind === "conjunction" ? "and" : "or"} ${last}`;
}

/** `1 record`, `2 records`. */
export const count = (number: number, word: string, plural = `${word}s`): string => `${number} ${number === 1 ? word : plural}`;

/** `a has`, `a and b have`: what is said of each of them, with the verb in its number. */
export const allOf = (words: readonly string[], one: string, several: string): string =>
  `${listOf(words)} ${new Set(words).size === 1 ? one : several}`;

/** `a TXT record`, `an MX record`: the letters of a type are spoken one by one. */
export const recordOf = (type: string): string => `${/^[AEFHILMNORSX]/.test(type) ? "an" : "a"} ${type} record`;
