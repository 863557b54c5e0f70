import { Failure } from "../../core/failure.ts";
import { command } from "../command.ts";
import { list, resolverOptions, text } from "../options.ts";

export default command({
  name: "guide",
  operands: "[DOMAIN]",
  summary: "one conversation from paste to proven; leave it with Ctrl-C, and it takes up where it stood",
  examples: [
    ["zandrel guide", "picks the domain, or starts with one"],
    ["zandrel guide brackwater.example", "goes on with this domain"],
    ["zandrel guide brackwater.example --kit heronpost --input account=brackwater", "begins with what a kit asks for"],
  ],
  options: {
    ...resolverOptions,
    kit: text("begin with the asks of this kit: a name from the kits folder, a file, or an https address"),
    input: list("fill an input of the kit: NAME=VALUE"),
  },
  noJson: "it is a conversation",
  async run(request, context) {
    if (!context.interactive) throw new Failure("guide-needs-terminal", {});
    const { converse } = await import("../guide/index.ts");
    return { ended: await converse(request, context) };
  },
});
