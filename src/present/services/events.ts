import type { SenderEventsResult } from "../../app/services/events.ts";
import { EVENT_KINDS, FEWEST } from "../../core/sending/index.ts";
import { inWords } from "../clauses/index.ts";
import { columns, count, dayText, visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";
import { OUTCOME_WORDS } from "../outcomes.ts";

/** The result of {@link senderEvents} for people. */
export function senderEventsText({ days, from, to, tooFew, warnings }: SenderEventsResult, { style, width }: Layout): string {
  if (days.length === 0)
    return `No event has been received yet. Receive them: ${style.command("zandrel sender events --help")}\n`;
  const rows = [
    ["day", "service", "domain", ...EVENT_KINDS.map((kind) => OUTCOME_WORDS[kind])],
    ...days.map(({ day, service, domain, counts }) => [
      dayText(day),
      service,
      visible(domain.slice(0, -1)),
      ...EVENT_KINDS.map((kind) => (counts[kind] === 0 ? "·" : (counts[kind] as number).toLocaleString("en"))),
    ]),
  ];
  return [
    ...columns(rows, (cell, _, row) => (row === 0 ? style.quiet(cell) : cell)),
    "",
    `Over these ${count(to - from + 1, "day")}, ${dayText(from)} to ${dayText(to)}:`,
    ...(warnings.length === 0 && tooFew.length === 0
      ? [style.good("✓ Mail that came back and complaints are within the usual limits.")]
      : warnings.flatMap(({ service, domain, because, remedy, severe }) => [
          `${severe ? style.bad("✗") : style.careful("!")} ${wrap(`${visible(domain.slice(0, -1))} by ${service}: ${inWords(because)}.`, width - 2, "  ")}`,
          `  ${style.careful("do:")} ${wrap(inWords(remedy), width - 6, "      ")}`,
        ])),
    ...tooFew.map(({ service, domain, messages }) =>
      wrap(
        `○ ${visible(domain.slice(0, -1))} by ${service}: ${count(messages, "message")}, too few to say (${FEWEST} are the least).`,
        width,
        "  ",
      ),
    ),
    `Next: ${style.command("zandrel dmarc sources")} (who else sends as you, and what passes)`,
    "",
  ].join("\n");
}
