import { existsSync } from "node:fs";
import { basename, join, resolve } from "node:path";
import { Failure } from "../core/failure.ts";
import { checkKit, type Kit, kitSchema } from "../core/kit/index.ts";
import { filesIn, readText } from "./files.ts";
import { readOwn, shownPath } from "./workspace.ts";
import { readYaml } from "./yaml-file.ts";

/** Reads a kit: by its name in the workspace's kits folder, or by its path. */
export function readKit(folder: string, from: string, nameOrPath: string): Kit {
  const inFolder = join(folder, "kits", `${nameOrPath}.yaml`);
  const own = basename(nameOrPath) === nameOrPath && existsSync(inFolder);
  const path = own ? inFolder : resolve(from, nameOrPath);
  if (!existsSync(path)) {
    throw new Failure("unknown-kit", { given: nameOrPath, known: kitNames(folder) });
  }
  const file = readYaml(shownPath(path), own ? readOwn(folder, path) : readText(path), kitSchema);
  const [mistake] = checkKit(file.value);
  if (mistake?.code === "unknown-blank")
    throw new Failure("kit-blank", { path: file.path, ask: mistake.ask, blank: mistake.blank });
  if (mistake?.code === "unknown-ask")
    throw new Failure("kit-after", { path: file.path, ask: mistake.ask, after: mistake.after });
  return file.value;
}

/** The names of the kits in the workspace's kits folder, as `--kit` takes them. */
export const kitNames = (folder: string): string[] =>
  filesIn(join(folder, "kits"), ".yaml").map((file) => file.slice(0, -".yaml".length));

/** The kits of the workspace that can be read; a mistake in one is told where it is used. */
export function kitsOf(folder: string): Kit[] {
  return kitNames(folder).flatMap((name) => {
    try {
      return [readKit(folder, folder, name)];
    } catch (error) {
      if (error instanceof Failure) return [];
      throw error;
    }
  });
}
