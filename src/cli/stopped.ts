/** How long a service that was told to stop may take over what it is doing (milliseconds). */
const GRACE = 4000;

const SIGNALS = ["SIGTERM", "SIGINT"] as const;

/**
 * A signal that says when this process was told to stop. What is being done then may be finished; what takes longer than a few seconds is
 * left as it is, which loses nothing: every step is kept when it is done.
 */
export function untilStopped(): { readonly signal: AbortSignal; release(): void } {
  const stop = new AbortController();
  const told = (): void => {
    stop.abort();
    setTimeout(() => process.exit(0), GRACE).unref();
  };
  for (const signal of SIGNALS) process.once(signal, told);
  return {
    signal: stop.signal,
    release() {
      for (const signal of SIGNALS) process.off(signal, told);
    },
  };
}
