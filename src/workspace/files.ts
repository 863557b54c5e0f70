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
import { UserError } from "../core/user-error.ts";

/** Reads a file as text, or says in one sentence why not; one that is larger than `most` octets is not read at all. */
export function readText(path: string, encoding: "utf8" | "latin1" = "utf8", most = Number.POSITIVE_INFINITY): string {
  const size = statSync(path, { throwIfNoEntry: false })?.size ?? 0;
  if (size > most) throw new UserError(`${path} is larger than ${Math.round(most / 1024)} KiB: give only the part that matters.`);
  try {
    return readFileSync(path, encoding);
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException;
    const why =
      code === "ENOENT"
        ? "is not there"
        : code === "EACCES"
          ? "may not be read"
          : code === "EISDIR"
            ? "is a folder"
            : `cannot be read (${code})`;
    throw new UserError(`${path} ${why}: check the path.`);
  }
}

/**
 * Replaces a file in one step: whoever reads it sees the old text or the new one, never a part, and the new
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
    throw new UserError(
      `${path} cannot be written (${(error as NodeJS.ErrnoException).code}): make room or allow writing there, then run the command again.`,
    );
  }
}

/** The names of the files in a folder with an ending, in order; none where there is no folder. */
export function filesIn(folder: string, ending: string): string[] {
  if (!existsSync(folder)) return [];
  return readdirSync(folder)
    .filter((file) => file.endsWith(ending) && !file.startsWith("."))
    .sort();
}
