import { mkdirSync } from "node:fs";
import { createRequire } from "node:module";
import { dirname } from "node:path";
import type Database from "libsql";
import { Failure } from "../core/failure.ts";

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
}

/** The native package, loaded when a database is first opened: most commands never need it. */
const native = (): typeof Database => createRequire(import.meta.url)("libsql");

/** Opens a SQLite file in WAL mode, creating it where there is none. Another process may have it open at the same time. */
export function openDatabase(path: string, { title, format, synchronous, schema }: DatabaseForm): Database.Database {
  mkdirSync(dirname(path), { recursive: true });
  try {
    const database = new (native())(path, { timeout: 10_000 } as Database.Options);
    database.exec("PRAGMA busy_timeout = 10000");
    database.exec("PRAGMA journal_mode = WAL");
    database.exec(`PRAGMA synchronous = ${synchronous}`);
    const version = Number((database.prepare("PRAGMA user_version").get() as { user_version: number }).user_version);
    if (version > format) throw new Failure("newer-database", { path, title, version });
    if (version < format) database.exec(`BEGIN IMMEDIATE; ${schema} PRAGMA user_version = ${format}; COMMIT;`);
    return database;
  } catch (error) {
    if (error instanceof Failure) throw error;
    throw new Failure("database-broken", { path, title, because: (error as Error).message });
  }
}
