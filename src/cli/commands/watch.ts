import { summary, table, watch, watchSchema } from "../../app/publishing/watch.ts";
import { command } from "../command.ts";
import { choice, resolverOptions, span } from "../options.ts";

export default command({
  name: "watch",
  operands: "[DOMAIN..]",
  summary: "follow what was published until every vantage sees it",
  examples: [
    ["zandrel watch brackwater.example", "a live table on a terminal, a plain log in a pipe"],
    ["zandrel watch brackwater.example --for 15m --json", "one JSON object a line, for at most 15 minutes"],
  ],
  options: {
    ...resolverOptions,
    for: span("stop after this span, such as 15m or 1h30m"),
    until: choice(["settled", "proven"], "follow until every vantage has it, or until the services confirmed it", {
      default: "settled",
    }),
  },
  schema: watchSchema,
  run: watch,
});
