import { type DraftResult, presentDrafts, type WithDrafts } from "../../app/publishing/draft.ts";
import { type View } from "../view.ts";
import { columns, deadline, wrap } from "../index.ts";

/** The timeline for people. */
function presentLaunch(
  { steps, verdict, because }: NonNullable<DraftResult["launch"]>,
  now: number,
  { style, width }: View,
): string {
  const rows = columns(
    steps.map(({ at, what }) => [deadline(Date.parse(at), now), what]),
    (cell, column) => (column === 0 ? style.strong(cell) : cell),
  );
  const paint = verdict === "in-time" ? style.good : verdict === "hurry" ? style.careful : style.bad;
  const title = { "in-time": "In time", hurry: "Hurry", "too-late": "Too late" }[verdict];
  return `\n${style.title("Back from the launch")}\n${steps.map((step, i) => `  ${rows[i]}${step.because === "" ? "" : `\n      ${style.quiet(wrap(step.because, width - 6, "      "))}`}`).join("\n")}\n${paint(title)}: ${because}.\n`;
}

/** The result of {@link draft} for people. */
export function draftText(shown: DraftResult, context: View): string { return presentDrafts((shown as WithDrafts).drafts, shown, context) +
    (shown.launch === null ? "" : presentLaunch(shown.launch, Date.parse(shown.at), context)); }

