import { existsSync, renameSync, rmSync } from "node:fs";
import { join } from "node:path";
import { Failure } from "../core/failure.ts";
import { type DatabaseForm, MOVED } from "./database.ts";
import { EVENTS_FORM, POSTGRES_EVENTS } from "./event-store.ts";
import { JOURNAL_FORM, POSTGRES_JOURNAL } from "./journal.ts";
import { placeOf } from "./postgres.ts";
import { type PostgresForm, postgresSql } from "./postgres-sql.ts";
import { type Sql, sqliteSql, transaction } from "./sql.ts";
import { POSTGRES_REPORTS, REPORTS_FORM } from "./tally.ts";

/** Rows that are copied at once. */
const BATCH = 200;

/** What is kept in one file, or in one part of the shared database: its tables with their columns, in the order of their rows. */
interface Kept {
  readonly file: string;
  readonly sqlite: DatabaseForm;
  readonly postgres: PostgresForm;
  readonly tables: Readonly<Record<string, readonly string[]>>;
  /** The table whose rows are numbered by the database. */
  readonly numbered?: string;
}

const KEPT: readonly Kept[] = [
  {
    ...{ file: "journal.db", sqlite: JOURNAL_FORM, postgres: POSTGRES_JOURNAL, numbered: "entry" },
    tables: { entry: ["id", "at", "domain", "kind", "process", "detail"] },
  },
  {
    ...{ file: "events.db", sqlite: EVENTS_FORM, postgres: POSTGRES_EVENTS },
    tables: {
      event: ["service", "id", "kind", "at", "domain", "message_id", "recipient", "reply", "received"],
      request: ["service", "nonce", "signed_at"],
    },
  },
  {
    ...{ file: "reports.db", sqlite: REPORTS_FORM, postgres: POSTGRES_REPORTS, numbered: "origin" },
    tables: {
      report: ["receiver", "email", "report", "domain", "first", "last", "policy", "rows", "messages"],
      origin: [
        ...["id", "key", "from_domain", "ip", "signer", "selector", "spf_domain", "envelope", "dkim_aligned", "spf_aligned"],
        ...["signer_passes", "spf_passes", "overrides"],
      ],
      tally: ["origin", "week", "disposition", "count"],
      arrived: ["receiver", "domain", "first", "last", "messages"],
    },
  },
];

const countIn = (sql: Pick<Sql, "all">, table: string): number =>
  Number(sql.all<{ number: number }>(`SELECT count(*) AS number FROM ${table}`)[0]?.number);

/** Copies the rows of every table; both sides have the same number of rows then. */
function copy(from: Pick<Sql, "all" | "rows">, to: Sql, { tables, numbered }: Kept, place: string): number {
  let copied = 0;
  for (const [table, columns] of Object.entries(tables)) {
    if (countIn(to, table) > 0) throw new Failure("journal-not-empty", { place });
    let batch: unknown[][] = [];
    const write = (): void => {
      if (batch.length === 0) return;
      const row = `(${columns.map(() => "?").join(", ")})`;
      to.run(
        `INSERT INTO ${table} (${columns.join(", ")}) VALUES ${batch.map(() => row).join(", ")}`,
        ...(batch.flat() as (string | number | null)[]),
      );
      copied += batch.length;
      batch = [];
    };
    const order = columns.slice(0, 2).join(", ");
    for (const row of from.rows<unknown[]>(`SELECT ${columns.join(", ")} FROM ${table} ORDER BY ${order}`)) {
      batch.push([...row]);
      if (batch.length >= BATCH) write();
    }
    write();
    if (countIn(from, table) !== countIn(to, table)) throw new Error(`${table} was not copied whole`);
    if (numbered === table && to.isPostgres)
      to.all(`SELECT setval(pg_get_serial_sequence('${table}', 'id'), coalesce((SELECT max(id) FROM ${table}), 0) + 1, false)`);
  }
  return copied;
}

/** Everything copied to a shared database, while nobody can write to the files. */
export interface CopiedToShared {
  readonly rows: number;
  /** Closes the files for good, also for processes that have them open, and sets them aside; their names. */
  finish(): string[];
  /** Takes the copy back, and lets the files be written again. */
  undo(): void;
}

/** Copies everything that is kept to a shared database, all of it or nothing. */
export function copyToShared(folder: string, address: string): CopiedToShared {
  const pathOf = ({ file }: Kept) => join(folder, ".zandrel", file);
  const there = KEPT.filter((kept) => existsSync(pathOf(kept)));
  const files = there.map((kept) => ({ kept, sql: sqliteSql(pathOf(kept), kept.sqlite) }));
  // Each makes its tables; one connection copies into all of them.
  const opened: Sql[] = [];
  const close = (): void => {
    for (const { sql } of files) {
      sql.rollback();
      sql.close();
    }
    for (const one of opened) one.close();
  };
  try {
    for (const { postgres } of KEPT) opened.push(postgresSql(address, postgres));
    const [to] = opened as [Sql];
    for (const { sql } of files) sql.begin();
    let rows = 0;
    to.begin();
    try {
      for (const kept of KEPT) {
        const from = files.find((candidate) => candidate.kept === kept)?.sql ?? emptySql;
        rows += copy(from, to, kept, placeOf(address));
      }
      to.commit();
    } catch (error) {
      to.rollback();
      throw error;
    }
    return {
      rows,
      finish() {
        for (const { kept, sql } of files) {
          for (const table of Object.keys(kept.tables))
            sql.run(`CREATE TRIGGER ${table}_moved BEFORE INSERT ON ${table} BEGIN SELECT RAISE(ABORT, '${MOVED}'); END`);
          sql.commit();
        }
        close();
        return there.map((kept) => {
          const name = freeName(folder, kept.file);
          renameSync(pathOf(kept), join(folder, ".zandrel", name));
          return `.zandrel/${name}`;
        });
      },
      undo() {
        // It was empty before.
        for (const { tables } of KEPT) for (const table of Object.keys(tables)) to.run(`DROP TABLE ${table}`);
        to.run("DELETE FROM form");
        close();
      },
    };
  } catch (error) {
    close();
    throw error;
  }
}

/** A name for a file that is set aside; one that was set aside before is kept. */
function freeName(folder: string, file: string): string {
  for (let number = 1; ; number++) {
    const name = `${file}.moved${number === 1 ? "" : `-${number}`}`;
    if (!existsSync(join(folder, ".zandrel", name))) return name;
  }
}

/** A file that is not there: nothing in it. */
const emptySql: Pick<Sql, "all" | "rows"> = {
  all: <R>() => [{ number: 0 }] as R[],
  rows: () => [],
};

/** Copies everything that is kept in a shared database into files of the workspace, all of it or nothing; the database keeps it too. */
export function copyFromShared(folder: string, address: string): { readonly rows: number } {
  let rows = 0;
  const made: string[] = [];
  try {
    for (const kept of KEPT) {
      const path = join(folder, ".zandrel", kept.file);
      const shown = `.zandrel/${kept.file}`;
      if (existsSync(path)) throw new Failure("journal-not-empty", { place: shown });
      made.push(path);
      const from = postgresSql(address, kept.postgres);
      const to = sqliteSql(path, kept.sqlite);
      try {
        rows += transaction(to, () => copy(from, to, kept, shown));
      } finally {
        from.close();
        to.close();
      }
    }
  } catch (error) {
    for (const path of made) for (const ending of ["", "-wal", "-shm"]) rmSync(`${path}${ending}`, { force: true });
    throw error;
  }
  return { rows };
}
