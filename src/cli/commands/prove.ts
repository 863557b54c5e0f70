import { prove, proveSchema } from "../../app/asks/prove.ts";
import { command } from "../command.ts";
import { flag, resolverOptions, shared } from "../options.ts";

export default command({
  name: "prove",
  operands: "[DOMAIN|ASK..]",
  summary: "check as the service will, find the true cause where it is not found, ask the service, keep the evidence",
  examples: [
    ["zandrel prove seekmere-ownership", "one ask"],
    ["zandrel prove brackwater.example --json", "all asks of a domain, for another program"],
    [
      "zandrel prove pagewick-ownership --confirmed --note 'green tick on the domains page'",
      "record what a service without a link said",
    ],
  ],
  options: {
    ...resolverOptions,
    force: flag("ask the service although some resolvers still show the old record"),
    confirmed: flag("record that the service confirmed it"),
    note: shared.note,
  },
  schema: proveSchema,
  run: prove,
  text: async (result, layout) => (await import("../../present/asks/prove.ts")).proveText(result, layout),
});
