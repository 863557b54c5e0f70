// Bundles the command line and the library into dist: a small entry, and chunks that a command loads when it runs.
import { execFileSync } from "node:child_process";
import { chmodSync, readFileSync, rmSync } from "node:fs";
import { build } from "esbuild";

const root = new URL(".", import.meta.url);
const { version, dependencies } = JSON.parse(readFileSync(new URL("package.json", root), "utf8"));
rmSync(new URL("dist", root), { recursive: true, force: true });

await build({
  entryPoints: {
    zandrel: "src/cli/main.ts",
    index: "src/index.ts",
    "sweep-worker": "src/app/fleet/worker.ts",
    "report-worker": "src/app/reports/worker.ts",
    "postgres-worker": "src/workspace/postgres-worker.ts",
  },
  outdir: "dist",
  chunkNames: "chunks/[name]-[hash]",
  splitting: true,
  bundle: true,
  platform: "node",
  target: "node20.19",
  format: "esm",
  sourcemap: true,
  // Names stay, so that profiles and stack traces can be read.
  minifySyntax: true,
  minifyWhitespace: true,
  legalComments: "none",
  // What is installed beside the program stays where npm put it; everything else travels in the chunks.
  external: Object.keys(dependencies).flatMap((name) => [name, `${name}/*`]),
  define: { "process.env.ZANDREL_VERSION": JSON.stringify(version) },
  // Packages written for CommonJS find `require` here once they are inside an ES module.
  banner: {
    js: 'import { createRequire as __createRequire } from "node:module"; const require = __createRequire(import.meta.url);',
  },
  logLevel: "warning",
  absWorkingDir: root.pathname,
});

// The entry is run by its path: a shebang goes in front of everything.
const entry = new URL("dist/zandrel.js", root);
const { writeFileSync } = await import("node:fs");
writeFileSync(entry, `#!/usr/bin/env node\n${readFileSync(entry, "utf8")}`);
chmodSync(entry, 0o755);

if (!process.argv.includes("--no-types"))
  execFileSync(process.execPath, [new URL("node_modules/typescript/bin/tsc", root).pathname, "-p", "tsconfig.build.json"], {
    cwd: root.pathname,
    stdio: "inherit",
  });
