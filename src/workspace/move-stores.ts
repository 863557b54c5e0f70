import { randomUUID } from "node:crypto";
import { existsSync, renameSync, rmSync } from "node:fs";
import { join } from "node:path";
import * as z from "zod";
import { Failure } from "../core/failure.ts";
import { type DatabaseForm, MOVED } from "./database.ts";
import { EVENTS_FORM, POSTGRES_EVENTS } from "./event-store.ts";
import { readText, replaceFile } from "./files.ts";
import { JOURNAL_FORM, POSTGRES_JOURNAL } from "./journal.ts";
import { placeOf } from "./postgres.ts";
import { type PostgresForm, postgresSql, type SharedDatabase } from "./postgres-sql.ts";
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
      failure: ["key", "from_domain", "at", "detail"],
    },
  },
];

/** What SQLite keeps beside a file while it is open, and leaves there where the process is killed. */
const SIDECARS = ["-wal", "-shm"] as const;

/** A move that is under way: written before the first row is copied, so that one that was killed is taken up by the next call. */
const movingSchema = z.object({
  version: z.literal(1),
  /** By which the copy in a shared database is known to be of this move. */
  id: z.string(),
  /** Where everything goes, as zandrel.yaml says it then. */
  to: z.string(),
  /** How many rows were copied; not there while they are. */
  rows: z.number().optional(),
});
type Moving = z.output<typeof movingSchema>;

const movingPath = (folder: string): string => join(folder, ".zandrel", "moving.json");
const keepMoving = (folder: string, moving: Moving): void =>
  replaceFile(movingPath(folder), JSON.stringify(moving), { mode: 0o600 });

/** Says that a move begins. */
export function beginMove(folder: string, to: string): Moving {
  const moving: Moving = { version: 1, id: randomUUID(), to };
  keepMoving(folder, moving);
  return moving;
}

/** Says that all of it is copied. */
export const noteCopied = (folder: string, moving: Moving, rows: number): void => keepMoving(folder, { ...moving, rows });

/** Says that a move is over. */
export const endMove = (folder: string): void => rmSync(movingPath(folder), { force: true });

/** The move that was killed, where one was. */
function brokenOff(folder: string): Moving | undefined {
  if (!existsSync(movingPath(folder))) return undefined;
  try {
    return movingSchema.parse(JSON.parse(readText(movingPath(folder))));
  } catch (error) {
    if (error instanceof Failure) throw error;
    throw new Failure("moving-broken", { path: ".zandrel/moving.json" });
  }
}

/** Refuses to move into a workspace that holds something: two journals are never mixed, and nobody's file is taken for an unfinished copy. */
export function expectNoFiles(folder: string): void {
  for (const kept of KEPT)
    if (existsSync(pathOf(folder, kept))) throw new Failure("journal-not-empty", { place: `.zandrel/${kept.file}` });
}

/**
 * Takes up a move that was killed: what was copied and is not in use yet is taken back; a move after whose end only files were to be set
 * aside is carried to it. What it has done then, where it reached the end.
 *
 * @param journal where zandrel.yaml says that everything is kept
 * @param wanted where it is to go now: a database that is to be left alone from now on need not be reached
 * @param databaseOf a shared database from what zandrel.yaml says
 */
export async function takeUpMove(
  folder: string,
  journal: string,
  wanted: string,
  databaseOf: (journal: string) => Promise<SharedDatabase>,
): Promise<{ readonly rows: number; readonly setAside: readonly string[] } | undefined> {
  const moving = brokenOff(folder);
  if (moving === undefined) return undefined;
  const { id, to, rows = 0 } = moving;
  const isThere = journal === to;
  if (!isThere && to === "here") removeFiles(folder);
  if (!isThere && to !== "here")
    try {
      takeBack(await databaseOf(to), id);
    } catch (error) {
      if (!(error instanceof Failure) || wanted === to) throw error;
    }
  const setAside = isThere && to !== "here" ? setAsideFiles(folder, heldFiles(folder)) : [];
  endMove(folder);
  return isThere ? { rows, setAside } : undefined;
}

const pathOf = (folder: string, { file }: Pick<Kept, "file">): string => join(folder, ".zandrel", file);

/** Removes the files of a workspace that does not use them. */
function removeFiles(folder: string): void {
  for (const kept of KEPT) for (const ending of ["", ...SIDECARS]) rmSync(`${pathOf(folder, kept)}${ending}`, { force: true });
}

interface OpenFile {
  readonly kept: Kept;
  readonly sql: Sql;
}

/** The files of a workspace that are there, opened so that nobody else writes to them. */
function heldFiles(folder: string): OpenFile[] {
  const files: OpenFile[] = [];
  try {
    for (const kept of KEPT)
      if (existsSync(pathOf(folder, kept))) {
        const sql = sqliteSql(pathOf(folder, kept), kept.sqlite);
        files.push({ kept, sql });
        sql.begin();
      }
    return files;
  } catch (error) {
    letGo(files);
    throw error;
  }
}

/** Lets files be written again. */
function letGo(files: readonly OpenFile[]): void {
  for (const { sql } of files) {
    sql.rollback();
    sql.close();
  }
}

/** Closes files for good, also for processes that have them open, and sets them aside; their names. */
function setAsideFiles(folder: string, files: readonly OpenFile[]): string[] {
  for (const { kept, sql } of files) {
    for (const table of Object.keys(kept.tables))
      sql.run(`CREATE TRIGGER IF NOT EXISTS ${table}_moved BEFORE INSERT ON ${table} BEGIN SELECT RAISE(ABORT, '${MOVED}'); END`);
    sql.commit();
    sql.close();
  }
  return files.map(({ kept }) => {
    const name = freeName(folder, kept.file);
    // What another process keeps beside the file as long as it has it open goes with it.
    for (const ending of ["", ...SIDECARS]) {
      const path = `${pathOf(folder, kept)}${ending}`;
      if (existsSync(path)) renameSync(path, join(folder, ".zandrel", `${name}${ending}`));
    }
    return `.zandrel/${name}`;
  });
}

/** Takes a copy in a shared database back, if it is that of this move; it was empty before. */
function takeBack(database: SharedDatabase, id: string): void {
  const opened = KEPT.map(({ postgres }) => postgresSql(database, postgres));
  const [to] = opened as [Sql];
  try {
    const [mark] = to.all<{ of: string | null }>("SELECT obj_description('entry'::regclass) AS of");
    if (mark?.of !== id) return;
    to.begin();
    for (const { tables } of KEPT) for (const table of Object.keys(tables)) to.run(`DROP TABLE ${table}`);
    to.run("DELETE FROM form");
    to.commit();
  } finally {
    for (const sql of opened) sql.close();
  }
}

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

/** Everything copied to where it goes, and not in use there yet. */
export interface Copied {
  readonly rows: number;
  /** Closes the files that it came from for good, also for processes that have them open, and sets them aside; their names. */
  finish(): string[];
  /** Takes the copy back, and lets what it came from be written again. */
  undo(): void;
}

/** Copies everything that is kept to a shared database, all of it or nothing; the copy carries the id of the move. */
export function copyToShared(folder: string, database: SharedDatabase, { id }: Moving): Copied {
  let files: readonly OpenFile[] = [];
  // Each makes its tables; one connection copies into all of them.
  const opened: Sql[] = [];
  const closeShared = (): void => {
    for (const one of opened) one.close();
  };
  try {
    for (const { postgres } of KEPT) opened.push(postgresSql(database, postgres));
    const [to] = opened as [Sql];
    // Nobody waits for the files while the database is waited for.
    files = heldFiles(folder);
    let rows = 0;
    to.begin();
    try {
      for (const kept of KEPT) {
        const from = files.find((candidate) => candidate.kept === kept)?.sql ?? emptySql;
        rows += copy(from, to, kept, placeOf(database.url));
      }
      to.run(`COMMENT ON TABLE entry IS '${id}'`);
      to.commit();
    } catch (error) {
      to.rollback();
      throw error;
    }
    return {
      rows,
      finish() {
        closeShared();
        return setAsideFiles(folder, files);
      },
      undo() {
        closeShared();
        letGo(files);
        takeBack(database, id);
      },
    };
  } catch (error) {
    letGo(files);
    closeShared();
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

/**
 * Copies everything that is kept in a shared database into files of a workspace that holds none ({@link expectNoFiles}), all of it or
 * nothing; the database keeps it too.
 */
export function copyFromShared(folder: string, database: SharedDatabase): Copied {
  // What is left beside files that are gone belongs to none that is to come.
  removeFiles(folder);
  let rows = 0;
  try {
    for (const kept of KEPT) {
      const from = postgresSql(database, kept.postgres);
      const to = sqliteSql(pathOf(folder, kept), kept.sqlite);
      try {
        rows += transaction(to, () => copy(from, to, kept, `.zandrel/${kept.file}`));
      } finally {
        from.close();
        to.close();
      }
    }
  } catch (error) {
    removeFiles(folder);
    throw error;
  }
  return { rows, finish: () => [], undo: () => removeFiles(folder) };
}
