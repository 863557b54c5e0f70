import { setTimeout as sleep } from "node:timers/promises";
import type pg from "pg";
import { clause } from "../core/clause/index.ts";
import { Failure } from "../core/failure.ts";
import { EventStore, POSTGRES_EVENTS } from "./event-store.ts";
import { Journal, POSTGRES_JOURNAL } from "./journal.ts";
import type { Preparing, Waiting } from "./lock.ts";
import { patiently, placeOf } from "./postgres.ts";
import { PostgresClient } from "./postgres-client.ts";
import { postgresSql, type SharedDatabase } from "./postgres-sql.ts";
import { readSecret } from "./read-secret.ts";
import { POSTGRES_REPORTS, type ReportStore, reportsIn } from "./tally.ts";

/** The address of a shared database, from what zandrel.yaml says: itself, or where it is kept. */
export const sharedAddress = (given: string, folder: string): string =>
  /^(?:env|file):/.test(given) ? readSecret(given, clause("secret-journal"), folder, process.env) : given;

/** A shared database from what zandrel.yaml says. */
export async function sharedDatabase(given: string, folder: string, { prepare }: Preparing): Promise<SharedDatabase> {
  const url = sharedAddress(given, folder);
  return { url, says: await prepare(clause("told-database-away", { place: placeOf(url) })) };
}

export const openSharedJournal = (database: SharedDatabase): Journal => new Journal(postgresSql(database, POSTGRES_JOURNAL));
export const openSharedEvents = (database: SharedDatabase): EventStore => new EventStore(postgresSql(database, POSTGRES_EVENTS));
export const openSharedReports = (database: SharedDatabase): ReportStore => reportsIn(postgresSql(database, POSTGRES_REPORTS));

/** How often a waiting process looks whether it is its turn, and after how long it says that it waits (milliseconds). */
const PERIOD = 100;
const PATIENCE = 1000;

/**
 * Runs `work` while no other process, on whatever machine, does anything under the same name. The database holds the lock for this
 * connection, and lets go of it when that ends, however it ends.
 *
 * @param what is written to under the lock, as the sentence names it
 */
export async function withSharedLock<T>(
  address: string,
  name: string,
  what: string,
  { tell }: Waiting,
  work: () => Promise<T>,
): Promise<T> {
  let client: pg.Client | undefined;
  const connect = async (): Promise<pg.Client> => {
    // One that could not connect is of no use any more.
    const made = new PostgresClient({ connectionString: address });
    await made.connect();
    return made;
  };
  try {
    client = await patiently(connect, () => tell(clause("told-database-away", { place: placeOf(address) })));
    const since = performance.now();
    for (let said = false; ; ) {
      const { rows } = await client.query("SELECT pg_try_advisory_lock(hashtext($1)) AS mine", [`zandrel ${name}`]);
      if ((rows[0] as { mine: boolean }).mine) break;
      if (!said && performance.now() - since > PATIENCE) {
        await tell(clause("told-lock", { what }));
        said = true;
      }
      await sleep(PERIOD);
    }
  } catch (error) {
    await client?.end().catch(() => undefined);
    throw new Failure("journal-away", { place: placeOf(address), title: "the journal", because: (error as Error).message });
  }
  try {
    return await work();
  } finally {
    await client.end().catch(() => undefined);
  }
}
