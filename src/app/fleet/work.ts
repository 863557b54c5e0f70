import * as z from "zod";
import { clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import type { AppContext, Outcome } from "../context.ts";
import { time } from "../shapes.ts";
import { runSweep, type SweepPace } from "./run.ts";
import { type SweepsRequest, withSweeps } from "./store.ts";
import { type AskingRequest, auditorFor } from "./sweep.ts";

/** How long a worker waits for the next sweep (milliseconds). */
const IDLE = 5000;

export const sweepWorkSchema = z.object({
  at: time,
  sweeps: z.array(z.object({ sweep: z.string(), domains: z.number().describe("domains that this worker looked at") })),
});

/** What {@link sweepWork} is asked. */
export interface SweepWorkRequest extends SweepsRequest, AskingRequest, SweepPace {
  readonly workspace: string | undefined;
  /** Whether it ends when no sweep is left. */
  readonly once: boolean;
}

/** Takes part in the sweeps of a queue: jobs come from whoever began them, and results go there. */
export async function sweepWork(
  request: SweepWorkRequest,
  context: AppContext,
  stop?: AbortSignal,
): Promise<Outcome<z.output<typeof sweepWorkSchema>>> {
  if (request.queue === undefined) throw new Failure("option-missing", { option: "queue", all: ["queue"] });
  const done = new Map<string, number>();
  return withSweeps(request, context, async (store) => {
    for (;;) {
      const open = (await store.sweeps()).filter(({ finished }) => finished === undefined);
      for (const sweep of open) {
        await context.tell(clause("told-sweep-part", { sweep: sweep.name, done: sweep.done, domains: sweep.domains }));
        const auditor = await auditorFor(request, sweep, sweep.domains - sweep.done, context);
        try {
          const steps = {
            kept: async (number: number) => void done.set(sweep.name, (done.get(sweep.name) ?? 0) + number),
            rests: async () => undefined,
          };
          await runSweep(store, sweep, auditor, request, context.clock, steps, stop);
        } finally {
          await auditor.close();
        }
        if (stop?.aborted === true) break;
        // Whoever began it may be gone.
        await store.finish(sweep, context.clock.now());
      }
      if ((request.once && open.length === 0) || stop?.aborted === true)
        return {
          ended: "fine",
          result: { at: context.clock.now(), sweeps: [...done].map(([sweep, domains]) => ({ sweep, domains })) },
        };
      if (open.length === 0) await context.clock.sleep(IDLE, stop);
    }
  });
}
