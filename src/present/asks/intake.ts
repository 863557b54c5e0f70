import type { IntakeResult } from "../../app/asks/add.ts";
import { displayName, withoutRootDot } from "../../core/name/index.ts";
import { columns, count, visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";

/** What an ask wants, a line each. */
function wantedLines(ask: IntakeResult["asks"][number]): string[] {
  const records = columns(
    ask.records.map((one) => [
      one.type,
      displayName(one.name),
      visible(typeof one.data === "string" ? one.data : Object.values(one.data).join(" ")),
    ]),
  );
  return [
    ...records.map((line) => `  ${line}`),
    ...(ask.spf === null ? [] : [`  SPF (which servers may send): add ${visible(ask.spf)} to the domain's one record`]),
    ...(ask.dmarc === null ? [] : [`  DMARC (what receivers do with mail that is not proven): at least p=${ask.dmarc}`]),
  ];
}

const shown = (text: string | null): string =>
  text === null ? "(none)" : `“${visible(text.length > 48 ? `${text.slice(0, 48)}…` : text)}”`;

/** What was understood from a paste, a kit or options, for people. */
export function intakeText(result: IntakeResult, { style, width }: Layout): string {
  const { asks, pasted, repairs, questions, layout, written, already, before, later } = result;
  const lines = [
    ...asks.flatMap((ask) => [
      style.title(`${ask.id}: ${ask.service}, ${ask.purpose}, for ${displayName(ask.domain)}`),
      ...wantedLines(ask),
    ]),
    ...pasted.map(
      ({ type, host, value }) => `  ${style.quiet(`pasted as  type ${shown(type)}, host ${shown(host)}, value ${shown(value)}`)}`,
    ),
    ...repairs.map(
      ({ was, is, because }) => `  ${style.careful("repaired")}  “${visible(was)}” is now “${visible(is)}”: ${visible(because)}`,
    ),
    ...questions.flatMap(({ id, question, choices }) => [
      `  ${style.careful("question")}  ${wrap(visible(question), width - 12, "            ")}`,
      ...choices.map(({ key, meaning }) => `            --choose ${id}=${key}  ${visible(meaning)}`),
    ]),
    ...before.map((one) => `  ${style.careful("first")}  ${wrap(visible(one), width - 9, "         ")}`),
    ...later.map(
      (one) => `  ${style.quiet(`later  ${one} needs what the service shows after the first proof; use the kit again then`)}`,
    ),
  ];
  const records = asks.reduce(
    (sum, ask) => sum + ask.records.length + (ask.spf === null ? 0 : 1) + (ask.dmarc === null ? 0 : 1),
    0,
  );
  const summary = `${count(records, "record")} in ${count(asks.length, "ask")} understood from ${visible(layout ?? "nothing")}`;
  const [first] = asks;
  if (already !== null)
    return `${[...lines, `Already saved as ${already}. Next: ${style.command("zandrel status")}`].join("\n")}\n`;
  const next =
    written && first !== undefined
      ? `saved. Next: ${style.command(`zandrel draft ${withoutRootDot(first.domain)}`)}`
      : "nothing was saved, because of --dry-run.";
  return `${[...lines, `${summary}; ${next}`].join("\n")}\n`;
}
