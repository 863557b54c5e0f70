import { spfTest, spfTestSchema } from "../../../app/mail/spf-test.ts";
import { command } from "../../command.ts";
import { resolverOptions, text } from "../../options.ts";

export default command({
  name: "spf test",
  operands: "DOMAIN",
  summary: "judge a sender by SPF exactly as receivers do: the result, the term that decided, and the way there",
  examples: [
    ["zandrel spf test brackwater.example --ip 192.0.2.25", "may this server send for the domain?"],
    [
      "zandrel spf test brackwater.example --ip 192.0.2.25 --from box@brackwater.example --helo mx1.inglemail.example --json",
      "one envelope, for another program",
    ],
    ["zandrel spf test brackwater.example --ip 192.0.2.25 --zone-file brackwater.example.zone", "before it is published"],
  ],
  options: {
    ...resolverOptions,
    ip: text("address of the sending server, IPv4 or IPv6"),
    from: text("the envelope sender (postmaster@DOMAIN if not given; empty for the empty reverse path)"),
    helo: text("the name the server says HELO with (DOMAIN if not given)"),
  },
  schema: spfTestSchema,
  run: spfTest,
  text: async (result, layout) => (await import("../../../present/mail/spf-test.ts")).spfTestText(result, layout),
});
