import { closeSync, existsSync, fsyncSync, mkdirSync, openSync, readFileSync, rmSync, writeSync } from "node:fs";
import { dirname, isAbsolute, relative, resolve } from "node:path";
import { Failure } from "../core/failure.ts";
import { readText, writeAtomically } from "./files.ts";

/**
 * Fetches a secret from where the workspace says it is kept: `env:NAME` or `file:PATH`. It is only ever
 * handed on to the code that uses it.
 *
 * @param what names its use in the error, such as “the TSIG key of Nettlehost”
 */
export function readSecret(
  reference: string,
  what: string,
  folder: string,
  env: Readonly<Record<string, string | undefined>>,
): string {
  if (reference.startsWith("env:")) {
    const name = reference.slice(4);
    const value = env[name]?.trim();
    if (value === undefined || value === "") throw new Failure("variable-not-set", { name, what });
    return value;
  }
  const value = readText(resolve(folder, reference.slice(5))).trim();
  if (value === "") throw new Failure("secret-empty", { path: reference.slice(5), what });
  return value;
}

/** A place that is ready for a secret, before there is one, so that a secret that is shown once cannot be lost. */
export interface SecretPlace {
  /** How zandrel.yaml refers to it. */
  readonly reference: string;
  /** What people call it. */
  readonly title: string;
  /** Puts the secret there; it is on the disk when this returns. */
  keep(secret: string): void;
  /** Gives the place up; nothing stays behind. */
  discard(): void;
}

const unwritable = (path: string, error: unknown): Failure => {
  const { code } = error as NodeJS.ErrnoException;
  return code === "EEXIST"
    ? new Failure("file-there", { path, what: "secret" })
    : new Failure("cannot-write", { path, why: code ?? "" });
};

/** Makes a file of its own for a secret, mode 0600, which must not be there yet. A relative path lies in the workspace. */
export function secretFile(folder: string, path: string): SecretPlace {
  const full = resolve(folder, path);
  const near = relative(folder, full);
  let file: number;
  try {
    mkdirSync(dirname(full), { recursive: true, mode: 0o700 });
    file = openSync(full, "wx", 0o600);
  } catch (error) {
    throw unwritable(path, error);
  }
  let open = true;
  return {
    reference: `file:${near.startsWith("..") || isAbsolute(near) ? full : near}`,
    title: path,
    keep(secret) {
      try {
        writeSync(file, `${secret}\n`);
        fsyncSync(file);
        closeSync(file);
        open = false;
      } catch (error) {
        throw unwritable(path, error);
      }
    },
    discard() {
      if (open) closeSync(file);
      open = false;
      rmSync(full, { force: true });
    },
  };
}

/** A line NAME=SECRET in an environment file, which gets mode 0600; other lines stay, one of the same name is replaced. */
export function secretVariable(folder: string, path: string, name: string): SecretPlace {
  const full = resolve(folder, path);
  const lines = (): string[] => {
    const text = existsSync(full) ? readFileSync(full, "utf8").replace(/\n$/, "") : "";
    return text === "" ? [] : text.split("\n");
  };
  const write = (text: readonly string[]): void =>
    writeAtomically(full, text.length === 0 ? "" : `${text.join("\n")}\n`, { mode: 0o600 });
  const had = existsSync(full);
  // Written once as it is: what cannot be written is known before the secret is.
  const untouched = lines();
  write(untouched);
  return {
    reference: `env:${name}`,
    title: `${name} in ${path}`,
    keep(secret) {
      const own = new RegExp(`^\\s*(export\\s+)?${name}=`);
      const line = `${name}='${secret.replaceAll("'", "'\\''")}'`;
      const before = lines();
      const at = before.findIndex((one) => own.test(one));
      write(at === -1 ? [...before, line] : before.map((one, i) => (i === at ? line : one)));
    },
    discard() {
      if (had) write(untouched);
      else rmSync(full, { force: true });
    },
  };
}
