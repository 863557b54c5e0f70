import { journalSchema, moveJournal } from "../../app/history/journal.ts";
import { command } from "../command.ts";

export default command({
  name: "journal",
  operands: "ADDRESS|here",
  summary: "move the journal, events, reports and notices to a database that a team shares, or back into the workspace",
  examples: [
    ["zandrel journal env:ZANDREL_JOURNAL", "to the PostgreSQL database whose address is in this variable"],
    ["zandrel journal here", "back into files of the workspace"],
  ],
  options: {},
  schema: journalSchema,
  run: moveJournal,
  text: async (result, layout) => (await import("../../present/history/journal.ts")).journalText(result, layout),
});
