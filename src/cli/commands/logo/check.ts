import { logoCheck, logoCheckSchema } from "../../../app/logo/check.ts";
import { command } from "../../command.ts";
import { resolverOptions, text } from "../../options.ts";

export default command({
  name: "logo check",
  operands: "[DOMAIN]",
  summary: "say in order what keeps mailbox providers from showing your logo: policy, record, address, drawing, evidence (BIMI)",
  examples: [
    ["zandrel logo check brackwater.example", "as it is published"],
    ["zandrel logo check brackwater.example --drawing logo.svg", "a drawing that is not published yet"],
  ],
  options: {
    ...resolverOptions,
    selector: text("the selector of the record", { default: "default" }),
    drawing: text("judge this SVG file in place of what the record names"),
    evidence: text("judge this PEM file in place of what the record names"),
  },
  schema: logoCheckSchema,
  run: logoCheck,
  text: async (result, layout) => (await import("../../../present/logo/check.ts")).logoCheckText(result, layout),
});
