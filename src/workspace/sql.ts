import type Database from "libsql";
import { type DatabaseForm, openDatabase } from "./database.ts";

/** Values that statements take and rows bring. */
type Value = string | number | null;

/** A database of the workspace, whichever it is; questions are answered before the call returns. */
export interface Sql {
  readonly isPostgres: boolean;
  /** The rows of a statement, as objects by the names of their columns. */
  all<R>(statement: string, ...values: Value[]): R[];
  /** Runs a statement; how many rows it changed. */
  run(statement: string, ...values: Value[]): number;
  /** The rows of a statement as lists, one by one where that saves memory. */
  rows<R extends readonly unknown[]>(statement: string, ...values: Value[]): Iterable<R>;
  /** Begins a transaction in which nobody else writes. */
  begin(): void;
  commit(): void;
  /** Takes back what was begun, where anything was. */
  rollback(): void;
  close(): void;
}

/** Runs `work` as a whole or not at all, while nobody else writes. */
export function transaction<T>(sql: Sql, work: () => T): T {
  sql.begin();
  try {
    const result = work();
    sql.commit();
    return result;
  } catch (error) {
    sql.rollback();
    throw error;
  }
}

/** A SQLite file as {@link Sql}. */
export function sqliteSql(path: string, form: DatabaseForm): Sql {
  const database = openDatabase(path, form);
  const prepared = new Map<string, Database.Statement>();
  const statement = (text: string): Database.Statement => {
    let known = prepared.get(text);
    if (known === undefined) prepared.set(text, (known = database.prepare(text)));
    return known;
  };
  return {
    isPostgres: false,
    all: <R>(text: string, ...values: Value[]) => statement(text).all(...values) as R[],
    run: (text, ...values) => Number(statement(text).run(...values).changes),
    // A statement that hands over its rows one by one is not used for anything else meanwhile.
    rows: <R extends readonly unknown[]>(text: string, ...values: Value[]) =>
      database
        .prepare(text)
        .raw(true)
        .iterate(...values) as unknown as Iterable<R>,
    begin: () => void database.exec("BEGIN IMMEDIATE"),
    commit: () => void database.exec("COMMIT"),
    rollback: () => void (database.inTransaction && database.exec("ROLLBACK")),
    close: () => void database.close(),
  };
}
