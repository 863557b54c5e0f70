import { existsSync } from "node:fs";
import { MessageChannel, receiveMessageOnPort, Worker } from "node:worker_threads";
import { Failure } from "../core/failure.ts";
import { AWAY, placeOf, STILL_ASKING } from "./postgres.ts";
import type { Sql } from "./sql.ts";

/** The program's chunks lie in a folder beside its entries. */
const WORKER = new URL("../postgres-worker.js", import.meta.url);

/** What a PostgreSQL database of the workspace is. */
export interface PostgresForm {
  /** What people call it. */
  readonly title: string;
  /** Number of the form of its tables; higher ones were made by a newer Zandrel. */
  readonly format: number;
  /** Statements that make the tables where there are none. */
  readonly schema: string;
}

/** How long one question may take (milliseconds). */
const LONGEST = 600_000;

/** Every table of a workspace in PostgreSQL is in this schema. */
const SCHEMA = "zandrel_workspace";

/** `?` in the order of the values, as PostgreSQL numbers them. */
const numbered = (text: string): string => {
  let last = 0;
  return text.replace(/\?/g, () => `$${++last}`);
};

/** A shared database. */
export interface SharedDatabase {
  readonly url: string;
  /** Says that it cannot be reached and is waited for. */
  says(): void;
}

/** A PostgreSQL database as {@link Sql}: a thread asks it, and this one waits, so that what is kept is kept when the call returns. */
export function postgresSql({ url, says }: SharedDatabase, { title, format, schema }: PostgresForm, worker: URL = WORKER): Sql {
  const place = placeOf(url);
  if (!existsSync(worker)) throw new Error(`${worker.href} is missing`);
  const signal = new Int32Array(new SharedArrayBuffer(4));
  const { port1, port2 } = new MessageChannel();
  const thread = new Worker(worker, {
    workerData: { url, options: `-c search_path=${SCHEMA}`, port: port2, signal },
    transferList: [port2],
  });
  thread.unref();
  let inTransaction = false;
  const ask = (text: string, values: readonly unknown[] = [], asRows = false): { rows: unknown[]; changes: number } => {
    Atomics.store(signal, 0, STILL_ASKING);
    port1.postMessage({ text: numbered(text), values, asRows });
    // The thread itself waits for a database that cannot be reached: it says that it does, and in the end that it was in vain.
    let ended = Atomics.wait(signal, 0, STILL_ASKING, LONGEST);
    if (Atomics.load(signal, 0) === AWAY) {
      says();
      ended = Atomics.wait(signal, 0, AWAY, LONGEST);
    }
    if (ended === "timed-out")
      throw new Failure("journal-away", { place, title, because: `it did not answer within ${LONGEST / 60_000} minutes` });
    const { message } = receiveMessageOnPort(port1) as {
      message: { ok: { rows: unknown[]; changes: number } } | { failed: { code: string; message: string } };
    };
    if ("ok" in message) return message.ok;
    throw new Failure("journal-away", { place, title, because: message.failed.message });
  };
  const sql: Sql = {
    isPostgres: true,
    all: <R>(text: string, ...values: unknown[]) => ask(text, values).rows as R[],
    run: (text, ...values) => ask(text, values).changes,
    rows: <R extends readonly unknown[]>(text: string, ...values: unknown[]) => ask(text, values, true).rows as R[],
    begin() {
      ask("BEGIN");
      inTransaction = true;
      // As SQLite does it: one writer at a time.
      ask("SELECT pg_advisory_xact_lock(hashtext(?))", [`${SCHEMA} ${title}`]);
    },
    commit() {
      ask("COMMIT");
      inTransaction = false;
    },
    rollback() {
      if (inTransaction) ask("ROLLBACK");
      inTransaction = false;
    },
    close() {
      port1.close();
      void thread.terminate();
    },
  };
  try {
    sql.begin();
    // The same for all titles: a schema that two make at once is one too many.
    ask("SELECT pg_advisory_xact_lock(hashtext(?))", [SCHEMA]);
    ask(`CREATE SCHEMA IF NOT EXISTS ${SCHEMA}`);
    ask("CREATE TABLE IF NOT EXISTS form (title text PRIMARY KEY, version integer NOT NULL)");
    const [row] = sql.all<{ version: number }>("SELECT version FROM form WHERE title = ?", title);
    if (row !== undefined && row.version > format)
      throw new Failure("newer-database", { path: place, title, version: row.version });
    if (row === undefined || row.version < format) {
      ask(schema);
      ask("INSERT INTO form VALUES (?, ?) ON CONFLICT (title) DO UPDATE SET version = excluded.version", [title, format]);
    }
    sql.commit();
    return sql;
  } catch (error) {
    sql.rollback();
    sql.close();
    throw error;
  }
}
