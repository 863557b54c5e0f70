import { advise, adviseSchema } from "../../../app/reports/advise.ts";
import { command } from "../../command.ts";
import { reportOptions } from "../../options.ts";

export default command({
  name: "dmarc advise",
  operands: "[DOMAIN]",
  summary: "turn the reports into advice: which service to fix first and how, and when the policy can be tightened safely",
  examples: [
    ["zandrel dmarc advise brackwater.example", "by the last four weeks"],
    ["zandrel dmarc advise brackwater.example --days 90 --json", "by three months, for another program"],
  ],
  options: reportOptions,
  schema: adviseSchema,
  run: advise,
  text: async (result, layout) => (await import("../../../present/reports/advise.ts")).adviseText(result, layout),
});
