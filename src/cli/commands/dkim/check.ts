import { dkimCheck, dkimCheckSchema } from "../../../app/mail/dkim-check.ts";
import { command } from "../../command.ts";
import { resolverOptions } from "../../options.ts";

export default command({
  name: "dkim check",
  operands: "DOMAIN [SELECTOR..]",
  summary:
    "judge the DKIM keys a domain has published: at the selectors named, or at all that are known to the workspace, plus common selectors",
  examples: [
    ["zandrel dkim check brackwater.example", "every selector that can be guessed or is in the workspace"],
    ["zandrel dkim check brackwater.example hpa hpb", "two selectors"],
    ["zandrel dkim check brackwater.example spring26 --zone-file brackwater.example.zone", "before it is published"],
  ],
  options: { ...resolverOptions },
  schema: dkimCheckSchema,
  run: dkimCheck,
  text: async (result, layout) => (await import("../../../present/mail/dkim-check.ts")).dkimCheckText(result, layout),
});
