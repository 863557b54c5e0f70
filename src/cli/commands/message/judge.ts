import { judgement } from "../../../app/messages/judge.ts";
import { judgeMessages } from "../../../app/messages/judge-messages.ts";
import { verbatim } from "../../../core/clause/index.ts";
import { failureSentence, jsonLine } from "../../../present/index.ts";
import { judgedLine, mailboxText } from "../../../present/messages/judge.ts";
import { command } from "../../command.ts";
import { choice, list, number, resolverOptions, shared, text } from "../../options.ts";

export default command({
  name: "message judge",
  operands: "FILE|-|MBOX|MAILDIR",
  summary: "judge messages by SPF, DKIM and DMARC exactly as a receiver does, and say what happens to them",
  examples: [
    ["zandrel message judge received.eml", "a received message, by the header lines of the receiving server"],
    [
      "zandrel message judge test.eml --ip 192.0.2.25 --helo out.heronpost.example --mail-from bounce@brackwater.example",
      "with the envelope given",
    ],
    [
      "zandrel message judge from-the-list.eml --trust-sealer puppetry-guild.example",
      "forwarded mail, at a receiver that trusts the list that sealed it",
    ],
    ["zandrel message judge inbox.mbox --json", "a whole mailbox, one JSON object a line"],
  ],
  options: {
    ...resolverOptions,
    ip: shared.ip,
    helo: shared.helo,
    mailFrom: shared.mailFrom,
    receivedLine: number("which Received line to trust, counted from the top (the first from outside if not given)", { min: 1 }),
    discovery: choice(["tree-walk", "suffix-list"], "find the policy by the walk up the tree, or by the list of RFC 7489", {
      default: "tree-walk",
    }),
    trustSealer: list("a domain whose seals on forwarded mail (ARC) this receiver trusts"),
    receiver: text("the receiver's name in the Authentication-Results line", { default: "zandrel.invalid" }),
  },
  schema: judgement,
  async run(request, context) {
    const { ended, result } = await judgeMessages(request, context, {
      judged: (one) => context.out(context.json ? jsonLine(judgement, one) : judgedLine(one, context)),
      unreadable: (failure) => context.tell(verbatim(failureSentence(failure))),
    });
    if (result === undefined || "message" in result) return result === undefined ? { ended } : { ended, result: result.message };
    if (!context.json) context.out(mailboxText(result.mailbox));
    return { ended };
  },
  text: async (result, layout) => (await import("../../../present/messages/judge.ts")).judgementText(result, layout),
});
