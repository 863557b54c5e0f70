import { status, statusSchema } from "../../app/asks/status.ts";
import { command } from "../command.ts";
import { resolverOptions } from "../options.ts";

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
  run: async (request, context) => {
    const { failureSentence } = await import("../../present/failures/index.ts");
    return status(request, context, (failure) => failureSentence(failure, context.cwd));
  },
  text: async (result, layout) => (await import("../../present/asks/status.ts")).statusText(result, layout),
});
