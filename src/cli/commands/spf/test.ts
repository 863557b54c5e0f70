import { spfTest, spfTestSchema } from "../../../app/mail/spf-test.ts";
import { command } from "../../command.ts";
import { resolverOptions, shared } from "../../options.ts";

export default command({
  name: "spf test",
  operands: "DOMAIN",
  summary: "judge a sender by SPF exactly as receivers do: the result, the term that decided, and the way there",
  examples: [
    ["zandrel spf test brackwater.example --ip 192.0.2.25", "may this server send for the domain?"],
    [
      "zandrel spf test brackwater.example --ip 192.0.2.25 --mail-from box@brackwater.example --helo mx1.inglemail.example --json",
      "one envelope, for another program",
    ],
    ["zandrel spf test brackwater.example --ip 192.0.2.25 --zone-file brackwater.example.zone", "before it is published"],
  ],
  options: {
    ...resolverOptions,
    ip: shared.ip,
    mailFrom: shared.mailFrom,
    helo: shared.helo,
  },
  schema: spfTestSchema,
  run: spfTest,
  text: async (result, layout) => (await import("../../../present/mail/spf-test.ts")).spfTestText(result, layout),
});
