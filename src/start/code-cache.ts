import { createHash } from "node:crypto";
import { existsSync, mkdirSync, readdirSync, readFileSync, renameSync, rmSync, statSync, writeFileSync } from "node:fs";
import { homedir } from "node:os";
import { dirname, isAbsolute, join } from "node:path";

/**
 * The code that V8 made of the program's files, kept from one run to the next, so that nothing is compiled twice.
 * It is an aid alone: where it cannot be kept or read, the program runs all the same.
 */
export interface CodeCache {
  /** The code kept for a file, or undefined where none is kept or it is damaged. */
  read(name: string): Buffer | undefined;
  /** Keeps the code of a file; a disk that takes none is not a reason to fail. */
  write(name: string, code: Buffer): void;
}

const DIGEST_OCTETS = 32;
const KEPT_BUILDS = 3;

const digestOf = (code: Buffer): Buffer => createHash("sha256").update(code).digest();

/** Where a user's caches are: XDG_CACHE_HOME, or .cache in the home folder (XDG Base Directory Specification). */
const cacheHome = (env: NodeJS.ProcessEnv): string => {
  const named = env.XDG_CACHE_HOME;
  return named !== undefined && isAbsolute(named) ? named : join(env.HOME ?? homedir(), ".cache");
};

const belongsToUs = (path: string): boolean => process.getuid === undefined || statSync(path).uid === process.getuid();

/** Whether nobody but this user can change what is in the folder of a build: code from it is run. */
const isOurs = (folder: string): boolean =>
  process.getuid === undefined ||
  [dirname(folder), folder].every((path) => belongsToUs(path) && (statSync(path).mode & 0o022) === 0);

/** Removes the code of all but the last builds. */
function forgetOldBuilds(folder: string): void {
  const builds = readdirSync(folder)
    .map((name) => join(folder, name))
    .map((path) => ({ path, stat: statSync(path) }))
    .filter(({ stat }) => stat.isDirectory());
  builds.sort((a, b) => b.stat.mtimeMs - a.stat.mtimeMs);
  for (const { path } of builds.slice(KEPT_BUILDS)) rmSync(path, { recursive: true });
}

/** Makes the folder of a build, if the folder above it is this user's. */
function makeFolder(folder: string, home: string): void {
  // Somebody who runs as another user in this home leaves nothing there that its owner could not remove.
  if (!belongsToUs(existsSync(home) ? home : dirname(home))) return;
  if (mkdirSync(folder, { recursive: true, mode: 0o700 }) !== undefined) forgetOldBuilds(dirname(folder));
}

/** The code kept for one build of the program, for this version of V8 and this kind of processor. */
export function openCodeCache(build: string, env: NodeJS.ProcessEnv): CodeCache {
  const home = cacheHome(env);
  const folder = join(home, "zandrel", `${build}-${process.versions.v8}-${process.arch}`);
  let usable = false;
  try {
    usable = isOurs(folder);
  } catch {
    // Nothing is kept yet.
  }
  return {
    read(name) {
      if (!usable) return undefined;
      try {
        const kept = readFileSync(join(folder, name));
        const code = kept.subarray(DIGEST_OCTETS);
        return digestOf(code).equals(kept.subarray(0, DIGEST_OCTETS)) ? code : undefined;
      } catch {
        return undefined;
      }
    },
    write(name, code) {
      const whole = join(folder, name);
      const part = `${whole}.${process.pid}`;
      try {
        makeFolder(folder, home);
        if (!isOurs(folder)) return;
        writeFileSync(part, Buffer.concat([digestOf(code), code]), { mode: 0o600 });
        renameSync(part, whole);
      } catch {
        try {
          rmSync(part, { force: true });
        } catch {
          // Nothing could be written at all.
        }
      }
    },
  };
}
