import { mkdirSync, readdirSync, readFileSync, renameSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";

/** What time it is. Only the program's entry and the lab have one; everything else is told. */
export interface Clock {
  /** Milliseconds since 1970, for telling: somebody may set it to another time. */
  now(): number;
  /** Milliseconds since some moment, for measuring how long something takes: it only goes forward. */
  elapsed(): number;
  /** Waits for a span of this clock's time, in milliseconds, or until it is told to stop. */
  sleep(ms: number, stop?: AbortSignal): Promise<void>;
}

const wait = (ms: number, stop?: AbortSignal) =>
  new Promise<void>((resolve) => {
    const timer = setTimeout(done, stop?.aborted === true ? 0 : Math.min(ms, 0x7fffffff));
    function done(): void {
      clearTimeout(timer);
      stop?.removeEventListener("abort", done);
      resolve();
    }
    stop?.addEventListener("abort", done);
  });

export const systemClock: Clock = { now: Date.now, elapsed: () => performance.now(), sleep: wait };

/** The clock of the simulated services: it can be told to go on to a later time at once, and anyone who sleeps until then wakes. */
export interface LabClock extends Clock {
  leap(ms: number): void;
  /** Lets something be done that takes none of this clock's time, where it only goes on in steps. */
  hold<T>(work: Promise<T>): Promise<T>;
  /** Nobody who sleeps wakes any more. */
  stop(): void;
  /** The clock as it is now, for {@link parseClock} in another process. */
  text(): string;
}

/** A clock that stood at `start` when the real time was `realStart`, and runs `speed` times as fast. */
export function fastClock(start: number, realStart: number, speed: number): LabClock {
  const sleepers = new Map<() => void, NodeJS.Timeout | undefined>();
  const now = (): number => Math.round(start + (Date.now() - realStart) * speed);
  return {
    now,
    elapsed: now,
    text: () => `${new Date(start).toISOString()}@${realStart}*${speed}`,
    hold: (work) => work,
    sleep(ms, stop) {
      const until = now() + ms;
      return new Promise((resolve) => {
        const look = (): void => {
          clearTimeout(sleepers.get(look));
          const left = stop?.aborted === true ? 0 : until - now();
          if (left > 0) sleepers.set(look, setTimeout(look, Math.min(Math.ceil(left / speed), 0x7fffffff)));
          else {
            sleepers.delete(look);
            stop?.removeEventListener("abort", look);
            resolve();
          }
        };
        stop?.addEventListener("abort", look);
        look();
      });
    },
    leap(ms) {
      start += ms;
      for (const look of [...sleepers.keys()]) look();
    },
    stop() {
      for (const timer of sleepers.values()) clearTimeout(timer);
      sleepers.clear();
    },
  };
}

/** How often somebody looks into the folder of a stepped clock, in real milliseconds. */
const LOOK_EVERY = 5;

/** The file with the time of a stepped clock and the process that keeps it, and the folder with the times that others wait for. */
const timeIn = (folder: string): string => join(folder, "now");
const awaitedIn = (folder: string): string => join(folder, "awaited");

/** Whether there is a process of that number. */
function isRunning(pid: number): boolean {
  try {
    return process.kill(pid, 0);
  } catch (error) {
    // One of somebody else's runs, too.
    return (error as NodeJS.ErrnoException).code === "EPERM";
  }
}

/**
 * A clock that stands still, however long anything takes, until somebody waits: then it goes on in steps to the time that is waited
 * for, and whoever sleeps in between wakes at their time. In this process only {@link LabClock.leap} moves it on; in other processes,
 * which have it from {@link parseClock}, a sleep does. It is kept in a folder, which is made here.
 */
export function steppedClock(start: number, folder: string): LabClock {
  let time = start;
  let held = 0;
  const sleepers = new Map<() => void, number>();
  function goOnTo(next: number): void {
    time = next;
    // Whoever reads the file finds the one time or the other, whole.
    writeFileSync(`${timeIn(folder)}.new`, `${time} ${process.pid}`);
    renameSync(`${timeIn(folder)}.new`, timeIn(folder));
    for (const [wake, until] of [...sleepers]) if (until <= time) wake();
  }
  mkdirSync(awaitedIn(folder), { recursive: true });
  goOnTo(start);
  // One step at each look: who wakes here has the time in between to say that something is being done.
  const looking = setInterval(() => {
    const awaited = readdirSync(awaitedIn(folder)).filter((file) => {
      if (isRunning(Number(file.split("-")[1]))) return true;
      rmSync(join(awaitedIn(folder), file), { force: true });
      return false;
    });
    const next = Math.min(...awaited.map((file) => Number(file.split("-")[0])));
    // Whose time has come takes the file away when it is awake.
    if (held === 0 && next > time && next < Infinity) goOnTo(Math.min(next, ...sleepers.values()));
  }, LOOK_EVERY);
  looking.unref();
  return {
    now: () => time,
    elapsed: () => time,
    text: () => `steps:${folder}`,
    async hold(work) {
      held += 1;
      try {
        return await work;
      } finally {
        held -= 1;
      }
    },
    sleep: (ms, stop) =>
      new Promise((resolve) => {
        const wake = (): void => {
          sleepers.delete(wake);
          stop?.removeEventListener("abort", wake);
          resolve();
        };
        sleepers.set(wake, time + ms);
        stop?.addEventListener("abort", wake);
        if (ms <= 0 || stop?.aborted === true) wake();
      }),
    leap: (ms) => goOnTo(time + ms),
    stop() {
      clearInterval(looking);
      sleepers.clear();
    },
  };
}

/** A {@link steppedClock} of another process. Where it `leads`, a sleep moves it on; else a sleep lasts until others have. */
function clockIn(folder: string, leads: boolean): Clock {
  let waits = 0;
  const read = (): number[] => readFileSync(timeIn(folder), "utf8").split(" ").map(Number);
  const now = (): number => read()[0] as number;
  return {
    now,
    elapsed: now,
    async sleep(ms, stop) {
      const until = now() + ms;
      const file = join(awaitedIn(folder), `${Math.ceil(until)}-${process.pid}-${waits++}`);
      if (leads) writeFileSync(file, "");
      while (now() < until && stop?.aborted !== true) {
        if (!isRunning(read()[1] as number)) throw new Error("the lab has ended");
        await wait(LOOK_EVERY, stop);
      }
      rmSync(file, { force: true });
    },
  };
}

/**
 * The clock a text describes, or undefined where it describes none: `2026-03-02T09:00:00.000Z@1763881200000*300` for one that runs,
 * `steps:FOLDER` for one that goes on when somebody waits, `follows:FOLDER` for the same one without moving it.
 */
export function parseClock(text: string): Clock | undefined {
  const stepped = /^(steps|follows):(.+)$/.exec(text);
  if (stepped !== null) {
    const clock = clockIn(stepped[2] as string, stepped[1] === "steps");
    try {
      return clock.now() > 0 ? clock : undefined;
    } catch {
      return undefined;
    }
  }
  const match = /^(\S+)@(\d+)\*(\d+(?:\.\d+)?)$/.exec(text);
  const start = Date.parse(match?.[1] ?? "");
  const speed = Number(match?.[3]);
  return Number.isNaN(start) || !(speed > 0) ? undefined : fastClock(start, Number(match?.[2]), speed);
}
