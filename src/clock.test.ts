import { spawnSync } from "node:child_process";
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterEach, beforeEach, describe, expect, test } from "@jest/globals";
import { type Clock, fastClock, type LabClock, parseClock, steppedClock } from "./clock.ts";

const START = Date.parse("2026-03-02T09:00:00Z");
const HOUR = 3_600_000;

describe("a clock that goes on in steps", () => {
  let folder: string;
  let clock: LabClock;
  beforeEach(() => {
    folder = mkdtempSync(join(tmpdir(), "zandrel-clock-"));
    clock = steppedClock(START, join(folder, "clock"));
  });
  afterEach(() => {
    clock.stop();
    rmSync(folder, { recursive: true });
  });
  const elsewhere = (text = clock.text()): Clock => parseClock(text) as Clock;

  test("stands still while somebody works, and is read by everybody at once when it leaps", async () => {
    await new Promise((resolve) => setTimeout(resolve, 30));
    expect([clock.now(), elsewhere().now()]).toEqual([START, START]);
    clock.leap(HOUR);
    expect([clock.now(), elsewhere().now()]).toEqual([START + HOUR, START + HOUR]);
  });

  test("a wait in another process moves it on, and whoever sleeps here wakes at their own time", async () => {
    const woken: string[] = [];
    const at = () => (clock.now() - START) / HOUR;
    const here = async (name: string, hours: number) => {
      await clock.sleep(hours * HOUR);
      woken.push(`${name} at ${at()}`);
    };
    const sleeping = [here("second", 2), here("first", 1), here("later", 9)];
    await elsewhere().sleep(3 * HOUR);
    woken.push(`who waited at ${at()}`);
    expect(woken).toEqual(["first at 1", "second at 2", "who waited at 3"]);
    clock.leap(6 * HOUR);
    await Promise.all(sleeping);
    expect(woken.at(-1)).toBe("later at 9");
  });

  test("what is being done has all the time it needs", async () => {
    let done = (): void => undefined;
    const work = clock.hold(new Promise<void>((resolve) => (done = resolve)));
    const waits = elsewhere().sleep(HOUR);
    await new Promise((resolve) => setTimeout(resolve, 50));
    expect(clock.now()).toBe(START);
    done();
    await Promise.all([work, waits]);
    expect(clock.now()).toBe(START + HOUR);
  });

  test("somebody who only follows it waits until others move it, or is told to stop", async () => {
    const follower = elsewhere(clock.text().replace("steps:", "follows:"));
    let woke = false;
    const following = follower.sleep(HOUR).then(() => (woke = true));
    await new Promise((resolve) => setTimeout(resolve, 50));
    expect([woke, clock.now()]).toEqual([false, START]);
    const leaving = new AbortController();
    const left = follower.sleep(9 * HOUR, leaving.signal);
    await elsewhere().sleep(HOUR);
    await following;
    leaving.abort();
    await left;
    expect(clock.now()).toBe(START + HOUR);
  });

  test("who was killed while waiting holds nobody up", async () => {
    const killed = spawnSync(process.execPath, ["-e", "console.log(process.pid)"], { encoding: "utf8" }).stdout.trim();
    writeFileSync(join(folder, `clock/awaited/${START}-${killed}-0`), "");
    await elsewhere().sleep(HOUR);
    expect(clock.now()).toBe(START + HOUR);
  });

  test("nobody waits for a lab that has ended", async () => {
    const gone = spawnSync(process.execPath, ["-e", "console.log(process.pid)"], { encoding: "utf8" }).stdout.trim();
    writeFileSync(join(folder, "clock/now"), `${START} ${gone}`);
    await expect(elsewhere().sleep(HOUR)).rejects.toThrow("the lab has ended");
  });

  test("two who wait at the same time both wake, each when it is time", async () => {
    const woken: number[] = [];
    const one = elsewhere();
    const other = elsewhere();
    await Promise.all([
      one.sleep(2 * HOUR).then(() => woken.push(one.now())),
      other.sleep(HOUR).then(() => woken.push(other.now())),
    ]);
    expect(woken).toEqual([START + HOUR, START + 2 * HOUR]);
  });
});

test("a clock that runs is the same in every process that reads its text", () => {
  const clock = fastClock(START, Date.now() - 1000, 3600);
  const other = parseClock(clock.text()) as Clock;
  expect(clock.now()).toBeGreaterThanOrEqual(START + HOUR);
  clock.leap(HOUR);
  expect(Math.abs((parseClock(clock.text()) as Clock).now() - clock.now())).toBeLessThan(HOUR / 2);
  expect(other.now()).toBeLessThan(clock.now());
  clock.stop();
});

test.each(["", "tomorrow", "2026-03-02T09:00:00Z", "2026-03-02T09:00:00Z@1*0", "steps:/nobody/has/this", "follows:"])(
  "%s is not a clock",
  (text) => {
    expect(parseClock(text)).toBeUndefined();
  },
);
