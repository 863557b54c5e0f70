import { importReports, importReportsSchema } from "../../../app/reports/import.ts";
import { command } from "../../command.ts";

export default command({
  name: "dmarc import",
  operands: "FILE|FOLDER|MBOX|MAILDIR|-..",
  summary: "import aggregate reports as received: XML, gzip, ZIP, mails with attachments, mailboxes, folders of all of these",
  examples: [
    ["zandrel dmarc import reports/", "a folder with whatever came"],
    ["zandrel dmarc import dmarc.mbox --json", "a mailbox, for another program"],
  ],
  options: {},
  schema: importReportsSchema,
  run: importReports,
  text: async (result, layout) => (await import("../../../present/reports/import.ts")).importReportsText(result, layout),
});
