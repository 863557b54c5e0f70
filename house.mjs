// What the house promises, held against the sources: which part may import which, that a folder is entered by its door, that nothing
// is imported in a ring (types count), that no function is longer than a screen or two. `npm run house` prints what breaks it.
import { readdirSync, readFileSync } from "node:fs";
import { dirname, join, posix, relative } from "node:path";
import { pathToFileURL } from "node:url";
import { parseSync } from "@swc/core";

/** What each part may import; `types` of a part are there for the compiler alone. */
const PARTS = {
  core: { may: [] },
  net: { may: ["core", "secrets"] },
  workspace: { may: ["core", "write-all", "secrets"] },
  app: { may: ["core", "net", "workspace", "clock", "write-all", "secrets"] },
  present: { may: ["core"], types: ["app"] },
  cli: { may: ["core", "app", "present", "clock", "write-all", "secrets", "start", "lab", "demo"] },
  start: { may: [] },
  lab: { may: ["core", "net", "clock"] },
  demo: { may: ["core", "lab", "clock"] },
  index: { may: ["core", "present"] },
  clock: { may: [] },
  secrets: { may: [] },
  "write-all": { may: [] },
};

/** Packages and modules of the runtime that compute: all that core imports from outside. */
const PURE = new Set([
  ...["node:crypto", "node:buffer", "node:url"],
  ...[
    "csv-parse/sync",
    "entities",
    "fastest-levenshtein",
    "htmlparser2",
    "ipaddr.js",
    "lru-cache",
    "postal-mime",
    "re2js",
    "saxes",
    "tldts",
    "yaml",
    "zod",
  ],
]);

/** Packages that only a face uses. */
const FACES = new Set(["yargs", "yargs-parser", "picocolors", "log-update", "@clack/prompts", "cli-progress"]);

/** Rooms of net and workspace that may be entered past the door, because what is behind them is loaded by few. */
const SIDE_DOORS = new Set(
  [
    "address approval client event-feed fetch-bounded helper kit-source local-page mail oauth redirect-listener service-link text-server update web",
  ].flatMap((rooms) => rooms.split(" ").map((room) => `net/${room}.ts`)),
);

const MAX_LINES = 80;

/** Sentences that only a judgement allows, and the one file that says them. */
const DONE = /everything (that was )?asked|nothing else was lost|nothing is left to publish/i;
const SAYS_DONE = "present/judgement.ts";

/** @typedef {{ path: string, from: string, isType: boolean, line: number }} Import */
/** @typedef {{ name: string, lines: number, line: number }} Long */
/** @typedef {{ text: string, line: number }} Said */

/** @param {string} text */
function parsed(text) {
  const module = parseSync(text, { syntax: "typescript", target: "es2022" });
  const octets = Buffer.from(text);
  // Positions may count on from what was parsed before.
  const base = module.span.end - octets.length + 1;
  return {
    module,
    lineAt: (/** @type {number} */ at) =>
      octets
        .subarray(0, Math.max(0, at - base))
        .toString()
        .split("\n").length,
  };
}

/** Every node of a tree, with what it is in.  @param {any} node  @param {(node: any) => void} visit */
function walk(node, visit) {
  if (node === null || typeof node !== "object") return;
  if (Array.isArray(node)) {
    for (const child of node) walk(child, visit);
    return;
  }
  if (typeof node.type === "string") visit(node);
  for (const key of Object.keys(node)) if (key !== "span") walk(node[key], visit);
}

/** What a file imports, and its functions that are too long.  @param {string} path  @param {string} text */
function read(path, text) {
  const { module, lineAt } = parsed(text);
  /** @type {Import[]} */
  const imports = [];
  /** @type {Long[]} */
  const long = [];
  /** @type {Said[]} */
  const done = [];
  let onlyReExports = module.body.length > 0;
  for (const item of module.body)
    if (item.type !== "ExportAllDeclaration" && !(item.type === "ExportNamedDeclaration" && item.source != null))
      onlyReExports = false;
  walk(module, (node) => {
    const words = node.type === "StringLiteral" ? node.value : node.type === "TemplateElement" ? node.raw : "";
    if (DONE.test(words)) done.push({ text: words, line: lineAt(node.span.start) });
    const source = node.type === "CallExpression" && node.callee.type === "Import" ? node.arguments[0]?.expression : node.source;
    const named =
      source?.type === "StringLiteral" ? source.value : node.type === "TsImportType" ? node.argument?.value : undefined;
    if (named !== undefined) {
      const specifiers = node.specifiers ?? [];
      const isType =
        node.typeOnly === true ||
        node.type === "TsImportType" ||
        (specifiers.length > 0 && specifiers.every((/** @type {any} */ one) => one.isTypeOnly));
      imports.push({ path, from: named, isType, line: lineAt(node.span.start) });
    }
    const body =
      /^(Function(Declaration|Expression)|ArrowFunctionExpression|ClassMethod|PrivateMethod|MethodProperty|Constructor)$/.test(
        node.type,
      )
        ? (node.function?.body ?? node.body)
        : undefined;
    if (body?.type !== "BlockStatement" && body?.type !== "FunctionBody") return;
    const [first, last] = [lineAt(body.span.start), lineAt(body.span.end)];
    const lines = text
      .split("\n")
      .slice(first, last - 1)
      .filter((line) => line.trim() !== "").length;
    if (lines > MAX_LINES) long.push({ name: node.identifier?.value ?? node.key?.value ?? "a function", lines, line: first });
  });
  return { imports, long, done, onlyReExports };
}

/** The part of the house that a file of src is in.  @param {string} path */
const partOf = (path) => path.split("/")[0]?.replace(/\.ts$/, "") ?? "";
/** The folder that a door belongs to: an area of core, or a part.  @param {string} path */
const areaOf = (path) =>
  path.startsWith("core/") && path.split("/").length > 2 ? path.split("/").slice(0, 2).join("/") : partOf(path);

/** @param {Import} found  @param {string | undefined} target */
function brokenDirection({ path, from, isType }, target) {
  const part = partOf(path);
  const rule = PARTS[/** @type {keyof typeof PARTS} */ (part)];
  if (rule === undefined) return `${part} is not a part of the house`;
  if (target === undefined) {
    if (part === "core" && !PURE.has(from)) return "core computes only: it imports nothing from outside but pure packages";
    if (FACES.has(from) && part !== "cli" && part !== "present" && part !== "demo") return `${part} is not a face`;
    return undefined;
  }
  const other = partOf(target);
  if (other === part) {
    const command = /^cli\/commands\//;
    return command.test(path) && command.test(target) ? "a command never imports another command" : undefined;
  }
  const may = [...rule.may, ...(isType && "types" in rule ? rule.types : [])];
  if (!may.includes(other))
    return `${part} may import ${may.length === 0 ? "no other part" : may.join(", ")}${"types" in rule ? `, and types of ${rule.types.join(", ")}` : ""}`;
  return undefined;
}

/** @param {string} path  @param {string} target */
function brokenDoor(path, target) {
  const [own, other] = [areaOf(path), areaOf(target)];
  if (own === other || /(^|\/)index\.ts$/.test(target) || SIDE_DOORS.has(target)) return undefined;
  // What core keeps beside its areas, and the rooms of use cases and of faces, are open.
  if (!/^(core\/.+\/|net\/|workspace\/|lab\/)/.test(target) || (partOf(path) === "core" && own === "core")) return undefined;
  return "import the folder's door (index.ts), not its rooms";
}

/** The rings of a graph: groups of nodes that lead to each other.  @param {Map<string, Set<string>>} graph */
function ringsOf(graph) {
  /** @type {string[][]} */
  const rings = [];
  const index = new Map();
  const low = new Map();
  /** @type {string[]} */
  const stack = [];
  /** @param {string} node */
  function visit(node) {
    index.set(node, index.size);
    low.set(node, index.get(node));
    stack.push(node);
    for (const next of graph.get(node) ?? []) {
      if (!index.has(next)) visit(next);
      if (stack.includes(next)) low.set(node, Math.min(low.get(node), low.get(next)));
    }
    if (low.get(node) !== index.get(node)) return;
    const ring = stack.splice(stack.indexOf(node));
    if (ring.length > 1) rings.push(ring.sort());
  }
  for (const node of graph.keys()) if (!index.has(node)) visit(node);
  return rings;
}

/** What breaks the house, a line each.  @param {ReadonlyMap<string, string>} files paths below src, and their texts */
export function broken(files) {
  const found = [];
  /** @type {Map<string, Set<string>>} */
  const graph = new Map();
  /** @type {Map<string, Set<string>>} */
  const rooms = new Map();
  for (const [path, text] of files) {
    const { imports, long, done, onlyReExports } = read(path, text);
    if (/^(present|cli)\//.test(path) && path !== SAYS_DONE)
      for (const { text, line } of done)
        found.push(`src/${path}:${line}: only ${SAYS_DONE} says “${text.trim()}”, from a judgement`);
    for (const { name, lines, line } of long)
      found.push(`src/${path}:${line}: ${name} has ${lines} lines; the house has ${MAX_LINES} at most`);
    graph.set(path, new Set());
    for (const one of imports) {
      const target = one.from.startsWith(".") ? posix.join(posix.dirname(path), one.from) : undefined;
      const because = brokenDirection(one, target) ?? (target === undefined ? undefined : brokenDoor(path, target));
      if (because !== undefined) found.push(`src/${path}:${one.line}: ${one.from}: ${because}`);
      if (target === undefined) continue;
      graph.get(path)?.add(target);
      const [room, other] = [path, target].map((file) => file.split("/").slice(0, -1).join("/"));
      if (room?.startsWith("app/") && other?.startsWith("app/") && room !== other)
        rooms.set(room, (rooms.get(room) ?? new Set()).add(/** @type {string} */ (other)));
      if (onlyReExports && !path.endsWith("index.ts") && partOf(target) !== partOf(path))
        found.push(`src/${path}: it only hands on what ${target} has`);
    }
  }
  for (const ring of ringsOf(graph)) found.push(`a ring of imports: ${ring.join(", ")}`);
  for (const ring of ringsOf(rooms)) found.push(`rooms of app that call each other in a ring: ${ring.join(", ")}`);
  return found;
}

/** The sources without their tests. */
export function sources() {
  const root = join(dirname(new URL(import.meta.url).pathname), "src");
  const files = readdirSync(root, { recursive: true, encoding: "utf8" }).filter(
    (path) => path.endsWith(".ts") && !path.endsWith(".test.ts"),
  );
  return new Map(files.sort().map((path) => [relative(root, join(root, path)), readFileSync(join(root, path), "utf8")]));
}

if (import.meta.url === pathToFileURL(process.argv[1] ?? "").href) {
  const found = broken(sources());
  for (const line of found) console.error(line);
  console.log(`${found.length} breaches of the house in ${sources().size} files`);
  process.exitCode = found.length === 0 ? 0 : 1;
}
