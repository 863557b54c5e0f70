import type { JournalResult } from "../../app/history/journal.ts";
import { listOf } from "../english.ts";
import { count, type Layout, visible, wrap } from "../index.ts";

/** Where the journal is now, and what is left of the old one. */
export function journalText({ journal, rows, setAside }: JournalResult, { style, width }: Layout): string {
  const where = journal === "here" ? "in this workspace" : `at ${visible(journal)}`;
  return [
    `${style.good("moved")}  The journal is kept ${where} now: ${count(rows, "row")} copied.`,
    ...(setAside.length === 0
      ? []
      : [wrap(`What was here is set aside: ${listOf(setAside.map(visible))}. Remove it when all is well.`, width)]),
    ...(journal === "here"
      ? ["What the database holds stays there."]
      : [wrap("Everybody in the team has to have the new zandrel.yaml before they go on.", width)]),
    `Next: ${style.command("zandrel history")}`,
    "",
  ].join("\n");
}
