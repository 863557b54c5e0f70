// The program's own modules for development scripts: bundled from the sources into a file of their own, and imported.
import { build } from "esbuild";

const root = new URL(".", import.meta.url);
let bundles = 0;

/** Imports modules of `src`; `modules` are their paths, such as `core/spf/index.ts`. Names of all of them come as one object. */
export async function internals(...modules) {
  const outfile = new URL(`node_modules/.cache/zandrel/internals-${process.pid}-${++bundles}.mjs`, root);
  await build({
    stdin: {
      contents: modules.map((path) => `export * from "./src/${path}";`).join("\n"),
      resolveDir: root.pathname,
      loader: "ts",
    },
    outfile: outfile.pathname,
    bundle: true,
    platform: "node",
    format: "esm",
    target: "node20.19",
    external: ["libsql"],
    banner: {
      js: 'import { createRequire as __createRequire } from "node:module"; const require = __createRequire(import.meta.url);',
    },
    define: { "process.env.ZANDREL_VERSION": '"0"' },
    logLevel: "error",
  });
  return import(outfile.href);
}
