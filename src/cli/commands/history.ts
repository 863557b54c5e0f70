import { history, historySchema } from "../../app/history/history.ts";
import { command } from "../command.ts";
import { flag, text, time } from "../options.ts";

export default command({
  name: "history",
  operands: "[DOMAIN|ASK..]",
  summary: "tell what happened: asked, published, seen and proven; and what a zone was like on an earlier day",
  examples: [
    ["zandrel history brackwater.example", "the story of a domain, in order"],
    ["zandrel history brackwater.example --between 2026-03-02..2026-03-09", "a week of it, and what differs at its end"],
    ["zandrel history brackwater.example --on 2026-03-02 --file then.zone", "the zone as it was, as far as it is known"],
  ],
  options: {
    between: text("only between two moments, FROM..UNTIL, such as 2026-03-02..2026-03-09; says what differs between them too"),
    on: time("the zone as it was at this moment, as far as the journal knows"),
    file: text("with --on: write it into this zone file"),
    force: flag("replace the file if it is there"),
  },
  schema: historySchema,
  run: history,
  text: async (result, layout) => (await import("../../present/history/history.ts")).historyText(result, layout),
});
