import { initialise, initialiseSchema } from "../../app/asks/init.ts";
import { ROLES } from "../../core/ask/index.ts";
import { command } from "../command.ts";
import { choice, shared, text } from "../options.ts";

export default command({
  name: "init",
  operands: "DOMAIN",
  makesDomain: true,
  summary: "start a workspace for a domain in this folder, or add the domain to the workspace that is here",
  examples: [
    ["zandrel init brackwater.example --organisation 'Brackwater Puppet Theatre'", "starts a workspace in this folder"],
    ["zandrel init puppetfest.example --redirect-to brackwater.example", "adds a second domain, which redirects to the first"],
  ],
  options: {
    organisation: text("the name of your organisation (the folder's name if not given)"),
    dnsHost: text("the key of the domain's DNS host in zandrel.yaml (recognised by its name servers if not given)"),
    role: choice(ROLES, "what the domain is for (main if not given)"),
    redirectTo: text("the domain that this one redirects to"),
    resolver: shared.resolver,
    settings: text("start from this zandrel.yaml: vantages, DNS hosts, services"),
  },
  schema: initialiseSchema,
  run: initialise,
  text: async (result, layout) => (await import("../../present/asks/init.ts")).initialiseText(result, layout),
});
