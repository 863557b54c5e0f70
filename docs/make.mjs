// Writes what the documents take from the program: JSON schemas, the reference, the man page, the findings, the link's contract.
// `npm run docs`; tests/docs.test.ts fails where a file differs from what this would write.
import { mkdirSync, writeFileSync } from "node:fs";
import { dirname } from "node:path";
import { fileURLToPath } from "node:url";
import { internals } from "../internals.mjs";
import { errorsPage } from "./errors.mjs";

/** Every generated file: its path from the project's folder, and its text. */
export async function generated() {
  const { files, explainFailure } = await internals("cli/documents.ts", "present/failures/index.ts");
  return [...(await files()), ["docs/errors.md", errorsPage(explainFailure)]];
}

if (process.argv[1] === fileURLToPath(import.meta.url))
  for (const [path, text] of await generated()) {
    const file = new URL(`../${path}`, import.meta.url);
    mkdirSync(dirname(fileURLToPath(file)), { recursive: true });
    writeFileSync(file, text);
  }
