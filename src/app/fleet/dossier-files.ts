import { existsSync, mkdirSync } from "node:fs";
import { join } from "node:path";
import { Failure } from "../../core/failure.ts";
import { readText, replaceFile } from "../../workspace/index.ts";

/** Writes the files of a dossier into a folder; a file there that does not hold the mark of a dossier is kept. */
export function writeFiles(
  folder: string,
  files: readonly { readonly name: string; readonly text: string }[],
  mark: string,
  force: boolean,
): string[] {
  const paths = files.map(({ name }) => join(folder, name));
  const foreign = paths.find((path) => existsSync(path) && !readText(path).includes(mark));
  if (foreign !== undefined && !force) throw new Failure("file-there", { path: foreign, what: "dossier" });
  mkdirSync(folder, { recursive: true });
  // The index, which names the others, comes last.
  for (const [i, path] of [...paths.entries()].reverse()) replaceFile(path, (files[i] as { text: string }).text);
  return paths;
}
