import { REPORTED } from "../../../app/reports/reported.ts";
import { reportSources, reportSourcesSchema } from "../../../app/reports/sources.ts";
import { reportSourcesText } from "../../../present/reports/sources.ts";
import { command } from "../../command.ts";
import { text } from "../../options.ts";

export default command({
  name: "dmarc sources",
  operands: "[DOMAIN]",
  summary: "say who sends as you by the reports of receivers: your services and everybody else, proven or not, and why not",
  examples: [
    ["zandrel dmarc sources brackwater.example", "the last four weeks"],
    ["zandrel dmarc sources brackwater.example --days 90 --html sources.html", "a page with charts, to print or to pass on"],
  ],
  options: { ...REPORTED, html: text("also write a page with charts into this file") },
  schema: reportSourcesSchema,
  run: reportSources,
  text: reportSourcesText,
});
