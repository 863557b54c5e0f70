import { judgement } from "../../../app/messages/judge.ts";
import { judgeMessages } from "../../../app/messages/judge-messages.ts";
import { judgeMessagesText } from "../../../present/messages/judge.ts";
import { command } from "../../command.ts";
import { choice, list, resolverOptions, text } from "../../options.ts";

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
    ["zandrel message judge inbox.mbox --json", "a whole mailbox, one JSON object a line"],
  ],
  options: {
    ...resolverOptions,
    ip: text("address of the server that delivered the message"),
    helo: text("the name that server said HELO with"),
    mailFrom: text("the envelope sender; empty for the empty reverse path"),
    received: number("which Received line to believe, counted from the top (the first from outside if not given)"),
    discovery: choice(["walk", "list"], "find the policy by the walk up the tree, or by the public suffix list of RFC 7489", {
      default: "walk",
    }),
    receiver: text("the receiver's name in the Authentication-Results line", { default: "zandrel.invalid" }),
  },
  schema: judgement,
  run: judgeMessages,
  text: judgeMessagesText,
});
