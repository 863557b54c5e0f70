// Bundles the command line and the library, each into one file with its source map.
import { chmodSync, readFileSync } from "node:fs";
import { build } from "esbuild";

const { version } = JSON.parse(readFileSync(new URL("package.json", import.meta.url), "utf8"));

const shared = {
  bundle: true,
  platform: "node",
  target: "node20.19",
  format: "esm",
  sourcemap: true,
  minifySyntax: true,
  minifyWhitespace: true,
  legalComments: "none",
  // Native and server packages stay where npm put them; everything else travels in the bundle.
  external: ["libsql", "fastify"],
  define: { "process.env.ZANDREL_VERSION": JSON.stringify(version) },
  logLevel: "warning",
  absWorkingDir: new URL(".", import.meta.url).pathname,
};

// Packages written for CommonJS find `require` here once they are inside an ES module.
const require =
  'import { createRequire as __createRequire } from "node:module"; const require = __createRequire(import.meta.url);';

await Promise.all([
  build({
    ...shared,
    entryPoints: ["src/main.ts"],
    outfile: "dist/zandrel.js",
    banner: { js: `#!/usr/bin/env node\n${require}` },
  }),
  build({ ...shared, entryPoints: ["src/index.ts"], outfile: "dist/index.js", banner: { js: require } }),
]);
chmodSync(new URL("dist/zandrel.js", import.meta.url), 0o755);
