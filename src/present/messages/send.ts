import type { SendTestMessageResult } from "../../app/messages/send.ts";
import { displayName } from "../../core/name/index.ts";
import { inWords } from "../clauses/index.ts";
import { visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";
import { OUTCOME_WORDS } from "../outcomes.ts";
import { judgementText } from "./judge.ts";

/** The result of {@link sendTestMessage} for people. */
export function sendTestMessageText(one: SendTestMessageResult, { style, width }: Layout): string {
  const { sent, disposition, received, ready, because, missing, tracking } = one;
  const line = (text: string) => wrap(text, width, "  ");
  const SENT = {
    accepted: style.good("✓ taken"),
    refused: style.bad("✗ refused"),
    unknown: style.careful("? unknown"),
    "not-sent": style.bad("✗ not sent"),
  } as const;
  const name = displayName(one.domain);
  return [
    `${SENT[sent.verdict]}  ${line(visible(inWords(sent.because)))}`,
    ...missing.flatMap((each) => [
      line(`  ${style.careful(each.state)}  ${visible(each.what)}: ${visible(inWords(each.because))}`),
      `    next: ${style.command(inWords(each.next))}`,
    ]),
    ...(tracking === null ? [] : [style.quiet(`  followed as ${visible(tracking)}`)]),
    ...(disposition === null
      ? []
      : [
          line(
            `${disposition.state === "arrived" ? style.good(`✓ ${OUTCOME_WORDS[disposition.state]}`) : disposition.final ? style.bad(`✗ ${OUTCOME_WORDS[disposition.state]}`) : style.careful(`◐ ${OUTCOME_WORDS[disposition.state]}`)}${disposition.meaning === null ? "" : `  ${visible(inWords(disposition.meaning))} (${disposition.status})`}${disposition.reply === null ? "" : `; the server said “${visible(disposition.reply)}”`}`,
          ),
        ]),
    ...(received === null
      ? []
      : [
          "",
          judgementText(
            {
              ...received,
              message: `The copy that arrived${one.folder === null ? "" : `, in the folder ${visible(one.folder)}`}`,
            },
            { style, width },
          ).trimEnd(),
        ]),
    "",
    (ready === true ? style.good : ready === false ? style.bad : style.careful)(
      wrap(
        ready === null
          ? `? Whether ${name} is ready to send through ${visible(one.title)} cannot be said: ${visible(inWords(because))}.`
          : `${ready ? "✓" : "✗"} ${name} is ${ready ? "" : "not "}ready to send through ${visible(one.title)}: ${visible(inWords(because))}.`,
        width,
        "  ",
      ),
    ),
    "",
  ].join("\n");
}
