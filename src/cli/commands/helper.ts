import { checkHelper, checkHelperSchema } from "../../app/publishing/check-helper.ts";
import { command } from "../command.ts";
import { timeoutOption } from "../options.ts";

export default command({
  name: "helper",
  operands: "DOMAIN",
  summary: "check the helper program of a domain's DNS host against the contract, on a scratch name that is removed again",
  examples: [
    ["zandrel helper brackwater-post.example", "describe, read, add, extend, refuse, remove"],
    ["zandrel helper brackwater-post.example --json", "for another program"],
  ],
  options: { timeout: timeoutOption(30) },
  schema: checkHelperSchema,
  run: checkHelper,
  text: async (result, layout) => (await import("../../present/publishing/check-helper.ts")).checkHelperText(result, layout),
});
