import { randomBytes } from "node:crypto";
import {
  chmodSync,
  closeSync,
  constants,
  existsSync,
  fchmodSync,
  fchownSync,
  fstatSync,
  fsyncSync,
  linkSync,
  lstatSync,
  mkdirSync,
  openSync,
  readdirSync,
  readSync,
  realpathSync,
  renameSync,
  rmSync,
  type Stats,
  statSync,
} from "node:fs";
import { basename, dirname, join } from "node:path";
import { decodeText } from "../core/encoding.ts";
import { Failure } from "../core/failure.ts";
import { writeAll } from "../write-all.ts";

/** What kept a file from being read or written, as the sentence about it names it. */
const whyOf = (error: unknown): string => (error as NodeJS.ErrnoException).code ?? (error as Error).message;

/**
 * Opens a regular file for reading. A pipe, a device or a socket is refused and never waited for: who opens a pipe
 * for reading hangs until somebody writes into it.
 */
export function openRegular(path: string): { readonly file: number; readonly stat: Stats } {
  let file: number;
  try {
    file = openSync(path, constants.O_RDONLY | constants.O_NONBLOCK);
  } catch (error) {
    const why = whyOf(error);
    throw new Failure("file-unreadable", { path, why: why === "ENXIO" ? "special" : why });
  }
  const stat = fstatSync(file);
  if (stat.isFile()) return { file, stat };
  closeSync(file);
  throw new Failure("file-unreadable", { path, why: stat.isDirectory() ? "EISDIR" : "special" });
}

/** Reads a regular file as octets, or says in one sentence why not; one that is larger than `most` octets is not read at all. */
function readOctets(path: string, most: number): Buffer {
  const { file, stat } = openRegular(path);
  try {
    if (stat.size > most) throw new Failure("file-too-large", { path, octets: most });
    const chunks: Buffer[] = [];
    for (let length = 0; ; ) {
      const chunk = Buffer.allocUnsafe(Math.max(4096, Math.min(stat.size - length + 1, 1 << 22)));
      const count = readSync(file, chunk, 0, chunk.length, null);
      if (count === 0) return Buffer.concat(chunks, length);
      length += count;
      // A file may grow while it is read.
      if (length > most) throw new Failure("file-too-large", { path, octets: most });
      chunks.push(chunk.subarray(0, count));
    }
  } catch (error) {
    throw error instanceof Failure ? error : new Failure("file-unreadable", { path, why: whyOf(error) });
  } finally {
    closeSync(file);
  }
}

/** The first octets of a regular file, by which it is told what it is. */
export function beginningOf(path: string, octets: number): Buffer {
  const { file } = openRegular(path);
  try {
    const start = Buffer.alloc(octets);
    return start.subarray(0, readSync(file, start, 0, octets, 0));
  } finally {
    closeSync(file);
  }
}

/** Nothing that people edit by hand is larger; a larger file is the wrong one. */
const MAX_OCTETS = 256 << 20;

/**
 * Reads a regular file as text, or says in one sentence why not; one that is larger than `most` octets is not read at all. What
 * other programs write is read `as-saved`, in the encoding it shows.
 */
export function readText(path: string, encoding: "utf8" | "latin1" | "as-saved" = "utf8", most = MAX_OCTETS): string {
  const octets = readOctets(path, most);
  return encoding === "as-saved" ? decodeText(octets) : octets.toString(encoding);
}

/** Makes a folder and those above it that are missing, for this user alone whatever the umask. */
export function makeFolder(path: string): void {
  if (existsSync(path)) return;
  makeFolder(dirname(path));
  try {
    mkdirSync(path, { mode: 0o700 });
    chmodSync(path, 0o700);
  } catch (error) {
    // Another process may have made it a moment ago.
    if (whyOf(error) !== "EEXIST") throw error;
  }
}

/**
 * Writes a file beside `path`, under a name that nobody can guess and that nothing has, with all octets on the
 * disk, has `place` bring it to its name, and makes that last. What can fail is done before `place`: once the name
 * stands for the new octets nothing says that it does not.
 */
function placeFile(
  path: string,
  octets: Uint8Array,
  place: (temporary: string) => void,
  {
    mode,
    old,
    isOurs = false,
  }: { readonly mode?: number | undefined; readonly old?: Stats | undefined; readonly isOurs?: boolean },
): void {
  const folder = dirname(path);
  const temporary = join(folder, `.${basename(path).slice(0, 100)}.${randomBytes(9).toString("hex")}.tmp`);
  const directory = openSync(folder, "r");
  try {
    // Nobody else may read it before it has its owner; a new one has the mode that the umask leaves, and is never writable by others.
    const file = openSync(temporary, "wx", mode === undefined && old === undefined ? 0o644 : 0o600);
    try {
      const own = fstatSync(file);
      if (old !== undefined && (own.uid !== old.uid || own.gid !== old.gid)) fchownSync(file, old.uid, old.gid);
      const wanted = mode ?? (old === undefined ? undefined : old.mode & (isOurs ? 0o7755 : 0o7777));
      if (wanted !== undefined) fchmodSync(file, wanted);
      writeAll(file, octets);
      fsyncSync(file);
    } finally {
      closeSync(file);
    }
    place(temporary);
    try {
      fsyncSync(directory);
    } catch {
      // Some file systems make names last by themselves and refuse this.
    }
  } finally {
    closeSync(directory);
    rmSync(temporary, { force: true });
  }
}

/** Gives a file a name that nothing has; where the file system knows no second names, by way of an empty file there. */
function linkNew(temporary: string, path: string): void {
  try {
    linkSync(temporary, path);
  } catch (error) {
    if (!["EPERM", "ENOTSUP", "EOPNOTSUPP", "ENOSYS", "EMLINK"].includes(whyOf(error))) throw error;
    closeSync(openSync(path, "wx", 0o600));
    renameSync(temporary, path);
  }
}

/** How a file is written: what text becomes octets by, and its mode where it is not to stay (or, if new, to be the usual one). */
interface WriteOptions {
  readonly encoding?: "utf8" | "latin1";
  readonly mode?: number;
  /** Whether it is a file of the workspace: one that names programs which are run is never writable by others. */
  readonly isOurs?: boolean;
}

/**
 * Replaces a file in one step: a reader sees the old text or the new one, never a part, and the new one is
 * on the disk before the old one goes. Where that fails the old file stands untouched. Owner, group and mode stay;
 * of a link its target is replaced.
 */
export function replaceFile(path: string, text: string, { encoding = "utf8", mode, isOurs = false }: WriteOptions = {}): void {
  try {
    makeFolder(dirname(path));
    // A link that leads nowhere fails here: what it names is not for us to make.
    const target = lstatSync(path, { throwIfNoEntry: false }) === undefined ? path : realpathSync(path);
    const old = statSync(target, { throwIfNoEntry: false });
    if (old !== undefined && !old.isFile()) throw new Failure("cannot-write", { path, why: "special" });
    placeFile(target, Buffer.from(text, encoding), (temporary) => renameSync(temporary, target), { mode, old, isOurs });
  } catch (error) {
    throw error instanceof Failure ? error : new Failure("cannot-write", { path, why: whyOf(error) });
  }
}

/**
 * Makes a file that must not be there yet, in one step: it appears with all its octets or not at all. A link of
 * that name counts as there.
 */
export function createFile(path: string, text: string, { what, mode }: { what: "key" | "secret"; mode: number }): void {
  try {
    makeFolder(dirname(path));
    placeFile(path, Buffer.from(text), (temporary) => linkNew(temporary, path), { mode });
  } catch (error) {
    if (error instanceof Failure) throw error;
    throw whyOf(error) === "EEXIST"
      ? new Failure("file-there", { path, what })
      : new Failure("cannot-write", { path, why: whyOf(error) });
  }
}

/** The names of the files in a folder with an ending, in order; none where there is no folder. */
export function filesIn(folder: string, ending: string): string[] {
  if (!existsSync(folder)) return [];
  return readdirSync(folder)
    .filter((file) => file.endsWith(ending) && !file.startsWith("."))
    .sort();
}
