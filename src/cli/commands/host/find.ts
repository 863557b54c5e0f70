import { findHost, findHostSchema } from "../../../app/hosts/find.ts";
import { command } from "../../command.ts";
import { flag, resolverOptions } from "../../options.ts";

export default command({
  name: "host find",
  operands: "DOMAIN",
  summary: "say who serves a domain, and how records can be published there; nothing is changed at the host",
  examples: [
    ["zandrel host find brackwater.example", "the DNS host, by its name servers, and what it offers"],
    ["zandrel host find brackwater.example --write", "write it into zandrel.yaml, the most comfortable way first"],
  ],
  options: {
    resolver: resolverOptions.resolver,
    timeout: resolverOptions.timeout,
    write: flag("write the host into zandrel.yaml and the domain's file without asking"),
  },
  schema: findHostSchema,
  run: findHost,
  text: async (result, layout) => (await import("../../../present/hosts/find.ts")).findHostText(result, layout),
});
