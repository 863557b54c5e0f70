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
