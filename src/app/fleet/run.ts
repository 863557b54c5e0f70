import type { Clock } from "../../clock.ts";
import { verbatim } from "../../core/clause/index.ts";
import type { DomainName } from "../../core/name/index.ts";
import type { Sweep, SweepJob, SweepOutcome, SweepResult, SweepStore } from "../../core/sweep/index.ts";
import type { Auditor } from "./auditor.ts";

/** Outcomes that are kept at once, and how long one waits for others at most (milliseconds). */
const BATCH = 64;
const PATIENCE = 500;

/** How long until it is seen whether somebody has time for another domain (milliseconds). */
const SOON = 10;

/** How long nobody looks after there was nothing to do and something is still left (milliseconds). */
const OTHERS = 1000;

/** How a sweep is gone through. */
export interface SweepPace {
  /** Domains that are looked at at the same time. */
  readonly concurrency: number;
  /** How often to retry a domain whose DNS did not fully answer. */
  readonly tries: number;
  /** How long it is left alone before it is looked at again (milliseconds). */
  readonly retryAfter: number;
}

/** What is told while a sweep runs. */
export interface SweepSteps {
  /** Outcomes were kept, by this process or by others. */
  kept(number: number): Promise<void>;
  /** Only domains are left that could not be asked before; they are left alone for a while (milliseconds). */
  rests(left: number, ms: number): Promise<void>;
}

const NOBODY: SweepResult["providers"] = { nameServers: [], mail: [], signing: [], sending: [] };

/** What a domain came to whose audit failed by a defect: nobody knows, and the reason is kept. */
const notAudited = (domain: DomainName, error: unknown): SweepResult => ({
  findings: [],
  unresolved: [{ name: domain, type: "audit", because: verbatim((error as Error).message) }],
  providers: NOBODY,
});

/**
 * Goes through all domains of a sweep that wait, in the order of the store. What a domain came to is kept at the latest half a second
 * after it is known, so that a run that is ended by force loses no more than that, and the next one goes on there. One that is told to
 * `stop` keeps what it knows and gives the rest back.
 */
export async function runSweep(
  store: SweepStore,
  sweep: Sweep,
  auditor: Auditor,
  { concurrency, tries, retryAfter }: SweepPace,
  clock: Clock,
  { kept, rests }: SweepSteps,
  stop?: AbortSignal,
): Promise<void> {
  // Domains that are looked at now, or are not kept yet.
  const held = new Set<DomainName>();
  let active = 0;
  let wake = (): void => undefined;
  let done: SweepOutcome[] = [];
  let again: SweepJob[] = [];
  let since = performance.now();

  async function flush(): Promise<void> {
    const [outcomes, jobs] = [done, again];
    [done, again] = [[], []];
    since = performance.now();
    if (outcomes.length + jobs.length === 0) return;
    await store.keep(sweep, outcomes, jobs);
    for (const { domain } of [...outcomes, ...jobs]) held.delete(domain);
    await kept(outcomes.length);
  }

  async function look({ domain, attempts }: SweepJob): Promise<void> {
    const result = await auditor.audit(domain, attempts > 0).catch((error) => notAudited(domain, error));
    if (result.unresolved.length > 0 && attempts + 1 < tries)
      again.push({ domain, attempts: attempts + 1, due: clock.now() + retryAfter });
    else done.push({ domain, attempts: attempts + 1, at: clock.now(), result });
  }

  stop?.addEventListener("abort", () => wake(), { once: true });
  try {
    for (let queue: SweepJob[] = []; stop?.aborted !== true; ) {
      if (done.length + again.length >= BATCH || performance.now() - since > PATIENCE) await flush();
      if (queue.length === 0) {
        queue = [...(await store.waiting(sweep, 4 * concurrency, held))];
        for (const { domain } of queue) held.add(domain);
      }
      const job = queue[0];
      const due = job === undefined ? 0 : job.due - clock.now();
      if (job !== undefined && due <= 0 && active < concurrency && auditor.hasRoom()) {
        queue.shift();
        active += 1;
        void look(job).finally(() => {
          active -= 1;
          wake();
        });
      } else if (active > 0)
        await new Promise<void>((resolve) => {
          const timer = setTimeout(resolve, active < concurrency ? SOON : PATIENCE);
          wake = () => {
            clearTimeout(timer);
            resolve();
          };
        });
      else if (done.length + again.length > 0) await flush();
      else if (job === undefined) {
        // Others may be at what is left, and lose it.
        if ((await store.left(sweep)) === 0) break;
        await clock.sleep(OTHERS);
        await kept(0);
      } else {
        await rests(queue.length, due);
        await clock.sleep(due, stop);
      }
    }
    await flush();
    // What others kept since the last look is told, too.
    await kept(0);
  } finally {
    await store.release(sweep);
  }
}
