/** What everything that asks PostgreSQL knows of it. */

/** Host and database of an address: what may be said of it, because it may hold a password. */
export function placeOf(url: string): string {
  try {
    const { host, pathname } = new URL(url);
    return `${host}${pathname}`;
  } catch {
    return "the address given";
  }
}

/** Whether the database may answer again later: the network, a restart, too many at once (SQLSTATE classes 08, 53 and 57P). */
export function isAway(error: unknown): boolean {
  const { code = "", message = "" } = error as { code?: string; message?: string };
  return (
    /^(ECONN|EPIPE|ETIMEDOUT|EHOSTUNREACH|ENETUNREACH|08|57P0|53300)/.test(code) ||
    /terminated|timeout exceeded|Connection ended|not queryable/i.test(message)
  );
}

/** What the thread that asks the database tells the one that waits for it: that it goes on, that nothing can be reached, that it is over. */
export const STILL_ASKING = 0;
export const AWAY = 1;
export const ASKED = 2;

/** How long a database that cannot be reached is waited for, how often it is tried, and after how long it is said (milliseconds). */
export const PATIENCE = 120_000;
const AGAIN = 500;
const SAID_AFTER = 2000;

/**
 * Does what needs the database, and does it again for a while where that cannot be reached; everything that asks PostgreSQL has the same
 * patience.
 *
 * @param waits says once that it is waited for
 * @param until when nobody waits any more, by `performance.now()`
 */
export async function patiently<T>(
  work: () => Promise<T>,
  waits: () => Promise<void> | void = () => undefined,
  until: number = performance.now() + PATIENCE,
): Promise<T> {
  const since = performance.now();
  for (let said = false; ; ) {
    try {
      return await work();
    } catch (error) {
      if (!isAway(error) || performance.now() > until) throw error;
      if (!said && performance.now() - since > SAID_AFTER) {
        said = true;
        await waits();
      }
      await new Promise((resolve) => setTimeout(resolve, AGAIN));
    }
  }
}
