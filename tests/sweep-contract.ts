import { describe, expect, test } from "@jest/globals";
import type { Auditor } from "../src/app/fleet/auditor.ts";
import { runSweep } from "../src/app/fleet/run.ts";
import { outcomesOf } from "../src/app/fleet/store.ts";
import type { Clock } from "../src/clock.ts";
import { verbatim } from "../src/core/clause/index.ts";
import { type DomainName, name } from "../src/core/name/index.ts";
import type { SkippedLine, SweepEntry, SweepResult, SweepStore } from "../src/core/sweep/index.ts";

/** A clock that stands still until somebody sleeps. */
function steppedClock(): Clock {
  let now = 0;
  return {
    now: () => now,
    elapsed: () => now,
    async sleep(ms) {
      now += ms;
      // What other processes do goes on meanwhile.
      await new Promise((resolve) => setTimeout(resolve, 10));
    },
  };
}

const NOBODY = { nameServers: [], mail: [], signing: [], sending: [] };
const fine: SweepResult = { findings: [], unresolved: [], providers: NOBODY };
const open = (domain: DomainName): SweepResult => ({
  ...fine,
  unresolved: [{ name: domain, type: "MX", because: verbatim("silence") }],
});
const QUIET = { kept: async () => undefined, rests: async () => undefined };
const PACE = { concurrency: 4, tries: 3, retryAfter: 60_000 };

async function* entries(count: number): AsyncGenerator<SweepEntry> {
  for (let i = 1; i <= count; i++) yield { domain: name(`d${i}.example`), given: `d${i}.example`, line: i, own: [String(i)] };
}
const begin = (store: SweepStore, lines: AsyncIterable<SweepEntry | SkippedLine>, title = "list") =>
  store.begin({ name: title, checks: ["spf"], columns: ["id"], fingerprint: title }, lines, 1000);
const outcomes = async (store: SweepStore, sweep: Awaited<ReturnType<typeof begin>>) => {
  const all = [];
  for await (const outcome of outcomesOf(store, sweep)) all.push(outcome);
  return all;
};
const counting = (): Auditor & { asked: DomainName[] } => {
  const asked: DomainName[] = [];
  return {
    asked,
    hasRoom: () => true,
    async audit(domain) {
      asked.push(domain);
      return fine;
    },
    close: async () => undefined,
  };
};

/** What any store of sweeps keeps to; each test makes one of its own. */
export const sweepContract = (title: string, make: () => Promise<SweepStore>): void =>
  describe(`sweeps in ${title}`, () => {
    test("every domain once, in an order of its own, with its line and its own columns", async () => {
      const store = await make();
      const sweep = await begin(store, entries(300));
      const auditor = counting();
      await runSweep(store, sweep, auditor, PACE, steppedClock(), QUIET);
      const all = await outcomes(store, sweep);
      expect(new Set(all.map(({ domain }) => domain)).size).toBe(300);
      expect(all.map(({ sequence }) => sequence)).toEqual(Array.from({ length: 300 }, (__, i) => i + 1));
      expect(all.find(({ domain }) => domain === "d7.example.")).toMatchObject({ line: 7, own: ["7"], attempts: 1 });
      expect(auditor.asked).not.toEqual(Array.from({ length: 300 }, (__, i) => `d${i + 1}.example.`));
      expect(await store.progress(sweep)).toEqual({ domains: 300, done: 300, skipped: 0 });
      await store.close();
    });

    test("a domain twice in the list is looked at once, and the second line is named", async () => {
      const store = await make();
      const sweep = await begin(
        store,
        (async function* () {
          yield* entries(2);
          yield { domain: name("d1.example"), given: "D1.example", line: 3, own: ["x"] };
          yield { line: 4, text: "rubbish", why: "one-label" as const, detail: "", own: ["y"] };
          yield { domain: name("d9.example"), given: "d9.example", line: 5, own: ["a\0b\ud800"] };
        })(),
      );
      const skipped = [];
      for await (const line of store.skipped(sweep)) skipped.push(line);
      expect(skipped).toEqual([
        { line: 3, text: "D1.example", why: "duplicate", detail: "1", own: ["x"] },
        { line: 4, text: "rubbish", why: "one-label", detail: "", own: ["y"] },
      ]);
      expect(await store.progress(sweep)).toMatchObject({ domains: 3, skipped: 2 });
      await store.close();
    });

    test("who cannot be asked is asked again after all the others, a few times, and then said to be open", async () => {
      const store = await make();
      const sweep = await begin(store, entries(20));
      const clock = steppedClock();
      const order: string[] = [];
      const auditor: Auditor = {
        hasRoom: () => true,
        async audit(domain, again) {
          order.push(`${domain}${again ? " again" : ""}`);
          return domain === "d3.example." || (domain === "d5.example." && !again) ? open(domain) : fine;
        },
        close: async () => undefined,
      };
      await runSweep(store, sweep, auditor, PACE, clock, QUIET);
      expect(order.slice(20).sort()).toEqual(["d3.example. again", "d3.example. again", "d5.example. again"]);
      const all = await outcomes(store, sweep);
      expect(all).toHaveLength(20);
      expect(all.find(({ domain }) => domain === "d3.example.")).toMatchObject({ attempts: 3, result: open(name("d3.example")) });
      expect(all.find(({ domain }) => domain === "d5.example.")).toMatchObject({ attempts: 2, result: fine });
      await store.close();
    });

    test("a domain whose audit fails by a defect ends with its reason, and the others go on", async () => {
      const store = await make();
      const sweep = await begin(store, entries(9));
      const auditor: Auditor = {
        hasRoom: () => true,
        audit: async (domain) => {
          if (domain === "d4.example.") throw new Error("poisoned");
          return fine;
        },
        close: async () => undefined,
      };
      await runSweep(store, sweep, auditor, PACE, steppedClock(), QUIET);
      const all = await outcomes(store, sweep);
      expect(all).toHaveLength(9);
      expect(all.find(({ domain }) => domain === "d4.example.")?.result.unresolved).toMatchObject([
        { because: { text: "poisoned" } },
      ]);
      await store.close();
    });

    test("whoever has no room for another domain is given none until it has", async () => {
      const store = await make();
      const sweep = await begin(store, entries(20));
      let [open, most] = [0, 0];
      const auditor: Auditor = {
        hasRoom: () => open < 2,
        async audit() {
          most = Math.max(most, ++open);
          await new Promise((resolve) => setTimeout(resolve, 1));
          open -= 1;
          return fine;
        },
        close: async () => undefined,
      };
      await runSweep(store, sweep, auditor, PACE, steppedClock(), QUIET);
      expect(most).toBe(2);
      expect(await outcomes(store, sweep)).toHaveLength(20);
      await store.close();
    });

    test("a run that breaks off goes on where it was", async () => {
      const store = await make();
      const sweep = await begin(store, entries(400));
      let left = 150;
      const breaking: Auditor = { ...counting(), audit: async () => fine };
      await expect(
        runSweep(store, sweep, breaking, PACE, steppedClock(), {
          ...QUIET,
          async kept(number) {
            left -= number;
            if (left <= 0) throw new Error("killed");
          },
        }),
      ).rejects.toThrow("killed");
      const first = (await outcomes(store, sweep)).length;
      expect(first).toBeGreaterThanOrEqual(150);
      expect(first).toBeLessThan(400);
      expect(await store.unfinished("list")).toEqual(sweep);
      const auditor = counting();
      await runSweep(store, sweep, auditor, PACE, steppedClock(), QUIET);
      expect(auditor.asked).toHaveLength(400 - first);
      expect(new Set((await outcomes(store, sweep)).map(({ domain }) => domain)).size).toBe(400);
      await store.finish(sweep, 2000);
      expect(await store.unfinished("list")).toBeUndefined();
      expect(await store.sweeps()).toMatchObject([{ name: "list", finished: 2000, domains: 400, done: 400 }]);
      await store.close();
    });

    test("an outcome that is handed in twice counts once", async () => {
      const store = await make();
      const sweep = await begin(store, entries(2));
      const outcome = { domain: name("d1.example"), attempts: 1, at: 5, result: fine };
      await store.keep(sweep, [outcome], []);
      await store.keep(sweep, [{ ...outcome, at: 9 }], []);
      expect(await outcomes(store, sweep)).toMatchObject([{ domain: "d1.example.", at: 5 }]);
      await store.close();
    });

    test("a list that broke off while it was read is not a sweep, and is read again", async () => {
      const store = await make();
      await expect(
        begin(
          store,
          (async function* () {
            yield* entries(6000);
            throw new Error("killed");
          })(),
        ),
      ).rejects.toThrow("killed");
      expect(await store.sweeps()).toEqual([]);
      expect(await store.unfinished("list")).toBeUndefined();
      const sweep = await begin(store, entries(3));
      expect(await store.progress(sweep)).toMatchObject({ domains: 3 });
      await store.close();
    });
  });
