import { checkKitFile, kitCheckSchema } from "../../../app/kits/check.ts";
import { command } from "../../command.ts";

export default command({
  name: "kit check",
  operands: "KIT",
  summary: "read a kit, or a template of the open set-up format, as intake would, and say what is in it",
  examples: [
    ["zandrel kit check heronpost", "a kit of the workspace"],
    ["zandrel kit check kits/pagewick.yaml", "a file, or an https address; a mistake is shown with its line and column"],
  ],
  options: {},
  schema: kitCheckSchema,
  run: checkKitFile,
  text: async (result, layout) => (await import("../../../present/kits/check.ts")).kitCheckText(result, layout),
});
