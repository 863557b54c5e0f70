import { senderLink, senderLinkSchema } from "../../../app/services/link.ts";
import { command } from "../../command.ts";
import { flag, shared, text } from "../../options.ts";

export default command({
  name: "sender link",
  operands: "SERVICE|URL",
  summary: "check whether a service's link keeps the contract, request by request",
  examples: [
    ["zandrel sender link swiftquill", "ask only what changes nothing"],
    [
      "zandrel sender link http://127.0.0.1:8100/link/v1 --link-key env:LINK_KEY --deep",
      "while writing one: make things too, and end them again",
    ],
  ],
  options: {
    linkKey: text("where the key of a URL is kept: env:NAME or file:PATH"),
    deep: flag("also make a credential and a subscription, and end both again"),
    resolver: shared.resolver,
    timeout: shared.timeout,
  },
  schema: senderLinkSchema,
  run: senderLink,
  text: async (result, layout) => (await import("../../../present/services/link.ts")).senderLinkText(result, layout),
});
