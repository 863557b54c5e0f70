import { relocate } from "../../app/relocate/relocate.ts";
import { relocateSchema } from "../../app/relocate/schema.ts";
import { saveText } from "../../app/save.ts";
import { command } from "../command.ts";
import { flag, resolverOptions, text, time } from "../options.ts";

export default command({
  name: "relocate",
  operands: "plan|capture|compare|check DOMAIN",
  summary: "move a zone to another DNS host: plan it, capture the zone, compare both sides, check the cut-over",
  examples: [
    [
      "zandrel relocate plan brackwater.example --new-host zonemarrow --calendar move.ics",
      "the steps with their earliest and latest times, also for a calendar",
    ],
    ["zandrel relocate capture brackwater.example", "write the zone as it is into brackwater.example.zone"],
    ["zandrel relocate compare brackwater.example --new-host zonemarrow", "name by name, by asking both hosts directly"],
    [
      "zandrel relocate check brackwater.example --new-host zonemarrow",
      "after the change of name servers: who still sees the old host, and until when",
    ],
  ],
  options: {
    resolver: resolverOptions.resolver,
    timeout: resolverOptions.timeout,
    at: resolverOptions.at,
    newHost: text("the key of the new DNS host in zandrel.yaml"),
    file: text("the zone file of the capture (DOMAIN.zone if not given)"),
    export: text("with capture: records exported or copied from the old host: a zone file, or any table that intake reads"),
    write: flag("with check: once the domain has moved, write the new host into the domain's file"),
    moveAt: time("with plan: when the name servers are to change, such as 2026-03-09T09:00Z (as early as possible if not given)"),
    staySigned: flag(
      "with plan: keep a signed domain (DNSSEC) signed all through, where both hosts can publish each other's keys",
    ),
    calendar: text("with plan: also write the steps into this calendar file (.ics)"),
    force: flag("with capture: replace the file if it is there"),
  },
  schema: relocateSchema,
  async run(request, context) {
    const outcome = await relocate(request, context);
    const { calendar } = request;
    if (calendar === undefined || outcome.result === undefined) return outcome;
    const { moveCalendar } = await import("../../present/publishing/relocate.ts");
    const steps = moveCalendar(outcome.result);
    if (steps !== undefined) saveText(context, calendar, steps);
    return outcome;
  },
  text: async (result, layout) => (await import("../../present/publishing/relocate.ts")).relocateText(result, layout),
});
