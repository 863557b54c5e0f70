import { sendTestMessage, sendTestMessageSchema } from "../../../app/messages/send.ts";
import { command } from "../../command.ts";
import { choice, flag, resolverOptions, shared, span, text } from "../../options.ts";

export default command({
  name: "message send",
  operands: "",
  summary: "send a test message, follow it to its end, judge what arrived, and say whether the domain is ready to send",
  examples: [
    [
      "zandrel message send --service swiftquill --from box@brackwater-tickets.example --to probe@mallowmail.example --copy ~/Maildir",
      "over SMTP, judged as it arrived",
    ],
    [
      "zandrel message send --service heronpost --from news@brackwater.example --to probe@mallowmail.example --via link",
      "over the service's HTTP API",
    ],
    ["zandrel message send --follow SQ-1f --copy arrived.eml", "go on with a message sent earlier"],
  ],
  options: {
    ...resolverOptions,
    service: shared.service,
    from: text("the sender address"),
    to: text("the recipient: a mailbox you can look into"),
    subject: text("the subject, if not the usual one"),
    text: text("a file with the text part"),
    html: text("a file with the HTML part"),
    unsubscribe: text("the https address for leaving the list with one click"),
    mailFrom: shared.mailFrom,
    via: choice(["smtp", "link"], "SMTP (where settings are known), or the service's HTTP API"),
    sign: text("sign here, with the key of this selector in keys/"),
    force: flag("send even if something it depends on is missing"),
    for: span("follow it for so long", { default: "10m" }),
    copy: text("the copy that arrived: a file, a Maildir or an mbox, judged at once"),
    follow: text("send nothing; go on with the message of this tracking id or Message-ID"),
  },
  schema: sendTestMessageSchema,
  run: sendTestMessage,
  text: async (result, layout) => (await import("../../../present/messages/send.ts")).sendTestMessageText(result, layout),
});
