import type { Clock } from "../../clock.ts";
import type { DomainName } from "../../core/name/index.ts";

/** Domains that are due within this time are looked at together, and no look is nearer to the last one (milliseconds). */
const TOGETHER = 30_000;

/** How long nobody looks, where no domain says when (milliseconds). */
const LONGEST = 3_600_000;

/** How long somebody sleeps before they see whether the clock was set (milliseconds). */
const NAP = 60_000;

/** By how much a clock that was set differs from one that only runs (milliseconds). */
const JUMP = 60_000;

/**
 * When which domain is looked at next. Waiting is measured by a clock that only goes forward; where the time of day was set by more than a
 * minute, everything is due, because nobody knows what happened meanwhile.
 */
export class Rounds {
  readonly #clock: Clock;
  readonly #due = new Map<DomainName, number>();
  /** What the time of day was when the running clock stood at 0. */
  #offset: number;
  /** Until when it is waited for the next look. */
  #until: number;

  constructor(clock: Clock) {
    this.#clock = clock;
    this.#offset = clock.now() - clock.elapsed();
    this.#until = clock.elapsed();
  }

  /** Whether a domain is to be looked at; one that nobody looked at yet is. */
  isDue = (domain: DomainName): boolean => (this.#due.get(domain) ?? 0) <= this.#clock.elapsed() + TOGETHER;

  /** Takes over when domains are due, in milliseconds since 1970 as it was `at` the look. What was due and is not named any more is gone. */
  take(at: number, looked: readonly { readonly domain: DomainName; readonly nextLook: number }[]): void {
    for (const domain of [...this.#due.keys()]) if (this.isDue(domain)) this.#due.delete(domain);
    for (const { domain, nextLook } of looked) this.#due.set(domain, this.#clock.elapsed() + (nextLook - at));
  }

  /** How late the next look is (milliseconds); 0 where it is still to come. */
  late = (): number => Math.max(0, this.#clock.elapsed() - this.#until);

  /**
   * Waits until the next domain is due, or the clock was set; by how much it was, in milliseconds, or 0.
   *
   * @param awake called now and then while it waits
   */
  async next(stop?: AbortSignal, awake: () => void = () => undefined): Promise<number> {
    const until = Math.max(Math.min(...this.#due.values(), this.#clock.elapsed() + LONGEST), this.#clock.elapsed() + TOGETHER);
    this.#until = until;
    for (;;) {
      awake();
      const jump = this.#jump();
      if (jump !== 0) return jump;
      const left = until - this.#clock.elapsed();
      if (left <= 0 || stop?.aborted === true) return 0;
      await this.#clock.sleep(Math.min(left, NAP), stop);
    }
  }

  /** By how much the clock was set since it was looked at last; then everything is due. */
  #jump(): number {
    const offset = this.#clock.now() - this.#clock.elapsed();
    const jump = offset - this.#offset;
    if (Math.abs(jump) <= JUMP) return 0;
    this.#offset = offset;
    this.#due.clear();
    return jump;
  }
}
