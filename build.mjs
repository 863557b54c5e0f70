// Bundles the command line and the library, each into one file with its source map.
import { chmodSync, readFileSync } from "node:fs";
import { builtinModules } from "node:module";
import { build } from "esbuild";

const { version } = JSON.parse(readFileSync(new URL("package.json", import.meta.url), "utf8"));

/** Native and server packages stay where npm put them; everything else travels in the bundle. */
const OUTSIDE = [
  "libsql",
  "fastify",
  "selfsigned",
  "echarts",
  "smtp-server",
  "http-message-signatures",
  "nodemailer/lib/mail-composer",
  "nodemailer/lib/smtp-connection",
];

/**
 * Loads what stays outside the bundle when the code that needs it runs. As static imports all of it would be
 * loaded by every command, network, SQLite and HTTP included.
 */
const lazyOutside = {
  name: "lazy-outside",
  setup(bundler) {
    const names = new Set([...OUTSIDE, ...builtinModules.flatMap((name) => [name, `node:${name}`])]);
    bundler.onResolve({ filter: /^[a-z_:/0-9-]+$/ }, ({ path, namespace }) => {
      if (!names.has(path)) return undefined;
      return namespace === "outside" ? { path, external: true } : { path, namespace: "outside" };
    });
    bundler.onLoad({ filter: /.*/, namespace: "outside" }, ({ path }) => ({
      contents: `module.exports = require(${JSON.stringify(path)})`,
    }));
  },
};

/**
 * The package that measures text makes a segmenter as soon as it is loaded, which takes a tenth of the time of a short
 * command; here it is made when a text is first measured.
 */
const lazySegmenter = {
  name: "lazy-segmenter",
  setup(bundler) {
    bundler.onLoad({ filter: /[\\/]string-width[\\/]index\.js$/ }, ({ path }) => {
      const eager = "const segmenter = new Intl.Segmenter();";
      const text = readFileSync(path, "utf8");
      if (!text.includes(eager)) throw new Error(`${path} has changed: look whether it still makes a segmenter when loaded`);
      const lazy = "let made; const segmenter = { segment: (text) => (made ??= new Intl.Segmenter()).segment(text) };";
      return { contents: text.replace(eager, lazy) };
    });
  },
};

const shared = {
  bundle: true,
  platform: "node",
  target: "node20.19",
  format: "esm",
  sourcemap: true,
  minifySyntax: true,
  minifyWhitespace: true,
  legalComments: "none",
  define: { "process.env.ZANDREL_VERSION": JSON.stringify(version) },
  plugins: [lazyOutside, lazySegmenter],
  logLevel: "warning",
  absWorkingDir: new URL(".", import.meta.url).pathname,
};

// Packages written for CommonJS find `require` here once they are inside an ES module.
const require =
  'import { createRequire as __createRequire } from "node:module"; const require = __createRequire(import.meta.url);';

await Promise.all([
  build({
    ...shared,
    entryPoints: ["src/cli/main.ts"],
    outfile: "dist/zandrel.js",
    banner: { js: `#!/usr/bin/env node\n${require}` },
  }),
  build({ ...shared, entryPoints: ["src/index.ts"], outfile: "dist/index.js", banner: { js: require } }),
]);
chmodSync(new URL("dist/zandrel.js", import.meta.url), 0o755);
