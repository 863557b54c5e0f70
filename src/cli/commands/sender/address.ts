import { senderAddress, senderAddressSchema } from "../../../app/services/address.ts";
import { command } from "../../command.ts";
import { byHandOptions, flag, resolverOptions } from "../../options.ts";

export default command({
  name: "sender address",
  operands: "SERVICE ADDRESS",
  summary: "have a sender address confirmed: ask the service to mail its link, see whether it was opened, have it mailed again",
  examples: [
    ["zandrel sender address heronpost news@brackwater.example", "ask for it, or see where it stands"],
    ["zandrel sender address heronpost news@brackwater.example --resend", "have the link mailed once more"],
    [
      "zandrel sender address swiftquill box@brackwater.example --confirmed --note 'shown as verified'",
      "record what a service without a link shows",
    ],
  ],
  options: { ...resolverOptions, resend: flag("have the link mailed again"), ...byHandOptions },
  schema: senderAddressSchema,
  run: senderAddress,
  text: async (result, layout) => (await import("../../../present/services/address.ts")).senderAddressText(result, layout),
});
