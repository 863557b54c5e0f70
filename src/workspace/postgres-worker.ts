import { type MessagePort, workerData } from "node:worker_threads";
import pg from "pg";
import { ASKED, AWAY, isAway, PATIENCE, patiently } from "./postgres.ts";
import { PostgresClient } from "./postgres-client.ts";

/**
 * A thread that asks PostgreSQL for another one, which waits meanwhile. One connection, so that a transaction is one; a connection that
 * broke outside of a transaction is made again.
 */
const { url, options, port, signal } = workerData as {
  readonly url: string;
  readonly options: string;
  readonly port: MessagePort;
  readonly signal: Int32Array;
};

// Numbers of entries, times and counts fit into a number.
pg.types.setTypeParser(20, Number);
pg.types.setTypeParser(1700, Number);

const signalTo = (state: number): void => {
  Atomics.store(signal, 0, state);
  Atomics.notify(signal, 0);
};

let client: pg.Client | undefined;
let inTransaction = false;

async function connect(): Promise<pg.Client> {
  const made = new PostgresClient({ connectionString: url, options });
  made.on("error", () => {
    client = undefined;
  });
  await made.connect();
  return made;
}

/** Whether a connection that broke while nobody asked anything is noticed only now. */
const isUnheard = (text: string): boolean => /^(SELECT|BEGIN)/.test(text);

async function ask(text: string, values: unknown[], asRows: boolean): Promise<{ rows: unknown[]; changes: number }> {
  // One question is waited for once, however often it is asked.
  const until = performance.now() + PATIENCE;
  for (let again = isUnheard(text) && !inTransaction; ; again = false) {
    try {
      client ??= await patiently(connect, () => signalTo(AWAY), until);
      const result = await client.query({ text, values, ...(asRows ? { rowMode: "array" as const } : {}) });
      const [last] = Array.isArray(result) ? result.slice(-1) : [result];
      if (/^BEGIN/.test(text)) inTransaction = true;
      if (/^(COMMIT|ROLLBACK)/.test(text)) inTransaction = false;
      return { rows: last.rows ?? [], changes: last.rowCount ?? 0 };
    } catch (error) {
      if (isAway(error)) client = undefined;
      if (/^ROLLBACK/.test(text)) {
        inTransaction = false;
        client = undefined;
        return { rows: [], changes: 0 };
      }
      // What wrote something may have done so: only what reads is asked again by itself.
      if (!again || !isAway(error)) throw error;
    }
  }
}

port.on("message", async ({ text, values, asRows }: { text: string; values: unknown[]; asRows: boolean }) => {
  try {
    port.postMessage({ ok: await ask(text, values, asRows) });
  } catch (error) {
    const { code = "", message } = error as { code?: string; message: string };
    port.postMessage({ failed: { code, message } });
  }
  signalTo(ASKED);
});
