import { forgetHost, forgetHostSchema } from "../../../app/hosts/approve.ts";
import { command } from "../../command.ts";
import { resolverOptions } from "../../options.ts";

export default command({
  name: "host forget",
  operands: "HOST DOMAIN",
  summary: "give an approval back to the DNS host, and delete it here",
  examples: [
    ["zandrel host forget nettlehost brackwater.example", "publish asks for a click again"],
    ["zandrel host forget nettlehost brackwater.example --json", "which grants were given back, for a program"],
  ],
  options: { resolver: resolverOptions.resolver, timeout: resolverOptions.timeout },
  schema: forgetHostSchema,
  run: forgetHost,
  text: async (result, layout) => (await import("../../../present/hosts/find.ts")).forgetHostText(result, layout),
});
