import { expect, test } from "@jest/globals";
import fc from "fast-check";
import type { Clock } from "../../clock.ts";
import { name } from "../../core/name/index.ts";
import { Rounds } from "./rounds.ts";

const MINUTE = 60_000;

/** A clock that somebody sets at some moments, each of them after so much real time and by so much. */
function settable(settings: readonly { readonly after: number; readonly by: number }[]): Clock & { readonly ran: () => number } {
  let ran = 0;
  const set = () => settings.reduce((sum, { after, by }) => (after <= ran ? sum + by : sum), 0);
  return {
    now: () => 1_772_442_000_000 + ran + set(),
    elapsed: () => ran,
    ran: () => ran,
    sleep: async (ms) => void (ran += ms),
  };
}

const domain = name("brackwater.example");

test.each<[string, number, number]>([
  ["a day back", 10 * MINUTE, -24 * 60 * MINUTE],
  ["a day ahead", 10 * MINUTE, 24 * 60 * MINUTE],
  ["two minutes back", 5 * MINUTE, -2 * MINUTE],
])("where the clock is set %s, everything is due within a minute, and it is said by how much", async (_, after, by) => {
  const clock = settable([{ after, by }]);
  const rounds = new Rounds(clock);
  rounds.take(clock.now(), [{ domain, nextLook: clock.now() + 6 * 60 * MINUTE }]);
  expect(rounds.isDue(domain)).toBe(false);
  expect(await rounds.next()).toBe(by);
  expect(clock.ran()).toBeLessThanOrEqual(after + MINUTE);
  expect(rounds.isDue(domain)).toBe(true);
  // It is said once.
  rounds.take(clock.now(), [{ domain, nextLook: clock.now() + 20 * MINUTE }]);
  expect(await rounds.next()).toBe(0);
});

test("a look is late by what passes after it was due, and whoever waits is awake now and then", async () => {
  const clock = settable([]);
  const rounds = new Rounds(clock);
  expect(rounds.late()).toBe(0);
  rounds.take(clock.now(), [{ domain, nextLook: clock.now() + 20 * MINUTE }]);
  let awake = 0;
  await rounds.next(undefined, () => {
    awake += 1;
    expect(rounds.late()).toBe(0);
  });
  expect(awake).toBeGreaterThanOrEqual(20);
  await clock.sleep(15 * MINUTE);
  expect(rounds.late()).toBe(15 * MINUTE);
});

test("however often the clock is set, nobody waits longer than was said, and nobody asks without a pause", async () => {
  const settings = fc.array(
    fc.record({
      after: fc.nat(600).map((minutes) => minutes * MINUTE),
      by: fc.integer({ min: -2000, max: 2000 }).map((m) => m * MINUTE),
    }),
    { maxLength: 6 },
  );
  await fc.assert(
    fc.asyncProperty(settings, fc.integer({ min: 5, max: 360 }), async (jumps, minutes) => {
      const clock = settable(jumps);
      const rounds = new Rounds(clock);
      let looks = 0;
      while (clock.ran() < 700 * MINUTE) {
        const before = clock.ran();
        rounds.take(clock.now(), [{ domain, nextLook: clock.now() + minutes * MINUTE }]);
        looks += 1;
        await rounds.next();
        expect(clock.ran() - before).toBeLessThanOrEqual(Math.min(minutes, 60) * MINUTE + MINUTE);
      }
      // A look a round, and one more for each time that it was set.
      expect(looks).toBeLessThanOrEqual(700 / Math.min(minutes, 60) + jumps.length + 2);
    }),
    { numRuns: 60 },
  );
});
