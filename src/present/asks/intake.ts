import type { IntakeResult } from "../../app/asks/add.ts";
import { pasted, questionText, understood } from "../../app/asks/intake.ts";
import { withoutRootDot } from "../../core/name/index.ts";
import { type DomainName, displayName } from "../../core/name/index.ts";
import { columns, count, visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";

/** The result of {@link intake} for people. */
export function intakeText(
  { asks, pasted, repairs, questions, layout, written, before, later }: IntakeResult,
  { style, width }: Layout,
): string {
  const lines = asks.flatMap((ask) => [
    style.title(`${ask.id}: ${ask.service}, ${ask.purpose}, for ${displayName(ask.domain as DomainName)}`),
    ...columns(
      ask.records.map((one) => [
        one.type,
        displayName(one.name as DomainName),
        visible(typeof one.data === "string" ? one.data : Object.values(one.data).join(" ")),
      ]),
    ).map((line) => `  ${line}`),
    ...(ask.spf === null ? [] : [`  SPF term  ${visible(ask.spf)}`]),
    ...(ask.dmarc === null ? [] : [`  DMARC policy  ${ask.dmarc} or stricter`]),
  ]);
  const shown = (text: string | null) =>
    text === null ? "(none)" : `“${visible(text.length > 48 ? `${text.slice(0, 48)}…` : text)}”`;
  const sources = pasted.map(
    ({ type, host, value }) => `  ${style.quiet(`pasted as  type ${shown(type)}, host ${shown(host)}, value ${shown(value)}`)}`,
  );
  const mended = repairs.map(
    (repair) => `  ${style.careful("put right")}  “${visible(repair.was)}” is now “${visible(repair.is)}”: ${repair.because}`,
  );
  const open = questions.map((question) => `  ${style.careful("question")}  ${visible(questionText(question))}`);
  const first = before.map((one) => `  ${style.careful("first")}  ${wrap(visible(one), width - 9, "         ")}`);
  const kept = later.map(
    (one) => `  ${style.quiet(`later  ${one} needs what the service shows after the first proof; use the kit again then`)}`,
  );
  const records = asks.reduce(
    (sum, ask) => sum + ask.records.length + (ask.spf === null ? 0 : 1) + (ask.dmarc === null ? 0 : 1),
    0,
  );
  const summary = `${count(records, "record")} in ${count(asks.length, "ask")} understood from ${visible(layout ?? "nothing")}`;
  const next = written
    ? `taken down. Next: ${style.command(`zandrel draft ${withoutRootDot(asks[0]?.domain as DomainName)}`)}`
    : "nothing written, because of --dry-run.";
  return `${[...lines, ...sources, ...mended, ...open, ...first, ...kept].join("\n")}\n${summary}; ${next}\n`;
}
