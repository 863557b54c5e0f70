import { closeSync, existsSync, fchmodSync, lstatSync, openSync, realpathSync } from "node:fs";
import { basename, dirname, join } from "node:path";
import { setTimeout as sleep } from "node:timers/promises";
import { type Clause, clause } from "../core/clause/index.ts";
import { Failure } from "../core/failure.ts";
import { failureOf, nativeDatabase } from "./database.ts";
import { makeFolder } from "./files.ts";

/** How often a waiting process looks whether it is its turn, and after how long it says that it waits (milliseconds). */
const PERIOD = 25;
const PATIENCE = 1000;

/** How a process says that it waits for another one. */
export interface Waiting {
  tell(said: Clause): Promise<void>;
}

/** How it says so where it can do nothing else until then. */
export interface Preparing {
  /** Gets something ready that can be said at once later, where nothing else happens until then. */
  prepare(said: Clause): Promise<() => void>;
}

/**
 * Runs `work` while no other Zandrel process does anything under the same lock. The lock is held by the operating
 * system for this process, through an empty SQLite file: it ends with the process however that ends, so that no
 * lock is ever left over and none has to be broken, and a process number that is used again means nothing.
 * Whoever waits says so after a second.
 *
 * @param path of the lock's file, which stays
 * @param what is written to under the lock, as the sentence names it
 */
export async function withLock<T>(path: string, what: string, { tell }: Waiting, work: () => T | Promise<T>): Promise<T> {
  prepare(path);
  const database = new (nativeDatabase())(path, { timeout: 0 } as import("libsql").Options);
  try {
    const since = performance.now();
    for (let said = false; ; ) {
      try {
        database.exec("PRAGMA busy_timeout = 0");
        database.exec("BEGIN EXCLUSIVE");
        break;
      } catch (error) {
        if ((error as { code?: string }).code !== "SQLITE_BUSY") throw failureOf(error, path, { title: what, holds: "nothing" });
      }
      if (!said && performance.now() - since > PATIENCE) {
        await tell(clause("told-lock", { what }));
        said = true;
      }
      await sleep(PERIOD);
    }
    return await work();
  } finally {
    database.close();
  }
}

/** Makes the lock's file where there is none, for this user alone; a link in its place is not followed. */
function prepare(path: string): void {
  try {
    makeFolder(dirname(path));
    const there = lstatSync(path, { throwIfNoEntry: false });
    if (there?.isFile() === true) return;
    if (there !== undefined) throw new Failure("cannot-write", { path, why: "special" });
    const file = openSync(path, "wx", 0o600);
    fchmodSync(file, 0o600);
    closeSync(file);
  } catch (error) {
    const why = (error as NodeJS.ErrnoException).code ?? "";
    // Another process made it a moment ago.
    if (why !== "EEXIST") throw error instanceof Failure ? error : new Failure("cannot-write", { path, why });
  }
}

/** The lock of a file that more than one workspace may write to lies beside it, and beside its target where it is a link. */
export function lockBeside(path: string): string {
  const target = existsSync(path) ? realpathSync(path) : path;
  return join(dirname(target), `.${basename(target)}.lock`);
}
