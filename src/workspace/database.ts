import { closeSync, existsSync, fchmodSync, openSync } from "node:fs";
import { createRequire } from "node:module";
import { dirname } from "node:path";
import type Database from "libsql";
import { Failure } from "../core/failure.ts";
import { makeFolder } from "./files.ts";

/** What a SQLite file of the workspace is. */
export interface DatabaseForm {
  /** What people call it: “the journal”. */
  readonly title: string;
  /** Number of this form; a file with a higher one was written by a newer Zandrel. */
  readonly format: number;
  /** FULL: what is kept is on the disk. NORMAL: a power cut may cost the last entries, never the file. */
  readonly synchronous: "FULL" | "NORMAL";
  /** Statements that bring an older file, or an empty one, into this form. */
  readonly schema: string;
  /** What is gone where the file is set aside and a new one begins, as a clause. */
  readonly holds: string;
}

/** What a file says to whoever writes to it after everything in it was moved to a shared database. */
export const MOVED = "this was moved to a shared database";

/** The native package, loaded when a database is first opened: most commands never need it. */
export const nativeDatabase = (): typeof Database => createRequire(import.meta.url)("libsql");

/** What SQLite says of the file itself or of the disk below it, as one failure; anything else is a defect and passes. */
export function failureOf(error: unknown, path: string, { title, holds }: Pick<DatabaseForm, "title" | "holds">): unknown {
  const { code, message } = error as { code?: string; message: string };
  if (error instanceof Failure || code === undefined || !code.startsWith("SQLITE_")) return error;
  if (message.includes(MOVED)) return new Failure("journal-moved", { title });
  if (/^SQLITE_(BUSY|LOCKED)/.test(code)) return new Failure("database-busy", { path, title });
  if (/^SQLITE_FULL|^SQLITE_IOERR_WRITE/.test(code)) return new Failure("cannot-write", { path, why: "ENOSPC" });
  if (/^SQLITE_(READONLY|CANTOPEN|PERM|IOERR)/.test(code)) return new Failure("cannot-write", { path, why: message });
  if (/^SQLITE_(CORRUPT|NOTADB)/.test(code) || /no such (table|column)|malformed|not a database/.test(message))
    return new Failure("database-broken", { path, title, holds, because: message });
  return error;
}

/** Makes every call of a database and its statements fail by {@link failureOf}. */
function guarded(database: Database.Database, path: string, form: DatabaseForm): Database.Database {
  const guard = <A extends unknown[], R>(call: (...given: A) => R) => {
    return (...given: A): R => {
      try {
        return call(...given);
      } catch (error) {
        throw failureOf(error, path, form);
      }
    };
  };
  const prepare = guard(database.prepare.bind(database));
  database.exec = guard(database.exec.bind(database));
  database.prepare = ((sql: string) => {
    const statement = prepare(sql);
    for (const call of ["run", "get", "all"] as const) statement[call] = guard(statement[call].bind(statement)) as never;
    const iterate = statement.iterate.bind(statement);
    statement.iterate = function* (...given: unknown[]) {
      try {
        yield* iterate(...given);
      } catch (error) {
        throw failureOf(error, path, form);
      }
    };
    return statement;
  }) as typeof database.prepare;
  return database;
}

/** Opens a SQLite file in WAL mode, creating it where there is none. Another process may have it open at the same time. */
export function openDatabase(path: string, form: DatabaseForm): Database.Database {
  const { title, format, synchronous, schema } = form;
  try {
    makeFolder(dirname(path));
    if (!existsSync(path)) {
      // SQLite would make it readable for everybody; its companions take the mode of the file itself.
      const file = openSync(path, "a", 0o600);
      fchmodSync(file, 0o600);
      closeSync(file);
    }
    const database = guarded(new (nativeDatabase())(path, { timeout: 30_000 } as Database.Options), path, form);
    database.exec("PRAGMA busy_timeout = 30000");
    database.exec("PRAGMA journal_mode = WAL");
    database.exec(`PRAGMA synchronous = ${synchronous}`);
    const versionNow = () => Number((database.prepare("PRAGMA user_version").get() as { user_version: number }).user_version);
    const version = versionNow();
    if (version > format) throw new Failure("newer-database", { path, title, version });
    if (version < format) {
      database.exec("BEGIN IMMEDIATE");
      // Another process may have brought it into this form while this one waited for its turn.
      if (versionNow() < format) database.exec(`${schema} PRAGMA user_version = ${format};`);
      database.exec("COMMIT");
    }
    return database;
  } catch (error) {
    const failure = failureOf(error, path, form);
    if (failure instanceof Failure) throw failure;
    throw new Failure("cannot-write", { path, why: (error as NodeJS.ErrnoException).code || (error as Error).message });
  }
}
