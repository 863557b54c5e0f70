import { spfFlatten, spfFlattenSchema } from "../../../app/mail/spf-flatten.ts";
import { command } from "../../command.ts";
import { flag, list, resolverOptions, shared } from "../../options.ts";

export default command({
  name: "spf flatten",
  operands: "DOMAIN",
  summary: "write the addresses an include stands for today in its place, so that receivers have to ask less",
  examples: [
    ["zandrel spf flatten brackwater.example --include spf.heronpost.example", "show the record"],
    ["zandrel spf flatten brackwater.example --include spf.heronpost.example --remember", "and have the audit watch the source"],
    [
      "zandrel spf flatten brackwater.example --include spf.heronpost.example --write",
      "save it as an ask: zandrel publish carries it out",
    ],
    ["zandrel spf flatten brackwater.example --write", "build it again from the addresses of today"],
  ],
  options: {
    ...resolverOptions,
    include: list("the include to replace"),
    write: shared.write,
    service: shared.service,
    remember: flag("remember what it was made from; zandrel audit says when that moves"),
  },
  schema: spfFlattenSchema,
  run: spfFlatten,
  text: async (result, layout) => (await import("../../../present/mail/spf-flatten.ts")).spfFlattenText(result, layout),
});
