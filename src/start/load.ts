import { readFileSync } from "node:fs";
import { createRequire } from "node:module";
import { join } from "node:path";
import { Script } from "node:vm";
import type { CodeCache } from "./code-cache.ts";

type Module = { exports: unknown };
type Run = (exports: unknown, require: (name: string) => unknown, module: Module, filename: string) => void;

const PARAMETERS = "(function (exports, require, module, __filename) {";

/**
 * Loads a file of the built program and what it requires, each with the code kept of it; what was compiled just now is kept
 * when the process ends, with all that was used until then.
 *
 * @param folder where the files are; they name each other as `./NAME`, and everything else is the runtime's or a package
 */
export function loadBuilt(folder: string, entry: string, cache: CodeCache): unknown {
  const outside = createRequire(join(folder, entry));
  const loaded = new Map<string, Module>();
  const compiled: { readonly name: string; readonly script: Script }[] = [];

  const load = (name: string): unknown => {
    const before = loaded.get(name);
    if (before !== undefined) return before.exports;
    const filename = join(folder, name);
    const cachedData = cache.read(name);
    const script = new Script(`${PARAMETERS}${readFileSync(filename, "utf8")}\n})`, {
      filename,
      columnOffset: -PARAMETERS.length,
      cachedData,
    });
    if (cachedData === undefined || script.cachedDataRejected) compiled.push({ name, script });
    const module: Module = { exports: {} };
    loaded.set(name, module);
    (script.runInThisContext() as Run)(module.exports, require, module, filename);
    return module.exports;
  };
  const require = Object.assign((name: string) => (name.startsWith("./") ? load(name.slice(2)) : outside(name)), outside);

  process.on("exit", () => {
    for (const { name, script } of compiled) cache.write(name, script.createCachedData());
  });
  return load(entry);
}
