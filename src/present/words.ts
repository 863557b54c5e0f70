const AND = new Intl.ListFormat("en-GB", { type: "conjunction" });
const OR = new Intl.ListFormat("en-GB", { type: "disjunction" });

/** `a, b and c`, each once. */
export const listOf = (words: readonly string[], kind: "conjunction" | "disjunction" = "conjunction"): string =>
  (kind === "conjunction" ? AND : OR).format(new Set(words));

const PLURAL = new Intl.PluralRules("en-GB");

/** `1 record`, `2 records`. */
export const count = (number: number, word: string, plural = `${word}s`): string =>
  `${number} ${PLURAL.select(number) === "one" ? word : plural}`;
