import { senderDomain, senderDomainSchema } from "../../../app/services/domain.ts";
import { command } from "../../command.ts";
import { byHandOptions, choice, flag, resolverOptions } from "../../options.ts";

export default command({
  name: "sender domain",
  operands: "SERVICE DOMAIN",
  summary: "have a service accept a domain for sending, and turn its signing on where that is a switch of its own",
  examples: [
    ["zandrel sender domain swiftquill brackwater-tickets.example", "ask the service to look, once the records are settled"],
    ["zandrel sender domain inglemail brackwater.example --signing on", "turn the signing on after the key is seen"],
    [
      "zandrel sender domain heronpost brackwater.example --confirmed --note 'green tick' --on 2026-03-02",
      "record what a service without a link shows",
    ],
  ],
  options: {
    ...resolverOptions,
    signing: choice(["on", "off"], "turn the service's DKIM signing on or off"),
    force: flag("ask the service although its records are not settled"),
    ...byHandOptions,
  },
  schema: senderDomainSchema,
  run: senderDomain,
  text: async (result, layout) => (await import("../../../present/services/domain.ts")).senderDomainText(result, layout),
});
