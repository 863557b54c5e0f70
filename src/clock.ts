/** What time it is. Only the program's entry and the lab have one; everything else is told. */
export interface Clock {
  /** Milliseconds since 1970. */
  now(): number;
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

export const systemClock: Clock = { now: Date.now, sleep: wait };

/** A clock that can be told to go on to a later time at once; anyone who sleeps until then wakes. */
export interface LeapingClock extends Clock {
  leap(ms: number): void;
  /** Nobody who sleeps wakes any more. */
  stop(): void;
  /** The clock as it is now, for {@link parseClock} in another process. */
  text(): string;
}

/** A clock that stood at `start` when the real time was `realStart`, and runs `speed` times as fast. */
export function fastClock(start: number, realStart: number, speed: number): LeapingClock {
  const sleepers = new Map<() => void, NodeJS.Timeout | undefined>();
  const now = (): number => Math.round(start + (Date.now() - realStart) * speed);
  return {
    now,
    text: () => clockText(start, realStart, speed),
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

/** The form in which the lab hands its clock to other processes, in ZANDREL_CLOCK: `2026-03-02T09:00:00.000Z@1763881200000*300`. */
const clockText = (start: number, realStart: number, speed: number): string =>
  `${new Date(start).toISOString()}@${realStart}*${speed}`;

/** The clock a text describes, or undefined where it describes none. */
export function parseClock(text: string): Clock | undefined {
  const match = /^(\S+)@(\d+)\*(\d+(?:\.\d+)?)$/.exec(text);
  const start = Date.parse(match?.[1] ?? "");
  const speed = Number(match?.[3]);
  return Number.isNaN(start) || !(speed > 0) ? undefined : fastClock(start, Number(match?.[2]), speed);
}
