import { command } from "../command.ts";
import { draft, change, draftSchema } from "../../app/publishing/draft.ts";
import { calendar } from "../../present/index.ts";
import { timeline } from "../../core/spread/index.ts";
import { time, span, text, resolverOptions } from "../options.ts";
import { draftText } from "../../present/publishing/draft.ts";

/** The options that decide what a draft may do. */
export const DRAFTING = {
  replace: { type: "string", array: true, requiresArg: true, describe: "what stands at this name may be replaced (repeatable)" },
  only: { type: "string", array: true, requiresArg: true, describe: "only this ask, by its id (repeatable)" },
  into: { type: "string", requiresArg: true, describe: "compare with this master file, and publish into it" },
} as const;

export default command({
  name: "draft",
  operands: "[DOMAIN..]",
  summary: "what would change in the zone, what is in the way, and when everyone would see it",
  examples: [
    ["zandrel draft brackwater.example", "compare what is wanted with what is live"],
    ["zandrel draft --launch 2026-03-09T09:00Z --calendar launch.ics", "the timeline backwards, also for a calendar"],
    ["zandrel draft brackwater.example --zone-file brackwater.zone --json", "compare with a master file, for another program"],
  ],
  options: { ...resolverOptions,
...DRAFTING,
launch: time("work the timeline backwards from this time, such as 2026-03-09T09:00Z"),
certificateMargin: span("with --launch: time a certificate gets, where an ask is for a site", { default: "2h" }),
calendar: text("with --launch: also write the timeline into this calendar file (.ics)") },
  schema: draftSchema,
  run: draft,
  text: draftText,
});
