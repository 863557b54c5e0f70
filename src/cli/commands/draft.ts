import { calendarPath, draft, draftSchema } from "../../app/publishing/draft.ts";
import { saveText } from "../../app/save.ts";
import { command } from "../command.ts";
import { draftOptions, resolverOptions, span, text, time } from "../options.ts";

export default command({
  name: "draft",
  operands: "[DOMAIN..]",
  summary: "what would change in the zone, what is in the way, and when everyone would see it",
  examples: [
    ["zandrel draft brackwater.example", "compare what is wanted with what is live"],
    ["zandrel draft --launch 2026-03-09T09:00Z --calendar launch.ics", "the launch schedule, also for a calendar"],
    [
      "zandrel draft brackwater.example --zone-file brackwater.example.zone --json",
      "compare with a zone file, for another program",
    ],
  ],
  options: {
    ...resolverOptions,
    ...draftOptions,
    launch: time("work out the schedule for a launch at this time, such as 2026-03-09T09:00Z"),
    certificateMargin: span("with --launch: time a certificate gets, where an ask is for a site", { default: "2h" }),
    calendar: text("with --launch: also write the schedule into this calendar file (.ics)"),
  },
  schema: draftSchema,
  async run(request, context) {
    const outcome = await draft(request, context);
    const file = calendarPath(request, context);
    if (file === undefined || outcome.result === undefined) return outcome;
    const { launchCalendar } = await import("../../present/publishing/draft.ts");
    const schedule = launchCalendar(outcome.result);
    if (schedule !== undefined) saveText(context, file, schedule);
    return outcome;
  },
  text: async (result, layout) => (await import("../../present/publishing/draft.ts")).draftText(result, layout),
});
