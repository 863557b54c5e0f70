import { existsSync, mkdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { Failure } from "../../core/failure.ts";
import { replaceFile } from "../../workspace/index.ts";

/** Writes the files of a dossier into a folder; a file there that does not hold the mark of a dossier is kept. */
export function writeFiles(
  folder: string,
  files: readonly { readonly name: string; readonly text: string }[],
  mark: string,
  force: boolean,
): string[] {
  const paths = files.map(({ name }) => join(folder, name));
  const foreign = paths.find((path) => existsSync(path) && !readFileSync(path, "utf8").includes(mark));
  if (foreign !== undefined && !force) throw new Failure("file-there", { path: foreign, what: "dossier" });
  mkdirSync(folder, { recursive: true });
  for (const [i, path] of paths.entries()) replaceFile(path, (files[i] as { text: string }).text);
  return paths;
}
