import { dmarcFailures, dmarcFailuresSchema } from "../../../app/reports/failures.ts";
import { command } from "../../command.ts";
import { number, reportOptions } from "../../options.ts";

export default command({
  name: "dmarc failures",
  operands: "[DOMAIN]",
  summary: "say which single messages failed, by which check and why, by the reports about them that receivers send",
  examples: [
    ["zandrel dmarc failures brackwater.example", "the last four weeks: who failed by which check, and the newest messages"],
    ["zandrel dmarc failures brackwater.example --days 7 --cases 50 --json", "for another program"],
  ],
  options: {
    ...reportOptions,
    cases: number("how many single messages are shown", { default: 5, min: 0, max: 10_000 }),
  },
  schema: dmarcFailuresSchema,
  run: dmarcFailures,
  text: async (result, layout) => (await import("../../../present/reports/failures.ts")).dmarcFailuresText(result, layout),
});
