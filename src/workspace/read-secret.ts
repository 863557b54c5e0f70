import { resolve } from "node:path";
import type { Clause } from "../core/clause/index.ts";
import { Failure } from "../core/failure.ts";
import { rememberSecret } from "../secrets.ts";
import { readText } from "./files.ts";

/**
 * Fetches a secret from where the workspace says it is kept: `env:NAME` or `file:PATH`. It is only ever
 * handed on to the code that uses it.
 *
 * @param what names its use in the error, such as “the TSIG key of Nettlehost”
 */
export function readSecret(
  reference: string,
  what: Clause,
  folder: string,
  env: Readonly<Record<string, string | undefined>>,
): string {
  if (reference.startsWith("env:")) {
    const name = reference.slice(4);
    const value = env[name]?.trim();
    if (value === undefined || value === "") throw new Failure("variable-not-set", { name, what });
    rememberSecret(value);
    return value;
  }
  const value = readText(resolve(folder, reference.slice(5))).trim();
  if (value === "") throw new Failure("secret-empty", { path: reference.slice(5), what });
  rememberSecret(value);
  return value;
}
