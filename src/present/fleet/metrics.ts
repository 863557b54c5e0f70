import { Counter, Gauge, Registry } from "prom-client";
import type { GuardResult } from "../../app/fleet/guard.ts";
import { withoutRootDot } from "../../core/name/index.ts";

/** How late a look may be on a busy machine before something is wrong (milliseconds). */
const LATE = 600_000;

/** What the guard saw, as figures for a monitoring system (OpenMetrics 1.0). */
export class GuardMetrics {
  readonly #registry = new Registry();
  readonly #watched: Gauge;
  readonly #ends: Gauge;
  readonly #looked: Gauge;
  readonly #next: Gauge;
  readonly #waiting: Gauge;
  readonly #notices: Counter;
  /** Each domain as it was looked at last; one look is not at all of them. */
  readonly #domains = new Map<string, GuardResult["domains"][number]>();

  constructor() {
    this.#registry.setContentType(Registry.OPENMETRICS_CONTENT_TYPE as never);
    const registers = [this.#registry];
    this.#watched = new Gauge({
      name: "zandrel_watched",
      help: "Watched things by level",
      labelNames: ["domain", "level"],
      registers,
    });
    this.#ends = new Gauge({
      ...{ name: "zandrel_ends_timestamp_seconds", help: "When a watched thing ends by itself" },
      ...{ labelNames: ["domain", "watched", "subject"], registers },
    });
    this.#looked = new Gauge({ name: "zandrel_last_look_timestamp_seconds", help: "When the guard looked last", registers });
    this.#next = new Gauge({ name: "zandrel_next_look_timestamp_seconds", help: "When it looks next", registers });
    this.#waiting = new Gauge({ name: "zandrel_notices_waiting", help: "Notices that nobody was told yet", registers });
    this.#notices = new Counter({
      name: "zandrel_notices",
      help: "Notices since the guard started",
      labelNames: ["notice"],
      registers,
    });
  }

  health(late: number): { readonly text: string; readonly isWell: boolean } {
    const isWell = late < LATE;
    return {
      text: isWell ? "well\n" : `the next look is ${Math.round(late / 60_000)} minutes late: restart the guard\n`,
      isWell,
    };
  }

  /** Takes over what one look came to. */
  take({ at, waiting, notices, domains }: GuardResult): void {
    for (const one of domains) this.#domains.set(one.domain, one);
    this.#watched.reset();
    this.#ends.reset();
    for (const { domain, watched, bad, unknown, ends } of this.#domains.values()) {
      const name = withoutRootDot(domain);
      this.#watched.set({ domain: name, level: "bad" }, bad.length);
      this.#watched.set({ domain: name, level: "unknown" }, unknown.length);
      this.#watched.set({ domain: name, level: "fine" }, watched - bad.length - unknown.length);
      for (const end of ends) this.#ends.set({ domain: name, watched: end.watched, subject: end.subject }, end.at / 1000);
    }
    // A look that asked nothing is none.
    if (domains.length > 0) this.#looked.set(at / 1000);
    this.#next.set(Math.min(...[...this.#domains.values()].map(({ nextLook }) => nextLook)) / 1000);
    this.#waiting.set(waiting);
    for (const { notice } of notices) this.#notices.inc({ notice });
  }

  text(): Promise<string> {
    return this.#registry.metrics();
  }

  readonly contentType = Registry.OPENMETRICS_CONTENT_TYPE;
}
