import { importReports, importReportsSchema } from "../../../app/reports/import.ts";
import { command } from "../../command.ts";
import { flag } from "../../options.ts";

export default command({
  name: "dmarc import",
  operands: "FILE|FOLDER|MBOX|MAILDIR|-..",
  summary:
    "import the reports of receivers, daily ones and those about single messages, as received: XML, gzip, ZIP, mails with attachments, mailboxes, folders of all of these",
  examples: [
    ["zandrel dmarc import reports/", "a folder with whatever came"],
    ["zandrel dmarc import dmarc.mbox --json", "a mailbox, for another program"],
  ],
  options: {
    keepPersonal: flag("of reports about single messages, also keep subjects and whole addresses, which are personal data"),
  },
  schema: importReportsSchema,
  run: importReports,
  text: async (result, layout) => (await import("../../../present/reports/import.ts")).importReportsText(result, layout),
});
