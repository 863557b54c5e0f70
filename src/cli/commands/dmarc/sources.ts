import { reportSources, reportSourcesSchema } from "../../../app/reports/sources.ts";
import { saveText } from "../../../app/save.ts";
import { command } from "../../command.ts";
import { reportOptions, text } from "../../options.ts";

export default command({
  name: "dmarc sources",
  operands: "[DOMAIN]",
  summary: "say who sends as you by the reports of receivers: your services and everyone else, what passes, and why not",
  examples: [
    ["zandrel dmarc sources brackwater.example", "the last four weeks"],
    ["zandrel dmarc sources brackwater.example --days 90 --html sources.html", "a page with charts, to print or to pass on"],
  ],
  options: { ...reportOptions, html: text("also write a page with charts into this file") },
  schema: reportSourcesSchema,
  async run(request, context) {
    const outcome = await reportSources(request, context);
    if (request.html !== undefined && outcome.result !== undefined) {
      // The charts are heavy, and only this page needs them.
      const { sourcesPage } = await import("../../../present/reports/sources-page.ts");
      saveText(context, request.html, sourcesPage(outcome.result));
    }
    return outcome;
  },
  text: async (result, layout) => (await import("../../../present/reports/sources.ts")).reportSourcesText(result, layout),
});
