import { existsSync, rmSync } from "node:fs";
import { basename, isAbsolute, join, relative, resolve } from "node:path";
import { Failure } from "../core/failure.ts";
import { createFile, readText, replaceFile } from "./files.ts";
import type { Waiting } from "./lock.ts";
import { lockWorkspace } from "./workspace.ts";

/** A place that is ready for a secret, before there is one, so that a secret that is shown once cannot be lost. */
export interface SecretPlace {
  /** How zandrel.yaml refers to it. */
  readonly reference: string;
  /** What people call it. */
  readonly title: string;
  /** Puts the secret there, and settings beside it where the place has room for them; all is on the disk when this returns. */
  keep(secret: string, settings?: Readonly<Record<string, string>>): void | Promise<void>;
  /** Gives the place up; nothing stays behind. */
  discard(): void | Promise<void>;
}

/**
 * Makes a file of its own for a secret, mode 0600, which must not be there yet. A relative path lies in the workspace.
 * It is there, empty, before the secret is.
 */
export function secretFile(folder: string, path: string): SecretPlace {
  const full = resolve(folder, path);
  const near = relative(folder, full);
  createFile(full, "", { what: "secret", mode: 0o600 });
  return {
    reference: `file:${near.startsWith("..") || isAbsolute(near) ? full : near}`,
    title: path,
    keep: (secret) => replaceFile(full, `${secret}\n`, { mode: 0o600 }),
    discard: () => rmSync(full, { force: true }),
  };
}

/** A value in single quotes, as shells and readers of environment files understand it. */
const quoted = (value: string): string => `'${value.replaceAll("'", "'\\''")}'`;

/**
 * A line NAME=SECRET in an environment file, which gets mode 0600, and lines for settings that go with it; other
 * lines stay, also those that another process writes at the same time. A name that has a value there already is refused, or replaced where `replace` says so.
 *
 * @param settings names of the variables that will stand beside the secret
 */
export async function secretVariable(
  folder: string,
  path: string,
  name: string,
  waiting: Waiting,
  { settings = [], replace = false }: { readonly settings?: readonly string[]; readonly replace?: boolean } = {},
): Promise<SecretPlace> {
  const full = resolve(folder, path);
  const lines = (): string[] => {
    const text = existsSync(full) ? readText(full).replace(/\n$/, "") : "";
    return text === "" ? [] : text.split("\n");
  };
  const write = (text: readonly string[]): void =>
    replaceFile(full, text.length === 0 ? "" : `${text.join("\n")}\n`, { mode: 0o600 });
  const placeOf = (all: readonly string[], key: string): number =>
    all.findIndex((line) => new RegExp(`^\\s*(export\\s+)?${key}\\s*=`).test(line));
  const keys = [name, ...settings];
  const { had, before } = await lockWorkspace(folder, waiting, () => {
    const before = lines();
    for (const key of keys) {
      const value = before[placeOf(before, key)]?.replace(/^[^=]*=/, "").trim();
      if (value !== undefined && !/^(''|"")?$/.test(value) && !replace) throw new Failure("variable-there", { path, name: key });
    }
    const had = existsSync(full);
    // Written once as it is: what cannot be written is known before the secret is.
    write(before);
    return { had, before };
  });
  return {
    reference: `env:${name}`,
    title: `${name} in ${path}`,
    keep: (secret, beside = {}) =>
      lockWorkspace(folder, waiting, () => {
        const after = lines();
        for (const [key, value] of Object.entries({ ...beside, [name]: secret })) {
          const at = placeOf(after, key);
          const exported = /^\s*export\s/.test(after[at] ?? "") ? "export " : "";
          after[at === -1 ? after.length : at] = `${exported}${key}=${quoted(value)}`;
        }
        write(after);
      }),
    discard: () =>
      lockWorkspace(folder, waiting, () => {
        // Only our own lines become what they were: others may have been written since.
        const after = lines();
        for (const key of keys) {
          const [at, old] = [placeOf(after, key), before[placeOf(before, key)]];
          if (at !== -1) after.splice(at, 1, ...(old === undefined ? [] : [old]));
        }
        if (!had && after.length === 0) rmSync(full, { force: true });
        else write(after);
      }),
  };
}

/** Adds a file of the workspace to its `.gitignore`, where no line names it yet. Gives back whether it did. */
export function ignoreInGit(folder: string, path: string): boolean {
  const near = relative(folder, resolve(folder, path));
  if (near.startsWith("..") || isAbsolute(near)) return false;
  const file = join(folder, ".gitignore");
  const text = existsSync(file) ? readText(file) : "";
  const named = text.split("\n").some((line) => [near, `/${near}`, basename(near)].includes(line.trim()));
  if (named) return false;
  replaceFile(file, `${text}${text === "" || text.endsWith("\n") ? "" : "\n"}/${near}\n`);
  return true;
}
