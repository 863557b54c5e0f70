import * as z from "zod";
import { Failure } from "../../core/failure.ts";
import { GLOSSARY, glossaryWords, lookUpTerm, type Term } from "../../present/glossary.ts";
import { type Layout, wrap } from "../../present/index.ts";
import { command } from "../command.ts";

const words = z.object({
  terms: z.array(
    z.object({
      term: z.string(),
      short: z.string().describe("a few words, as they stand in brackets behind the term"),
      meaning: z.string(),
      example: z.string(),
    }),
  ),
});

const plain = ({ term, short, meaning, example }: Term) => ({ term, short, meaning, example });

export default command({
  name: "words",
  operands: "[TERM..]",
  summary: "what a term means, with an example",
  examples: [
    ["zandrel words TTL", "one term"],
    ["zandrel words", "all of them"],
  ],
  options: {},
  schema: words,
  async run({ operands }) {
    // A term may have several words: `zandrel words zone file`.
    const asked = operands.join(" ");
    if (asked === "") return { ended: "fine", result: { terms: GLOSSARY.map(plain) } };
    const found = lookUpTerm(asked);
    if (found === undefined) throw new Failure("unknown-term", { given: asked, known: glossaryWords() });
    return { ended: "fine", result: { terms: [plain(found)] } };
  },
  text: ({ terms }, { style, width }: Layout) =>
    `${terms
      .map(
        ({ term, meaning, example }) =>
          `${style.title(term)}: ${wrap(meaning, width - term.length - 2, "  ")}\n  ${style.quiet(wrap(example, width - 2, "  "))}`,
      )
      .join("\n")}\n`,
});
