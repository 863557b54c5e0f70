import { exportKit, kitExportSchema } from "../../../app/kits/export.ts";
import { command } from "../../command.ts";
import { flag, text } from "../../options.ts";

export default command({
  name: "kit export",
  operands: "KIT",
  summary: "make a template of the open set-up format from a kit, for DNS hosts that take approvals",
  examples: [
    ["zandrel kit export heronpost", "show the template, and what it cannot say"],
    ["zandrel kit export heronpost --file heronpost.json", "write it into a file"],
  ],
  options: {
    file: text("the file to write the template into (shown if not given)"),
    force: flag("replace the file if it is there"),
  },
  schema: kitExportSchema,
  run: exportKit,
  text: async (result, layout) => (await import("../../../present/kits/check.ts")).kitExportText(result, layout),
});
