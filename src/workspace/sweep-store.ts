import type Database from "libsql";
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
import { type DatabaseForm, openDatabase } from "./database.ts";

/** Lines of a list that are written at once. */
const BATCH = 5000;
/** What is looked at again comes after everything that was not looked at yet: places of first tries are below this. */
const ROUND = 2 ** 32;

interface SweepRow {
  readonly id: number;
  readonly name: string;
  readonly checks: string;
  readonly columns: string;
  readonly started: number;
  readonly finished: number | null;
}

interface OutcomeRow {
  readonly domain: DomainName;
  readonly given: string;
  readonly line: number;
  readonly own: string;
  readonly attempts: number;
  readonly at: number;
  readonly sequence: number;
  readonly result: string;
}

const sweepOf = ({ id, name, checks, columns, started, finished }: SweepRow): Sweep => ({
  id,
  name,
  checks: JSON.parse(checks),
  columns: JSON.parse(columns),
  started,
  finished: finished ?? undefined,
});

const outcomeOf = ({ own, result, ...row }: OutcomeRow): KeptOutcome => ({
  ...row,
  own: JSON.parse(own),
  result: JSON.parse(result),
});

const OUTCOME = "domain, given, line, own, attempts, at, sequence, result";

/** Sweeps in one SQLite file in WAL mode. One process goes through a sweep at a time. */
export class SweepFile implements SweepStore {
  readonly #database: Database.Database;

  constructor(database: Database.Database) {
    this.#database = database;
  }

  #transaction<T>(work: () => T): T {
    this.#database.exec("BEGIN IMMEDIATE");
    try {
      const result = work();
      this.#database.exec("COMMIT");
      return result;
    } catch (error) {
      this.#database.exec("ROLLBACK");
      throw error;
    }
  }

  #sweep(where: string, ...given: unknown[]): Sweep | undefined {
    const row = this.#database
      .prepare(`SELECT * FROM sweep WHERE listed = 1 AND ${where} ORDER BY id DESC LIMIT 1`)
      .get(...given);
    return row === undefined ? undefined : sweepOf(row as SweepRow);
  }

  async unfinished(fingerprint: string): Promise<Sweep | undefined> {
    return this.#sweep("finished IS NULL AND fingerprint = ?", fingerprint);
  }

  async byName(name: string): Promise<Sweep | undefined> {
    return this.#sweep("name = ?", name);
  }

  async sweeps(): Promise<readonly (Sweep & SweepProgress)[]> {
    const rows = this.#database.prepare("SELECT * FROM sweep WHERE listed = 1 ORDER BY id DESC").all() as SweepRow[];
    return rows.map((row) => ({ ...sweepOf(row), ...this.#progress(row.id) }));
  }

  async begin(
    { name, checks, columns, fingerprint }: Parameters<SweepStore["begin"]>[0],
    lines: AsyncIterable<SweepEntry | SkippedLine>,
    now: number,
  ): Promise<Sweep> {
    // What runs left that were ended while they read their lists.
    const left = this.#database.prepare("SELECT id FROM sweep WHERE listed = 0").all() as { id: number }[];
    for (const { id } of left) this.#delete(id);
    const runResult = this.#database
      .prepare("INSERT INTO sweep (name, fingerprint, checks, columns, started) VALUES (?, ?, ?, ?, ?)")
      .run(name, fingerprint, JSON.stringify(checks), JSON.stringify(columns), now);
    const id = Number(runResult.lastInsertRowid);
    const insert = this.#database.prepare(
      "INSERT OR IGNORE INTO entry (sweep, domain, given, line, own, place) VALUES (?, ?, ?, ?, ?, abs(random()) % ?)",
    );
    const skip = this.#database.prepare(
      "INSERT OR REPLACE INTO skipped (sweep, line, text, why, detail, own) VALUES (?, ?, ?, ?, ?, ?)",
    );
    const first = this.#database.prepare("SELECT line FROM entry WHERE sweep = ? AND domain = ?");
    const write = (batch: readonly (SweepEntry | SkippedLine)[]) =>
      this.#transaction(() => {
        for (const one of batch) {
          if ("why" in one) skip.run(id, one.line, one.text, one.why, one.detail, JSON.stringify(one.own));
          else if (insert.run(id, one.domain, one.given, one.line, JSON.stringify(one.own), ROUND).changes === 0) {
            const { line } = first.get(id, one.domain) as { line: number };
            skip.run(id, one.line, one.given, "duplicate", String(line), JSON.stringify(one.own));
          }
        }
      });
    let batch: (SweepEntry | SkippedLine)[] = [];
    for await (const one of lines) {
      batch.push(one);
      if (batch.length >= BATCH) write(batch.splice(0));
    }
    write(batch);
    batch = [];
    this.#database.prepare("UPDATE sweep SET listed = 1 WHERE id = ?").run(id);
    return { id, name, checks, columns, started: now, finished: undefined };
  }

  #delete(id: number): void {
    this.#transaction(() => {
      for (const table of ["entry", "skipped"]) this.#database.prepare(`DELETE FROM ${table} WHERE sweep = ?`).run(id);
      this.#database.prepare("DELETE FROM sweep WHERE id = ?").run(id);
    });
  }

  async discard({ id }: Sweep): Promise<void> {
    this.#delete(id);
  }

  #progress(id: number): SweepProgress {
    const one = (sql: string) => Number((this.#database.prepare(sql).get(id) as { number: number }).number);
    return {
      domains: one("SELECT count(*) AS number FROM entry WHERE sweep = ?"),
      done: one("SELECT count(*) AS number FROM entry WHERE sweep = ? AND sequence IS NOT NULL"),
      skipped: one("SELECT count(*) AS number FROM skipped WHERE sweep = ?"),
    };
  }

  async progress({ id }: Sweep): Promise<SweepProgress> {
    return this.#progress(id);
  }

  async waiting({ id }: Sweep, most: number, apart: ReadonlySet<DomainName>): Promise<readonly SweepJob[]> {
    const rows = this.#database
      .prepare("SELECT domain, attempts, due FROM entry WHERE sweep = ? AND sequence IS NULL ORDER BY place LIMIT ?")
      .all(id, most + apart.size) as SweepJob[];
    return rows.filter(({ domain }) => !apart.has(domain)).slice(0, most);
  }

  async release(): Promise<void> {
    // Nobody else takes anything meanwhile.
  }

  async left({ id }: Sweep): Promise<number> {
    const row = this.#database.prepare("SELECT count(*) AS number FROM entry WHERE sweep = ? AND sequence IS NULL").get(id);
    return Number((row as { number: number }).number);
  }

  async keep({ id }: Sweep, done: readonly SweepOutcome[], again: readonly SweepJob[]): Promise<void> {
    this.#transaction(() => {
      // The index holds only what has a sequence; without saying so, every domain would be looked through.
      const { last } = this.#database
        .prepare("SELECT max(sequence) AS last FROM entry WHERE sweep = ? AND sequence IS NOT NULL")
        .get(id) as { last: number | null };
      let sequence = last ?? 0;
      const keep = this.#database.prepare(
        "UPDATE entry SET sequence = ?, attempts = ?, at = ?, result = ? WHERE sweep = ? AND domain = ? AND sequence IS NULL",
      );
      for (const { domain, attempts, at, result } of done) keep.run(++sequence, attempts, at, JSON.stringify(result), id, domain);
      const later = this.#database.prepare(
        "UPDATE entry SET place = (place % ?) + ? * ?, attempts = ?, due = ? WHERE sweep = ? AND domain = ? AND sequence IS NULL",
      );
      for (const { domain, attempts, due } of again) later.run(ROUND, ROUND, attempts, attempts, due, id, domain);
    });
  }

  async finish({ id }: Sweep, now: number): Promise<void> {
    this.#database.prepare("UPDATE sweep SET finished = ? WHERE id = ?").run(now, id);
  }

  async outcomes({ id }: Sweep, after: number, most: number): Promise<readonly KeptOutcome[]> {
    const rows = this.#database
      .prepare(`SELECT ${OUTCOME} FROM entry WHERE sweep = ? AND sequence > ? ORDER BY sequence LIMIT ?`)
      .all(id, after, most) as OutcomeRow[];
    return rows.map(outcomeOf);
  }

  async outcomeOf({ id }: Sweep, domain: DomainName): Promise<KeptOutcome | undefined> {
    const row = this.#database
      .prepare(`SELECT ${OUTCOME} FROM entry WHERE sweep = ? AND domain = ? AND sequence IS NOT NULL`)
      .get(id, domain);
    return row === undefined ? undefined : outcomeOf(row as OutcomeRow);
  }

  async *skipped({ id }: Sweep): AsyncIterable<SkippedLine> {
    const read = this.#database.prepare(
      "SELECT line, text, why, detail, own FROM skipped WHERE sweep = ? AND line > ? ORDER BY line LIMIT 1000",
    );
    for (let after = 0; ; ) {
      const rows = read.all(id, after) as (Omit<SkippedLine, "own"> & { own: string })[];
      for (const row of rows) yield { ...row, own: JSON.parse(row.own) };
      const last = rows.at(-1);
      if (last === undefined) return;
      after = last.line;
    }
  }

  async close(): Promise<void> {
    this.#database.close();
  }
}

const FORM: DatabaseForm = {
  title: "the sweeps",
  holds: "what sweeps found so far; the lists themselves are not touched",
  format: 2,
  synchronous: "NORMAL",
  schema: `
    CREATE TABLE IF NOT EXISTS sweep (
      id INTEGER PRIMARY KEY AUTOINCREMENT,
      name TEXT NOT NULL UNIQUE,
      fingerprint TEXT NOT NULL,
      checks TEXT NOT NULL,
      columns TEXT NOT NULL,
      started INTEGER NOT NULL,
      listed INTEGER NOT NULL DEFAULT 0,
      finished INTEGER
    ) STRICT;
    CREATE TABLE IF NOT EXISTS entry (
      sweep INTEGER NOT NULL,
      domain TEXT NOT NULL,
      given TEXT NOT NULL,
      line INTEGER NOT NULL,
      own TEXT NOT NULL,
      place INTEGER NOT NULL,
      attempts INTEGER NOT NULL DEFAULT 0,
      due INTEGER NOT NULL DEFAULT 0,
      sequence INTEGER,
      at INTEGER,
      result TEXT,
      PRIMARY KEY (sweep, domain)
    ) STRICT, WITHOUT ROWID;
    CREATE INDEX IF NOT EXISTS entry_that_waits ON entry (sweep, place) WHERE sequence IS NULL;
    CREATE UNIQUE INDEX IF NOT EXISTS entry_in_order ON entry (sweep, sequence) WHERE sequence IS NOT NULL;
    CREATE TABLE IF NOT EXISTS skipped (
      sweep INTEGER NOT NULL,
      line INTEGER NOT NULL,
      text TEXT NOT NULL,
      why TEXT NOT NULL,
      detail TEXT NOT NULL,
      PRIMARY KEY (sweep, line)
    ) STRICT, WITHOUT ROWID;
    ALTER TABLE skipped ADD COLUMN own TEXT NOT NULL DEFAULT '[]';
  `,
};

/** Opens the sweeps, creating the file where there is none. */
export const openSweepFile = (path: string): SweepStore => new SweepFile(openDatabase(path, FORM));
