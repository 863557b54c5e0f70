import { labRegistrar, labRegistrarSchema } from "../../../app/relocate/registrar.ts";
import { command } from "../../command.ts";
import { flag, list, shared } from "../../options.ts";

export default command({
  name: "lab registrar",
  operands: "DOMAIN",
  summary: "the registrar of a running lab: which name servers a domain has, and which DNSSEC records (DS)",
  examples: [
    ["zandrel lab registrar brackwater.example", "show what is on record"],
    ["zandrel lab registrar brackwater.example --name-servers zonemarrow", "move the domain to the servers of Zonemarrow"],
    ["zandrel lab registrar brackwater.example --without-ds", "delete its DNSSEC records before a move"],
  ],
  options: {
    nameServers: list("a DNS host of the lab (nettlehost, zonemarrow), for all of its servers, or the name of one server"),
    ds: list("a DNSSEC record to have in place of those there: key tag, algorithm, digest type, digest"),
    withoutDs: flag("delete the DNSSEC records"),
    timeout: shared.timeout,
  },
  schema: labRegistrarSchema,
  run: labRegistrar,
  text: async (result, layout) => (await import("../../../present/publishing/registrar.ts")).labRegistrarText(result, layout),
});
