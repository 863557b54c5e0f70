import { relocate, relocateSchema } from "../../app/publishing/relocate.ts";
import { command } from "../command.ts";
import { flag, resolverOptions, text } from "../options.ts";

export default command({
  name: "relocate",
  operands: "capture|compare|check DOMAIN",
  summary: "move a zone to another DNS host: capture it, compare both sides, check the cut-over",
  examples: [
    ["zandrel relocate capture brackwater.example", "write the zone as it is into brackwater.example.zone"],
    ["zandrel relocate compare brackwater.example --new-host zonemarrow", "name by name, by asking both hosts directly"],
    [
      "zandrel relocate check brackwater.example --new-host zonemarrow",
      "after the change of name servers: who still sees the old host, and until when",
    ],
  ],
  options: {
    resolver: resolverOptions.resolver,
    timeout: resolverOptions.timeout,
    at: resolverOptions.at,
    newHost: text("the key of the new DNS host in zandrel.yaml"),
    file: text("the zone file of the capture (DOMAIN.zone if not given)"),
    export: text("with capture: records exported from the old host, as a zone file"),
    write: flag("with check: once the domain has moved, write the new host into the domain's file"),
    force: flag("with capture: replace the file if it is there"),
  },
  schema: relocateSchema,
  run: relocate,
  text: async (result, layout) => (await import("../../present/publishing/relocate.ts")).relocateText(result, layout),
});
