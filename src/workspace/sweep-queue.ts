import pg from "pg";
import PgBoss from "pg-boss";
import { type Clause, clause } from "../core/clause/index.ts";
import { Failure } from "../core/failure.ts";
import type { DomainName } from "../core/name/index.ts";
import type {
  KeptOutcome,
  SkippedLine,
  Sweep,
  SweepEntry,
  SweepJob,
  SweepOutcome,
  SweepProgress,
  SweepStore,
} from "../core/sweep/index.ts";
import { isAway, patiently, placeOf } from "./postgres.ts";
import { PostgresClient } from "./postgres-client.ts";

/** Lines of a list, and jobs, that are written at once. */
const BATCH = 2000;
/** Number of the form of the tables (docs/sweep.md). */
const FORM = 2;
/** How often a job is handed out again after its worker was lost, before it counts as poisoned. */
const RETRIES = 2;

/** Says in which form the tables are. */
const VERSIONS = `
  CREATE SCHEMA IF NOT EXISTS zandrel;
  CREATE TABLE IF NOT EXISTS zandrel.form (version integer NOT NULL);
`;

/** Makes the tables, and brings older ones into this form. */
const TABLES = `
  CREATE TABLE IF NOT EXISTS zandrel.sweep (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name text NOT NULL UNIQUE,
    fingerprint text NOT NULL,
    checks jsonb NOT NULL,
    columns jsonb NOT NULL,
    started bigint NOT NULL,
    listed boolean NOT NULL DEFAULT false,
    finished bigint
  );
  CREATE TABLE IF NOT EXISTS zandrel.entry (
    sweep bigint NOT NULL REFERENCES zandrel.sweep ON DELETE CASCADE,
    domain text NOT NULL,
    given text NOT NULL,
    line bigint NOT NULL,
    own jsonb NOT NULL,
    queued boolean NOT NULL DEFAULT false,
    attempts integer NOT NULL DEFAULT 0,
    sequence bigint,
    at bigint,
    result jsonb,
    PRIMARY KEY (sweep, domain)
  );
  CREATE UNIQUE INDEX IF NOT EXISTS entry_in_order ON zandrel.entry (sweep, sequence) WHERE sequence IS NOT NULL;
  CREATE INDEX IF NOT EXISTS entry_to_queue ON zandrel.entry (sweep) WHERE NOT queued;
  CREATE TABLE IF NOT EXISTS zandrel.skipped (
    sweep bigint NOT NULL REFERENCES zandrel.sweep ON DELETE CASCADE,
    line bigint NOT NULL,
    text text NOT NULL,
    why text NOT NULL,
    detail text NOT NULL,
    PRIMARY KEY (sweep, line)
  );
  ALTER TABLE zandrel.skipped ADD COLUMN IF NOT EXISTS own jsonb NOT NULL DEFAULT '[]';
`;

/** The shape of the rows of a sweep as PostgreSQL hands them over; bigint comes as text. */
interface SweepRow {
  readonly id: string;
  readonly name: string;
  readonly checks: Sweep["checks"];
  readonly columns: readonly string[];
  readonly started: string;
  readonly finished: string | null;
}

const sweepOf = ({ id, name, checks, columns, started, finished }: SweepRow): Sweep => ({
  ...{ id: Number(id), name, checks, columns, started: Number(started) },
  finished: finished === null ? undefined : Number(finished),
});

interface OutcomeRow {
  readonly domain: DomainName;
  readonly given: string;
  readonly line: string;
  readonly own: readonly string[];
  readonly attempts: number;
  readonly at: string;
  readonly sequence: string;
  readonly result: KeptOutcome["result"];
}
const outcomeOf = (row: OutcomeRow): KeptOutcome => ({
  ...row,
  ...{ line: Number(row.line), at: Number(row.at), sequence: Number(row.sequence) },
});
const OUTCOME = "domain, given, line, own, attempts, at, sequence, result";

interface JobData {
  readonly domain: DomainName;
  readonly attempts: number;
}

/** How a queue is opened. */
export interface QueueOptions {
  /** How long a worker may take for a domain before another one gets it (milliseconds, at least a second). */
  readonly lease: number;
  /** Says that the database cannot be reached, once each time. */
  tell(said: Clause): Promise<void>;
}

/** Sweeps in PostgreSQL, whose jobs any number of machines take. */
class SweepQueue implements SweepStore {
  readonly #pool: pg.Pool;
  readonly #boss: PgBoss;
  readonly #options: QueueOptions;
  readonly #place: string;
  /** The jobs that this process has, by queue and domain. */
  readonly #taken = new Map<string, { readonly id: string; readonly attempts: number }>();
  readonly #queues = new Set<string>();

  constructor(url: string, options: QueueOptions) {
    this.#place = placeOf(url);
    this.#options = options;
    this.#pool = new pg.Pool({ connectionString: url, max: 6, Client: PostgresClient });
    // A connection that breaks while nobody uses it is replaced with the next question.
    this.#pool.on("error", () => undefined);
    this.#boss = new PgBoss({
      ...{ schema: "zandrel_jobs", schedule: false },
      db: { executeSql: (text, values) => this.#ask(text, values) },
      maintenanceIntervalSeconds: Math.max(1, Math.min(60, Math.floor(options.lease / 1000))),
    });
    this.#boss.on("error", () => undefined);
  }

  /** Asks the database, and waits a while for one that cannot be reached. */
  #ask<R>(text: string, values: readonly unknown[] = []): Promise<{ rows: R[] }> {
    return this.#patiently(async () => (await this.#pool.query(text, [...values])) as unknown as { rows: R[] });
  }

  /** The same for a statement that has to see all that others did before: one process at a time, in a transaction of its own. */
  async #askInTurn(name: string, text: string, values: readonly unknown[]): Promise<void> {
    await this.#patiently(async () => {
      const client = await this.#pool.connect();
      try {
        await client.query("BEGIN");
        // By itself: a statement sees what was there when it began, and so must not begin before its turn.
        await client.query("SELECT pg_advisory_xact_lock(hashtext($1))", [`zandrel ${name}`]);
        await client.query(text, [...values]);
        await client.query("COMMIT");
        client.release();
      } catch (error) {
        // What it began is taken back with the connection.
        client.release(true);
        throw error;
      }
    });
  }

  async #patiently<T>(work: () => Promise<T>): Promise<T> {
    try {
      return await patiently(work, () => this.#options.tell(clause("told-database-away", { place: this.#place })));
    } catch (error) {
      throw this.#failure(error);
    }
  }

  #failure(error: unknown): unknown {
    if (error instanceof Failure) return error;
    const { code, message } = error as { code?: string; message: string };
    return code === undefined && !isAway(error) ? error : new Failure("queue-failed", { place: this.#place, because: message });
  }

  /** Brings the tables into their form, and starts the queue. */
  async open(): Promise<void> {
    try {
      // The first question is not asked again: an address that is wrong is not going to be right.
      await this.#pool.query("SELECT 1");
    } catch (error) {
      throw new Failure("queue-failed", { place: this.#place, because: (error as Error).message });
    }
    // Two machines that begin at once make the tables once, those of the jobs too: a schema that two make is one too many.
    await this.#alone("form", async () => {
      await this.#pool.query(VERSIONS);
      const { rows } = await this.#pool.query("SELECT version FROM zandrel.form");
      const version = (rows[0] as { version: number } | undefined)?.version ?? 0;
      if (version > FORM) throw new Failure("newer-database", { path: this.#place, title: "the sweeps", version });
      // Only then: changing a table waits until nobody uses it, and keeps all others waiting. Statements asked together are one step.
      if (version < FORM)
        await this.#pool.query(`${TABLES} DELETE FROM zandrel.form; INSERT INTO zandrel.form VALUES (${FORM});`);
      await this.#boss.start();
    });
  }

  async #sweep(where: string, value: unknown): Promise<Sweep | undefined> {
    const { rows } = await this.#ask<SweepRow>(`SELECT * FROM zandrel.sweep WHERE listed AND ${where} ORDER BY id DESC LIMIT 1`, [
      value,
    ]);
    return rows[0] === undefined ? undefined : sweepOf(rows[0]);
  }

  unfinished = (fingerprint: string): Promise<Sweep | undefined> =>
    this.#sweep("finished IS NULL AND fingerprint = $1", fingerprint);
  byName = (name: string): Promise<Sweep | undefined> => this.#sweep("name = $1", name);

  async sweeps(): Promise<readonly (Sweep & SweepProgress)[]> {
    const { rows } = await this.#ask<SweepRow>("SELECT * FROM zandrel.sweep WHERE listed ORDER BY id DESC");
    const sweeps = rows.map(sweepOf);
    return Promise.all(sweeps.map(async (sweep) => ({ ...sweep, ...(await this.progress(sweep)) })));
  }

  async begin(
    { name, checks, columns, fingerprint }: Parameters<SweepStore["begin"]>[0],
    lines: AsyncIterable<SweepEntry | SkippedLine>,
    now: number,
  ): Promise<Sweep> {
    await this.#ask("DELETE FROM zandrel.sweep WHERE NOT listed AND name = $1", [name]);
    const made = await this.#ask<{ id: string }>(
      "INSERT INTO zandrel.sweep (name, fingerprint, checks, columns, started) VALUES ($1, $2, $3, $4, $5) RETURNING id",
      [name, fingerprint, JSON.stringify(checks), JSON.stringify(columns), now],
    );
    const id = Number(made.rows[0]?.id);
    const write = async (batch: readonly (SweepEntry | SkippedLine)[]): Promise<void> => {
      const entries = batch.filter((candidate): candidate is SweepEntry => !("why" in candidate));
      const { rows } = await this.#ask<{ line: string }>(
        `INSERT INTO zandrel.entry (sweep, domain, given, line, own)
         SELECT $1, * FROM unnest($2::text[], $3::text[], $4::bigint[], $5::jsonb[]) ON CONFLICT DO NOTHING RETURNING line`,
        [
          id,
          ...unzip(
            entries.map(({ domain, given, line, own }) => [domain, storable(given), line, JSON.stringify(own.map(storable))]),
            4,
          ),
        ],
      );
      const inserted = new Set(rows.map(({ line }) => Number(line)));
      const twice = entries.filter(({ line }) => !inserted.has(line));
      const first = await this.#ask<{ domain: string; line: string }>(
        "SELECT domain, line FROM zandrel.entry WHERE sweep = $1 AND domain = ANY($2)",
        [id, twice.map(({ domain }) => domain)],
      );
      const lineOf = new Map(first.rows.map((row) => [row.domain, row.line]));
      const skipped = [
        ...batch.flatMap((one) => ("why" in one ? [one] : [])),
        ...twice.map(({ line, given, domain, own }) => ({
          ...{ line, text: given, why: "duplicate", detail: lineOf.get(domain) ?? "", own },
        })),
      ];
      await this.#ask(
        `INSERT INTO zandrel.skipped (sweep, line, text, why, detail, own)
         SELECT $1, * FROM unnest($2::bigint[], $3::text[], $4::text[], $5::text[], $6::jsonb[]) ON CONFLICT DO NOTHING`,
        [
          id,
          ...unzip(
            skipped.map((one) => [one.line, storable(one.text), one.why, one.detail, JSON.stringify(one.own.map(storable))]),
            5,
          ),
        ],
      );
    };
    let batch: (SweepEntry | SkippedLine)[] = [];
    for await (const one of lines) {
      batch.push(one);
      if (batch.length >= BATCH) await write(batch.splice(0));
    }
    await write(batch);
    batch = [];
    await this.#ask("UPDATE zandrel.sweep SET listed = true WHERE id = $1", [id]);
    return { id, name, checks, columns, started: now, finished: undefined };
  }

  async discard({ id }: Sweep): Promise<void> {
    await this.#ask("DELETE FROM zandrel.sweep WHERE id = $1", [id]);
  }

  async progress({ id }: Sweep): Promise<SweepProgress> {
    const { rows } = await this.#ask<{ domains: string; done: string; skipped: string }>(
      `SELECT (SELECT count(*) FROM zandrel.entry WHERE sweep = $1) AS domains,
              (SELECT count(*) FROM zandrel.entry WHERE sweep = $1 AND sequence IS NOT NULL) AS done,
              (SELECT count(*) FROM zandrel.skipped WHERE sweep = $1) AS skipped`,
      [id],
    );
    const [row] = rows;
    return { domains: Number(row?.domains), done: Number(row?.done), skipped: Number(row?.skipped) };
  }

  /** Makes the queue of a sweep where there is none, and puts into it what is not there yet, in a random order. */
  async #queue({ id }: Sweep): Promise<string> {
    const queue = `sweep-${id}`;
    if (this.#queues.has(queue)) return queue;
    // Several machines may begin at once.
    await this.#alone(queue, () => this.#fillQueue(id, queue));
    this.#queues.add(queue);
    return queue;
  }

  /** Runs `work` while no other process does anything under the same name. */
  async #alone(name: string, work: () => Promise<void>): Promise<void> {
    const client = await this.#pool.connect().catch((error: unknown) => {
      throw this.#failure(error);
    });
    try {
      await client.query("SELECT pg_advisory_lock(hashtext($1))", [`zandrel ${name}`]);
      await work();
      await client.query("SELECT pg_advisory_unlock(hashtext($1))", [`zandrel ${name}`]);
    } catch (error) {
      // The lock goes with the connection.
      client.release(true);
      throw this.#failure(error);
    }
    client.release();
  }

  async #fillQueue(id: number, queue: string): Promise<void> {
    const lost = `${queue}-lost`;
    const expireInSeconds = Math.max(1, Math.ceil(this.#options.lease / 1000));
    if ((await this.#boss.getQueue(lost)) === null) await this.#boss.createQueue(lost, { name: lost });
    if ((await this.#boss.getQueue(queue)) === null)
      await this.#boss.createQueue(queue, { name: queue, retryLimit: RETRIES, expireInSeconds, deadLetter: lost });
    for (;;) {
      const { rows } = await this.#ask<{ domain: DomainName }>(
        "SELECT domain FROM zandrel.entry WHERE sweep = $1 AND NOT queued AND sequence IS NULL ORDER BY random() LIMIT $2",
        [id, BATCH],
      );
      if (rows.length === 0) break;
      const jobs = rows.map(({ domain }) => ({ name: queue, data: { domain, attempts: 0 } satisfies JobData }));
      await this.#boss.insert(jobs.map((job) => ({ ...job, retryLimit: RETRIES, expireInSeconds, deadLetter: lost })));
      await this.#ask("UPDATE zandrel.entry SET queued = true WHERE sweep = $1 AND domain = ANY($2)", [
        id,
        rows.map(({ domain }) => domain),
      ]);
    }
  }

  async waiting(sweep: Sweep, most: number): Promise<readonly SweepJob[]> {
    const queue = await this.#queue(sweep);
    await this.#failLostJobs(sweep, queue);
    const jobs = (await this.#boss.fetch<JobData>(queue, { batchSize: most })) ?? [];
    for (const { id, data } of jobs) this.#taken.set(`${queue} ${data.domain}`, { id, attempts: data.attempts });
    return jobs.map(({ data }) => ({ ...data, due: 0 }));
  }

  /** A domain at which every worker was lost ends with that as its outcome, so that the sweep has an end. */
  async #failLostJobs(sweep: Sweep, queue: string): Promise<void> {
    const lost = `${queue}-lost`;
    const jobs = (await this.#boss.fetch<JobData>(lost, { batchSize: BATCH })) ?? [];
    if (jobs.length === 0) return;
    const because = clause("sweep-workers-lost", { workers: RETRIES + 1 });
    const outcomes = jobs.map(({ data: { domain, attempts } }) => ({
      ...{ domain, attempts: attempts + RETRIES + 1, at: Date.now() },
      result: {
        findings: [],
        unresolved: [{ name: domain, type: "audit", because }],
        providers: { nameServers: [], mail: [], signing: [], sending: [] },
      },
    }));
    await this.keep(sweep, outcomes, []);
    await this.#boss.complete(
      lost,
      jobs.map(({ id }) => id),
    );
  }

  async keep({ id }: Sweep, done: readonly SweepOutcome[], again: readonly SweepJob[]): Promise<void> {
    const queue = `sweep-${id}`;
    if (done.length > 0)
      // One process at a time numbers outcomes, so that a number that is seen has all those below it.
      await this.#askInTurn(
        `outcomes ${id}`,
        `UPDATE zandrel.entry AS e SET sequence = last + n, attempts = d.attempts, at = d.at, result = d.result

         FROM unnest($2::text[], $3::integer[], $4::bigint[], $5::jsonb[]) WITH ORDINALITY AS d(domain, attempts, at, result, n),

              (SELECT coalesce(max(sequence), 0) AS last FROM zandrel.entry WHERE sweep = $1) AS newest

         WHERE e.sweep = $1 AND e.domain = d.domain AND e.sequence IS NULL`,
        [
          id,
          ...unzip(
            done.map(({ domain, attempts, at, result }) => [
              ...[domain, attempts, at],
              // No NUL stands in JSON that it keeps.
              JSON.stringify(result).replaceAll("\\u0000", "\\ufffd"),
            ]),
            4,
          ),
        ],
      );
    if (again.length > 0)
      await this.#boss.insert(
        again.map(({ domain, attempts, due }) => ({
          ...{ name: queue, data: { domain, attempts } satisfies JobData, startAfter: new Date(due) },
          ...{
            retryLimit: RETRIES,
            expireInSeconds: Math.max(1, Math.ceil(this.#options.lease / 1000)),
            deadLetter: `${queue}-lost`,
          },
        })),
      );
    const ids = [...done, ...again].flatMap(({ domain }) => {
      const job = this.#taken.get(`${queue} ${domain}`);
      this.#taken.delete(`${queue} ${domain}`);
      return job?.id ?? [];
    });
    if (ids.length > 0) await this.#boss.complete(queue, ids);
  }

  async release(sweep: Sweep): Promise<void> {
    const queue = `sweep-${sweep.id}`;
    const taken = [...this.#taken].filter(([key]) => key.startsWith(`${queue} `));
    if (taken.length === 0) return;
    const jobs = taken.map(
      ([key, { attempts }]): SweepJob => ({ domain: key.slice(queue.length + 1) as DomainName, attempts, due: 0 }),
    );
    // They are in the queue again before this process lets go of them.
    await this.keep(sweep, [], jobs);
  }

  async left({ id }: Sweep): Promise<number> {
    const { rows } = await this.#ask<{ left: string }>(
      "SELECT count(*) AS left FROM zandrel.entry WHERE sweep = $1 AND sequence IS NULL",
      [id],
    );
    return Number(rows[0]?.left);
  }

  async finish({ id }: Sweep, now: number): Promise<void> {
    await this.#ask("UPDATE zandrel.sweep SET finished = coalesce(finished, $2) WHERE id = $1", [id, now]);
  }

  async outcomes({ id }: Sweep, after: number, most: number): Promise<readonly KeptOutcome[]> {
    const { rows } = await this.#ask<OutcomeRow>(
      `SELECT ${OUTCOME} FROM zandrel.entry WHERE sweep = $1 AND sequence > $2 ORDER BY sequence LIMIT $3`,
      [id, after, most],
    );
    return rows.map(outcomeOf);
  }

  async outcomeOf({ id }: Sweep, domain: DomainName): Promise<KeptOutcome | undefined> {
    const { rows } = await this.#ask<OutcomeRow>(
      `SELECT ${OUTCOME} FROM zandrel.entry WHERE sweep = $1 AND domain = $2 AND sequence IS NOT NULL`,
      [id, domain],
    );
    return rows[0] === undefined ? undefined : outcomeOf(rows[0]);
  }

  async *skipped({ id }: Sweep): AsyncIterable<SkippedLine> {
    for (let after = 0; ; ) {
      const { rows } = await this.#ask<Omit<SkippedLine, "line"> & { line: string }>(
        "SELECT line, text, why, detail, own FROM zandrel.skipped WHERE sweep = $1 AND line > $2 ORDER BY line LIMIT 1000",
        [id, after],
      );
      for (const row of rows) yield { ...row, line: Number(row.line) };
      const last = rows.at(-1);
      if (last === undefined) return;
      after = Number(last.line);
    }
  }

  async close(): Promise<void> {
    await this.#boss.stop({ graceful: false, close: false });
    await this.#pool.end();
  }
}

/** A text as PostgreSQL keeps it: without NUL, and without halves of characters. */
const storable = (text: string): string => Buffer.from(text, "utf8").toString("utf8").replaceAll("\0", "\ufffd");

/** Rows as columns, as `unnest` takes them; `width` of them also where there is no row. */
const unzip = (rows: readonly (readonly unknown[])[], width: number): unknown[][] =>
  Array.from({ length: width }, (_, i) => rows.map((row) => row[i]));

/** Opens the sweeps in a PostgreSQL database, and makes the tables where there are none. */
export async function openSweepQueue(url: string, options: QueueOptions): Promise<SweepStore> {
  const queue = new SweepQueue(url, options);
  try {
    await queue.open();
    return queue;
  } catch (error) {
    await queue.close().catch(() => undefined);
    throw error;
  }
}
