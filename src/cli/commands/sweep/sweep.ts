import { sweep, sweepSchema } from "../../../app/fleet/sweep.ts";
import { SEVERITIES } from "../../../core/audit/index.ts";
import { clause } from "../../../core/clause/index.ts";
import type { SweepFormat } from "../../../present/fleet/sweep.ts";
import { command } from "../../command.ts";
import { choice, flag, list, paceOptions, shared, text } from "../../options.ts";

export default command({
  name: "sweep",
  operands: "[LIST]",
  summary: "audit many domains: those of a list (a file, or - for standard input), or all of the workspace",
  examples: [
    ["zandrel sweep domains.txt", "one domain a line; a line about each: the worst finding, and what to do"],
    ["zandrel sweep customers.csv --checks spf,dmarc --format csv", "a table, with the list's own columns kept"],
    ["zandrel sweep", "all domains of the workspace"],
    ["zandrel sweep domains.txt --queue env:SWEEP_QUEUE", "the same, shared with every machine that runs zandrel sweep work"],
  ],
  options: {
    checks: list("only these areas of the audit, such as spf,dmarc"),
    column: text("the column of a table that holds the domains, by its title or number (found by itself if not given)"),
    format: choice(["text", "ndjson", "csv", "junit"], "how each domain is written, as soon as it is known", { default: "text" }),
    failOn: choice([...SEVERITIES, "never"], "end with 1 from this severity upwards", { default: "risks" }),
    restart: flag("start over instead of resuming an unfinished sweep of this list"),
    queue: shared.queue,
    ...paceOptions,
  },
  schema: sweepSchema,
  async run(request, context) {
    const { sweepFormat } = await import("../../../present/fleet/sweep.ts");
    // Whoever wants colours shows it to people, as a terminal does.
    const isShown = context.live || context.env.FORCE_COLOR !== undefined;
    const { progressBar } = await import("../../progress-bar.ts");
    let format: SweepFormat | undefined;
    let bar: ReturnType<typeof progressBar> | undefined;
    // With --json there is one object at the end, and nothing before it.
    const write = async (piece: string): Promise<void> => {
      if (piece === "" || context.json) return;
      if (context.live) bar?.hide();
      if (request.format === "text") context.out(piece);
      else await context.write(Buffer.from(piece));
    };
    try {
      const ended = await sweep(request, context, {
        async begun(current, { domains, done }, resumed) {
          format = sweepFormat(request.format, current, request.failOn, { ...context, live: isShown });
          if (resumed) await context.tell(clause("told-sweep-on", { sweep: current.name, done, domains }));
          bar = progressBar(domains, done, "domains");
          await write(format.head);
        },
        skipped: async (line) => write((format as SweepFormat).skipped(line)),
        outcome: async (outcome) => write((format as SweepFormat).outcome(outcome)),
        progress: (done) => bar?.at(done),
        async rests(left, ms) {
          if (context.live) bar?.hide();
          await context.tell(clause("told-sweep-rests", { domains: left, ms }));
        },
      });
      bar?.stop();
      await write(format?.foot ?? "");
      return context.json || request.format === "text" ? ended : { ended: ended.ended };
    } finally {
      bar?.stop();
    }
  },
  text: async (result, layout) => (await import("../../../present/fleet/sweep.ts")).sweepText(result, layout),
});
