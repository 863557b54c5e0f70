// Bundles the command line and the library into dist. The command line is a small entry and CommonJS chunks that a command
// loads when it runs, whose compiled code is kept; the library and the workers are ES modules.
import { execFile } from "node:child_process";
import { createHash } from "node:crypto";
import { chmodSync, existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { basename } from "node:path";
import { promisify } from "node:util";
import { build, transform } from "esbuild";

const root = new URL(".", import.meta.url);
const dist = new URL("dist/", root);
const { version, dependencies } = JSON.parse(readFileSync(new URL("package.json", root), "utf8"));
const withTypes = !process.argv.includes("--no-types");

/** What the build is made of: the same again needs no build. */
const sources = ["src", "build.mjs", "package.json", "package-lock.json", "tsconfig.json", "tsconfig.build.json"].flatMap(
  (path) =>
    path === "src"
      ? readdirSync(new URL("src/", root), { recursive: true, encoding: "utf8" })
          .filter((file) => file.endsWith(".ts") && !file.endsWith(".test.ts"))
          .map((file) => `src/${file}`)
          .sort()
      : path,
);
const made = createHash("sha256").update(String(withTypes));
for (const path of sources) made.update(`\0${path}\0`).update(readFileSync(new URL(path, root)));
const stamp = new URL(".built", dist);
const fingerprint = made.digest("hex");
if (existsSync(new URL("zandrel.cjs", dist)) && existsSync(stamp) && readFileSync(stamp, "utf8") === fingerprint) process.exit(0);
rmSync(stamp, { force: true });
rmSync(dist, { recursive: true, force: true });

// Names stay, so that profiles and stack traces can be read.
/** @satisfies {import("esbuild").CommonOptions} */
const small = /** @type {const} */ ({
  target: "node20.19",
  minifySyntax: true,
  minifyWhitespace: true,
  legalComments: "none",
  logLevel: "warning",
});
const bundled = /** @satisfies {import("esbuild").BuildOptions} */ ({
  ...small,
  bundle: true,
  splitting: true,
  platform: "node",
  format: "esm",
  // What is installed beside the program stays where npm put it; everything else travels in the chunks.
  external: Object.keys(dependencies).flatMap((name) => [name, `${name}/*`]),
  define: { "process.env.ZANDREL_VERSION": JSON.stringify(version) },
  absWorkingDir: root.pathname,
});

// The compiler writes the types meanwhile.
const types = withTypes
  ? promisify(execFile)(
      process.execPath,
      [new URL("node_modules/typescript/bin/tsc", root).pathname, "-p", "tsconfig.build.json"],
      {
        cwd: root.pathname,
      },
    )
  : undefined;
const library = build({
  ...bundled,
  entryPoints: {
    index: "src/index.ts",
    "sweep-worker": "src/app/fleet/worker.ts",
    "report-worker": "src/app/reports/worker.ts",
    "postgres-worker": "src/workspace/postgres-worker.ts",
  },
  outdir: "dist",
  chunkNames: "chunks/[name]-[hash]",
  sourcemap: true,
  // Packages written for CommonJS find `require` here once they are inside an ES module.
  banner: {
    js: 'import { createRequire as __createRequire } from "node:module"; const require = __createRequire(import.meta.url);',
  },
});

// Chunks are made for ES modules alone; what V8 compiled can be kept for scripts alone. So the chunks become scripts.
const { outputFiles } = await build({
  ...bundled,
  entryPoints: { run: "src/cli/run.ts" },
  outdir: "dist/program",
  chunkNames: "[name]-[hash]",
  outExtension: { ".js": ".cjs" },
  write: false,
});
mkdirSync(new URL("program/", dist));
const digest = createHash("sha256");
for (const { path, text } of outputFiles.sort((a, b) => (a.path < b.path ? -1 : 1))) {
  const { code } = await transform(text, {
    ...small,
    platform: "node",
    format: "cjs",
    supported: { "dynamic-import": false },
    define: { "import.meta.url": "__url" },
    ...(text.includes("import.meta.url") ? { banner: 'var __url = require("node:url").pathToFileURL(__filename).href;' } : {}),
  });
  writeFileSync(new URL(`program/${basename(path)}`, dist), code);
  digest.update(path).update(code);
}

await build({
  ...small,
  entryPoints: { zandrel: "src/cli/main.ts" },
  outdir: "dist",
  outExtension: { ".js": ".cjs" },
  bundle: true,
  platform: "node",
  format: "cjs",
  supported: { "dynamic-import": false },
  banner: { js: "#!/usr/bin/env node" },
  define: {
    "process.env.ZANDREL_VERSION": JSON.stringify(version),
    "process.env.ZANDREL_BUILD": JSON.stringify(digest.digest("hex").slice(0, 16)),
    "import.meta.dirname": "__dirname",
  },
  absWorkingDir: root.pathname,
});
chmodSync(new URL("zandrel.cjs", dist), 0o755);

await library;
await types?.catch((error) => {
  console.error(error.stdout);
  process.exit(1);
});

writeFileSync(stamp, fingerprint);
