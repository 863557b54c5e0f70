import type * as z from "zod";
import type { checkHelperSchema } from "../../app/publishing/check-helper.ts";
import { inWords } from "../clauses/index.ts";
import { visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";

/** The result of {@link checkHelper} for people. */
export function checkHelperText({ host, steps }: z.output<typeof checkHelperSchema>, { style, width }: Layout): string {
  return `${style.title(visible(host))}\n${steps.map(({ step, met, detail }) => `  ${met ? style.good("✓") : style.bad("✗")} ${inWords(step)}${met ? "" : `\n    ${wrap(visible(inWords(detail)), width - 4, "    ")}`}`).join("\n")}\n${steps.every((step) => step.met) ? "The helper keeps the contract." : "The helper does not keep the contract; see docs/helpers.md."}\n`;
}
