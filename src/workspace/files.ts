import {
  closeSync,
  existsSync,
  fsyncSync,
  mkdirSync,
  openSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  statSync,
  writeSync,
} from "node:fs";
import { basename, dirname, join } from "node:path";
import { Failure } from "../core/failure.ts";

/** Reads a file as text, or says in one sentence why not; one that is larger than `most` octets is not read at all. */
export function readText(path: string, encoding: "utf8" | "latin1" = "utf8", most = Number.POSITIVE_INFINITY): string {
  const size = statSync(path, { throwIfNoEntry: false })?.size ?? 0;
  if (size > most) throw new Failure("file-too-large", { path, octets: most });
  try {
    return readFileSync(path, encoding);
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException;
    throw new Failure("file-unreadable", { path, why: code ?? "" });
  }
}

/**
 * Replaces a file in one step: anyone who reads it sees the old text or the new one, never a part, and the new
 * one is on the disk before the old one goes.
 */
export function writeAtomically(
  path: string,
  text: string,
  { encoding = "utf8", mode }: { encoding?: "utf8" | "latin1"; mode?: number } = {},
): void {
  const folder = dirname(path);
  const temporary = join(folder, `.${basename(path)}.${process.pid}.tmp`);
  try {
    mkdirSync(folder, { recursive: true });
    const kept = mode ?? (existsSync(path) ? statSync(path).mode & 0o777 : 0o644);
    const file = openSync(temporary, "w", kept);
    try {
      writeSync(file, Buffer.from(text, encoding));
      fsyncSync(file);
    } finally {
      closeSync(file);
    }
    renameSync(temporary, path);
    const directory = openSync(folder, "r");
    try {
      fsyncSync(directory);
    } finally {
      closeSync(directory);
    }
  } catch (error) {
    if (existsSync(temporary)) rmSync(temporary);
    throw new Failure("cannot-write", { path, why: (error as NodeJS.ErrnoException).code ?? "" });
  }
}

/** The names of the files in a folder with an ending, in order; none where there is no folder. */
export function filesIn(folder: string, ending: string): string[] {
  if (!existsSync(folder)) return [];
  return readdirSync(folder)
    .filter((file) => file.endsWith(ending) && !file.startsWith("."))
    .sort();
}
