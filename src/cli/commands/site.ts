import { site, siteSchema } from "../../app/site/site.ts";
import { command } from "../command.ts";
import { flag, resolverOptions, span } from "../options.ts";

export default command({
  name: "site",
  operands: "[DOMAIN..]",
  summary: "check where the names lead: addresses of apex and www, permanent redirect with the path kept, certificate, CAA",
  examples: [
    ["zandrel site brackwater.example", "apex and www of one domain"],
    ["zandrel site brackwater.example --wait --for 2h", "until the certificate is there"],
    ["zandrel site --json", "all domains but sending and parked ones, for another program"],
  ],
  options: {
    ...resolverOptions,
    wait: flag("look again until all is well"),
    for: span("with --wait: stop after this span", { default: "24h" }),
  },
  schema: siteSchema,
  run: site,
  text: async (result, layout) => (await import("../../present/site/site.ts")).siteText(result, layout),
});
