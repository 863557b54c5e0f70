import { dkimVerify, dkimVerifySchema } from "../../../app/mail/dkim-verify.ts";
import { command } from "../../command.ts";
import { resolverOptions } from "../../options.ts";

export default command({
  name: "dkim verify",
  operands: "FILE|-",
  summary: "check every DKIM signature of a message, and say why one fails",
  examples: [
    ["zandrel dkim verify received.eml", "with the keys as they are published"],
    ["zandrel dkim verify signed.eml --zone-file brackwater.example.zone", "before the key is published"],
  ],
  options: { ...resolverOptions },
  schema: dkimVerifySchema,
  run: dkimVerify,
  text: async (result, layout) => (await import("../../../present/mail/dkim-verify.ts")).dkimVerifyText(result, layout),
});
