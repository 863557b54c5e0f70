import { spfFlatten, spfFlattenSchema } from "../../../app/mail/spf-flatten.ts";
import { command } from "../../command.ts";
import { flag, list, resolverOptions } from "../../options.ts";

export default command({
  name: "spf flatten",
  operands: "DOMAIN",
  summary: "write the addresses an include stands for today in its place, so that receivers have to ask less",
  examples: [
    ["zandrel spf flatten brackwater.example --include spf.heronpost.example", "show the record"],
    ["zandrel spf flatten brackwater.example --include spf.heronpost.example --remember", "and have the audit watch the source"],
  ],
  options: {
    ...resolverOptions,
    include: list("the include to replace (repeatable)"),
    remember: flag("remember what it was made from; zandrel audit says when that moves"),
  },
  schema: spfFlattenSchema,
  run: spfFlatten,
  text: async (result, layout) => (await import("../../../present/mail/spf-flatten.ts")).spfFlattenText(result, layout),
});
