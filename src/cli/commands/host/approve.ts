import { approveHost, approveHostSchema } from "../../../app/hosts/approve.ts";
import { command } from "../../command.ts";
import { flag, resolverOptions } from "../../options.ts";

export default command({
  name: "host approve",
  operands: "HOST DOMAIN",
  summary: "approve once, in the browser, that the asks of a domain are published at its DNS host from now on",
  examples: [
    ["zandrel host approve nettlehost brackwater.example", "print the address of the host's page, and wait for the click"],
    ["zandrel host approve nettlehost brackwater.example --open", "the page opens; publish needs no click from then on"],
  ],
  options: {
    resolver: resolverOptions.resolver,
    timeout: resolverOptions.timeout,
    open: flag("open the page in the browser"),
    copy: flag("copy the address of the page"),
  },
  schema: approveHostSchema,
  run: approveHost,
  text: async (result, layout) => (await import("../../../present/hosts/find.ts")).approveHostText(result, layout),
});
