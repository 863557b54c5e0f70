import { spfCombine, spfCombineSchema } from "../../../app/mail/spf-combine.ts";
import { command } from "../../command.ts";
import { resolverOptions } from "../../options.ts";

export default command({
  name: "spf combine",
  operands: "DOMAIN [TERM..]",
  summary: "make one SPF record of the one that is there and of what every service asks for, and count what it costs",
  examples: [
    ["zandrel spf combine brackwater.example", "with the terms of all asks of the workspace"],
    ["zandrel spf combine brackwater.example include:spf.heronpost.example", "with one term more"],
  ],
  options: { ...resolverOptions },
  schema: spfCombineSchema,
  run: spfCombine,
  text: async (result, layout) => (await import("../../../present/mail/spf-combine.ts")).spfCombineText(result, layout),
});
