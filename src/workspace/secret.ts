import { resolve } from "node:path";
import { UserError } from "../core/user-error.ts";
import { readText } from "./files.ts";

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
    if (value === undefined || value === "")
      throw new UserError(`the environment variable ${name}, which holds ${what}, is not set: set it and run the command again.`);
    return value;
  }
  const value = readText(resolve(folder, reference.slice(5))).trim();
  if (value === "") throw new UserError(`${reference.slice(5)}, which holds ${what}, is empty: put the secret into it.`);
  return value;
}
