import { sweepDiff, sweepDiffSchema } from "../../../app/fleet/diff.ts";
import { command } from "../../command.ts";
import { choice, shared } from "../../options.ts";

export default command({
  name: "sweep diff",
  operands: "BEFORE AFTER",
  summary: "what changed between two sweeps: fixed, new, and worse",
  examples: [
    ["zandrel sweep diff workspace-2026-03-02 workspace-2026-03-09", "a week later"],
    ["zandrel sweep diff workspace-2026-03-02 workspace-2026-03-09 --format html", "the same as a page to pass on"],
  ],
  options: {
    queue: shared.queue,
    format: choice(["text", "csv", "html"], "text, a table for spreadsheets, or a page (JSON: --json)", { default: "text" }),
  },
  schema: sweepDiffSchema,
  async run(request, context) {
    const ended = await sweepDiff(request, context);
    if (context.json || request.format === "text" || ended.result === undefined) return ended;
    const { sweepDiffCsv, sweepDiffPage } = await import("../../../present/fleet/diff.ts");
    await context.write(Buffer.from((request.format === "csv" ? sweepDiffCsv : sweepDiffPage)(ended.result)));
    return { ended: ended.ended };
  },
  json: async (result) => (await import("../../../present/fleet/diff.ts")).sweepDiffJson(result),
  text: async (result, layout) => (await import("../../../present/fleet/diff.ts")).sweepDiffText(result, layout),
});
