import { showFigures } from "../../app/fleet/figures.ts";
import { guardOnce, guardSchema } from "../../app/fleet/guard.ts";
import { jsonLine } from "../../present/safe.ts";
import { command } from "../command.ts";
import { flag, number, shared, text } from "../options.ts";

export default command({
  name: "guard",
  operands: "[DOMAIN..]",
  summary: "look again and again at everything that was proven, and tell when something is not in order any more",
  examples: [
    ["zandrel guard --once", "one look, for a scheduled job: prints what changed, and ends with 1 if anything did"],
    ["zandrel guard --metrics 127.0.0.1:9464", "until it is stopped, with figures for a monitoring system"],
  ],
  options: {
    once: flag("look once and end"),
    within: number("days before an end (of a certificate) from which on it is told", { default: 14, min: 1, max: 365 }),
    metrics: text("show figures at http://ADDRESS:PORT/metrics (OpenMetrics)"),
    textfile: text("write the same figures into this file after each look"),
    resolver: shared.resolver,
    timeout: shared.timeout,
  },
  schema: guardSchema,
  async run(request, context) {
    const { guardText, NOTICE_WORDING } = await import("../../present/fleet/guard.ts");
    const wanted = request.metrics !== undefined || request.textfile !== undefined;
    const figures = wanted ? new (await import("../../present/fleet/metrics.ts")).GuardMetrics() : undefined;
    const shown = figures === undefined ? undefined : await showFigures(request, figures, context);
    const look = async () => {
      const ended = await guardOnce(request, context, NOTICE_WORDING);
      if (ended.result !== undefined) await shown?.take(ended.result);
      return ended;
    };
    try {
      if (request.once) return await look();
      for (let last = ""; ; ) {
        const { result } = await look();
        if (result === undefined) continue;
        // What is as before is said once.
        const text = context.json ? jsonLine(guardSchema, result) : guardText(result, context);
        const gist = JSON.stringify([result.domains.map(({ bad, unknown }) => [bad, unknown]), result.waiting]);
        if (context.json || result.notices.length > 0 || result.told.length > 0 || gist !== last) context.out(text);
        last = gist;
        await context.clock.sleep(result.nextLook - context.clock.now());
      }
    } finally {
      await shown?.close();
    }
  },
  text: async (result, layout) => (await import("../../present/fleet/guard.ts")).guardText(result, layout),
});
