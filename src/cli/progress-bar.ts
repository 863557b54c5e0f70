import cliProgress from "cli-progress";

/** A bar on standard error that says how far long work has come, where somebody watches. */
export interface ProgressBar {
  at(done: number): void;
  /** Takes the bar away, so that a line can be written; it comes back with the next step. */
  hide(): void;
  stop(): void;
}

const NONE: ProgressBar = { at: () => undefined, hide: () => undefined, stop: () => undefined };

/** Shows a bar for work on `total` things, of which `done` were done before. */
export function progressBar(total: number, done: number, thing: string): ProgressBar {
  if (process.stderr.isTTY !== true) return NONE;
  const since = performance.now();
  const bar = new cliProgress.SingleBar({
    stream: process.stderr,
    hideCursor: true,
    clearOnComplete: true,
    stopOnComplete: false,
    fps: 5,
    format: `{bar} {value} of {total} ${thing}, {rate} a second, {left} left`,
    barCompleteChar: "█",
    barIncompleteChar: "·",
    barsize: 24,
  });
  const about = (now: number) => {
    const seconds = (performance.now() - since) / 1000;
    const rate = seconds < 1 ? 0 : (now - done) / seconds;
    const left = rate === 0 ? undefined : Math.ceil((total - now) / rate);
    const minutes = left === undefined ? "" : `${Math.floor(left / 60)} min ${String(left % 60).padStart(2, "0")} s`;
    return {
      rate: rate === 0 ? "…" : rate < 10 ? rate.toFixed(1) : String(Math.round(rate)),
      left: minutes === "" ? "…" : minutes,
    };
  };
  bar.start(total, done, about(done));
  return {
    at: (now) => bar.update(now, about(now)),
    hide: () => void process.stderr.write("\r\x1b[K"),
    stop: () => bar.stop(),
  };
}
