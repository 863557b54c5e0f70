import { undo, undoSchema } from "../../app/publishing/undo.ts";
import { command } from "../command.ts";
import { publishOptions, shared } from "../options.ts";

export default command({
  name: "undo",
  operands: "DOMAIN",
  summary: "take the newest publication of a domain back: every record set exactly as it was before",
  examples: [
    ["zandrel undo brackwater.example", "the way it was published; refuses where somebody changed the records since"],
    ["zandrel undo brackwater.example --dry-run", "show what would be taken back"],
    ["zandrel undo brackwater.example --into brackwater.zone", "in a zone file"],
  ],
  options: { ...publishOptions, into: shared.into, dryRun: shared.dryRun, force: shared.force },
  schema: undoSchema,
  run: undo,
  text: async (result, layout) => (await import("../../present/publishing/undo.ts")).undoText(result, layout),
});
