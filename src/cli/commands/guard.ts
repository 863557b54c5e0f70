import { showFigures } from "../../app/fleet/figures.ts";
import { type GuardResult, guardOnce, guardSchema } from "../../app/fleet/guard.ts";
import { Rounds } from "../../app/fleet/rounds.ts";
import { clause, verbatim } from "../../core/clause/index.ts";
import type { DomainName } from "../../core/name/index.ts";
import { errorSentence } from "../../present/index.ts";
import { jsonLine } from "../../present/json-line.ts";
import { withLegend } from "../../present/legend.ts";
import { terminalSafe } from "../../present/safe.ts";
import { command } from "../command.ts";
import { flag, number, shared, text } from "../options.ts";
import { tellServiceManager } from "../service-manager.ts";
import { untilStopped } from "../stopped.ts";

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
    const rounds = new Rounds(context.clock);
    const wanted = request.metrics !== undefined || request.textfile !== undefined;
    const figures = wanted ? new (await import("../../present/fleet/metrics.ts")).GuardMetrics() : undefined;
    const shown = figures === undefined ? undefined : await showFigures(request, figures, rounds, context);
    let told = "";
    // What is as before is said once.
    const before = new Map<DomainName, string>();
    const show = async (result: GuardResult): Promise<void> => {
      await shown?.take(result);
      const isNews = result.domains.some(({ domain, bad, unknown }) => before.get(domain) !== JSON.stringify([bad, unknown]));
      // One that is not in the workspace any more is not waited for.
      rounds.take(result.at, result.domains);
      for (const { domain, bad, unknown } of result.domains) before.set(domain, JSON.stringify([bad, unknown]));
      // A notice counts as told when it was written, not before.
      if (context.json) await context.write(Buffer.from(jsonLine(guardSchema, result)));
      else if (isNews || result.notices.length > 0 || result.told.length > 0)
        await context.write(Buffer.from(terminalSafe(withLegend(guardText(result, context), context))));
    };
    const look = () => guardOnce(request, context, NOTICE_WORDING, show, rounds.isDue);
    const { signal, release } = untilStopped();
    try {
      const ended = await look();
      if (request.once) return { ended };
      tellServiceManager("READY=1", context.env);
      while (!signal.aborted) {
        const jump = await rounds.next(signal, () => tellServiceManager("WATCHDOG=1", context.env));
        if (jump !== 0) await context.tell(clause("told-clock-set", { seconds: jump / 1000 }));
        if (signal.aborted) break;
        try {
          await look();
        } catch (error) {
          // A file that is being edited, a database that cannot be reached: the next look may find it in order.
          const sentence = errorSentence(error);
          if (sentence !== told) await context.tell(verbatim(sentence));
          told = sentence;
        }
      }
      tellServiceManager("STOPPING=1", context.env);
      return { ended: "fine" };
    } finally {
      release();
      await shown?.close();
    }
  },
});
