/** What is made of the language's own rules, when it is first needed: loading them takes longer than a short command. */
const once = <T>(make: () => T): (() => T) => {
  let made: T | undefined;
  return () => (made ??= make());
};

const AND = once(() => new Intl.ListFormat("en-GB", { type: "conjunction" }));
const OR = once(() => new Intl.ListFormat("en-GB", { type: "disjunction" }));
const PLURAL = once(() => new Intl.PluralRules("en-GB"));

/** `a, b and c`, each once. */
export const listOf = (words: readonly string[], kind: "conjunction" | "disjunction" = "conjunction"): string =>
  (kind === "conjunction" ? AND : OR)().format(new Set(words));

/** `1 record`, `2 records`. */
export const count = (number: number, word: string, plural = `${word}s`): string =>
  `${number} ${PLURAL().select(number) === "one" ? word : plural}`;

/** `a has`, `a and b have`: what is said of each of them, with the verb in its number. */
export const allOf = (words: readonly string[], one: string, several: string): string =>
  `${listOf(words)} ${new Set(words).size === 1 ? one : several}`;
