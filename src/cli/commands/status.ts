import { command } from "../command.ts";
import { status, statusSchema } from "../../app/asks/status.ts";
import { text, resolverOptions } from "../options.ts";
import { statusText } from "../../present/asks/status.ts";

export default command({
  name: "status",
  operands: "[DOMAIN..]",
  summary: "where every ask stands, and the next step for each",
  examples: [
    ["zandrel status", "all domains of the workspace"],
    ["zandrel status brackwater.example --json", "one domain, for another program"],
  ],
  options: { ...resolverOptions },
  schema: statusSchema,
  run: status,
  text: statusText,
});
