import { showFigures } from "../../app/fleet/figures.ts";
import { type GuardResult, guardOnce, guardSchema } from "../../app/fleet/guard.ts";
import { verbatim } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import type { DomainName } from "../../core/name/index.ts";
import { failureSentence } from "../../present/index.ts";
import { jsonLine } from "../../present/json-line.ts";
import { withLegend } from "../../present/legend.ts";
import { terminalSafe } from "../../present/safe.ts";
import { command } from "../command.ts";
import { flag, number, shared, text } from "../options.ts";

/** Domains that are due within this time are looked at together, and no look is nearer to the last one (milliseconds). */
const TOGETHER = 30_000;

/** How long nobody looks, where no domain says when (milliseconds). */
const LONGEST = 3_600_000;

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
    // What is as before is said once.
    const before = new Map<DomainName, string>();
    const nextLook = new Map<DomainName, number>();
    const show = async (result: GuardResult): Promise<void> => {
      await shown?.take(result);
      const isNews = result.domains.some(({ domain, bad, unknown }) => before.get(domain) !== JSON.stringify([bad, unknown]));
      // One that is not in the workspace any more is not waited for.
      for (const domain of [...nextLook.keys()]) if (isDue(domain)) nextLook.delete(domain);
      for (const { domain, bad, unknown, nextLook: at } of result.domains) {
        before.set(domain, JSON.stringify([bad, unknown]));
        nextLook.set(domain, at);
      }
      // A notice counts as told when it was written, not before.
      if (context.json) await context.write(Buffer.from(jsonLine(guardSchema, result)));
      else if (isNews || result.notices.length > 0 || result.told.length > 0)
        await context.write(Buffer.from(terminalSafe(withLegend(guardText(result, context), context))));
    };
    const isDue = (domain: DomainName): boolean => (nextLook.get(domain) ?? 0) <= context.clock.now() + TOGETHER;
    const look = () => guardOnce(request, context, NOTICE_WORDING, show, isDue);
    try {
      const ended = await look();
      if (request.once) return { ended };
      for (;;) {
        const pause = Math.min(...nextLook.values(), context.clock.now() + LONGEST) - context.clock.now();
        await context.clock.sleep(Math.max(pause, TOGETHER));
        try {
          await look();
        } catch (error) {
          // A file that is being edited, a database that cannot be reached: the next look may find it in order.
          if (!(error instanceof Failure)) throw error;
          await context.tell(verbatim(failureSentence(error)));
        }
      }
    } finally {
      await shown?.close();
    }
  },
});
