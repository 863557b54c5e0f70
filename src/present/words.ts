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
