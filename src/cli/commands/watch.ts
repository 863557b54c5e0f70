import { type Look, seenOf, watch, watchSchema } from "../../app/asks/watch.ts";
import type { View } from "../../core/ask/index.ts";
import { jsonLine } from "../../present/json-line.ts";
import { watchedText, watchLine, watchTable } from "../../present/publishing/watch.ts";
import { terminalSafe } from "../../present/safe.ts";
import { command } from "../command.ts";
import { choice, resolverOptions, span } from "../options.ts";

export default command({
  name: "watch",
  operands: "[DOMAIN..]",
  summary: "follow what was published until every resolver we look from sees it",
  examples: [
    ["zandrel watch brackwater.example", "a live table on a terminal, a plain log in a pipe"],
    ["zandrel watch brackwater.example --for 15m --json", "one JSON object a line, for at most 15 minutes"],
  ],
  options: {
    ...resolverOptions,
    for: span("stop after this span, such as 15m or 1h30m"),
    until: choice(["settled", "proven"], "follow until every resolver has it, or until the services confirmed it", {
      default: "settled",
    }),
  },
  schema: watchSchema,
  async run(request, context) {
    const live = context.live && !context.json ? (await import("log-update")).default : undefined;
    const changed = (view: View, now: number): void => {
      if (context.json) context.out(jsonLine(watchSchema, seenOf(view, now)));
      else if (live === undefined) context.out(watchLine(view, now, context));
    };
    const looked = (look: Look): void => live?.(terminalSafe(watchTable(look, context)));
    try {
      const { ended, result } = await watch(request, context, { changed, looked });
      live?.done();
      if (result !== undefined && !context.json) context.out(watchedText(result, context));
      return { ended };
    } finally {
      live?.done();
    }
  },
});
