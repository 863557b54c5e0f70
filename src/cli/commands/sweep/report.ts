import { sweepReport, sweepReportSchema } from "../../../app/fleet/report.ts";
import { command } from "../../command.ts";
import { shared } from "../../options.ts";

export default command({
  name: "sweep report",
  operands: "[SWEEP]",
  summary: "what all domains of a sweep say together: what is to mend, and who runs their name servers and mail",
  examples: [
    ["zandrel sweep report", "the newest sweep"],
    ["zandrel sweep report workspace-2026-03-02 --json", "an earlier one, for other programs"],
  ],
  options: { queue: shared.queue },
  schema: sweepReportSchema,
  run: sweepReport,
  json: async (result) => (await import("../../../present/fleet/report.ts")).sweepReportJson(result),
  text: async (result, layout) => (await import("../../../present/fleet/report.ts")).sweepReportText(result, layout),
});
