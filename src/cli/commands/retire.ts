import { retire, retireSchema } from "../../app/asks/retire.ts";
import { command } from "../command.ts";
import { publishOptions, shared } from "../options.ts";

export default command({
  name: "retire",
  operands: "[ASK|DOMAIN/ASK..]",
  summary: "end an ask: remove the records that only it needed and that Zandrel put there, and take it out of its file",
  examples: [
    ["zandrel retire seekmere-ownership --dry-run", "show what would go and what stays"],
    ["zandrel retire pagewick-site", "carry it out"],
  ],
  options: {
    ...publishOptions,
    into: shared.into,
    replace: shared.replace,
    dryRun: shared.dryRun,
  },
  schema: retireSchema,
  run: retire,
  text: async (result, layout) => (await import("../../present/asks/retire.ts")).retireText(result, layout),
});
