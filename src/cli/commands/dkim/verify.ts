import { z } from "zod";
import { resolverOptions } from "../../../app/dns/context.ts";
import { dkimJson, dkimLine, dkimShape, exitOf, oneMessage, withMessages } from "../../../app/messages/open.ts";
import { explainBody, Signatures, verifySignatures } from "../../../core/dkim/index.ts";
import { scanMessage } from "../../../core/message/index.ts";
import { EXIT, UserError } from "../../../core/user-error.ts";
import { wrap } from "../../../present/index.ts";
import { command } from "../../command.ts";

const result = z.object({ dkim: z.array(dkimShape).describe("in the order of the signatures from top to bottom") });

export default command<z.output<typeof result>>({
  name: "dkim verify",
  operands: "FILE|-",
  summary: "check every DKIM signature of a message, and say why one fails",
  examples: [
    ["zandrel dkim verify received.eml", "with the keys as they are published"],
    ["zandrel dkim verify signed.eml --zone-file brackwater.example.zone", "before the key is published"],
  ],
  options: resolverOptions,
  schema: result,
  run: (args, context) =>
    withMessages(args, context, "zandrel dkim verify received.eml", async (stored, lookup, now) => {
      const { source, title } = oneMessage(stored, "zandrel dkim verify");
      let signatures: Signatures | undefined;
      const header = await scanMessage(source, (found) => (signatures = new Signatures(found)).sinks);
      if (!header.ok) throw new UserError(`${title}: ${header.error.message}; give a whole message.`);
      const verdicts = await verifySignatures(signatures as Signatures, header.value, lookup, now);
      const explained = await Promise.all(verdicts.map((one) => explainBody(source, one)));
      return {
        exit: verdicts.length === 0 ? EXIT.not : exitOf(verdicts.map((one) => one.result)),
        result: { dkim: explained.map(dkimJson) },
      };
    }),
  present({ dkim }, { style, width }) {
    if (dkim.length === 0) return "The message has no DKIM signature.\n";
    return `${dkim.map((one) => wrap(dkimLine(one, style), width, "  ")).join("\n")}\n`;
  },
});
