// Changes made on purpose, each of which some check has to see: npm run survivors [-- --only REGEX]
// Each change of survivors.json is made in a copy of the project; then the compiler and the tests that concern it run until one of them
// sees it. Survivors are printed, and counted against the limit.
import { spawnSync } from "node:child_process";
import { cpSync, mkdtempSync, readFileSync, rmSync, symlinkSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { parseArgs } from "node:util";

const root = new URL("..", import.meta.url).pathname;
const { values } = parseArgs({ options: { only: { type: "string", default: "" } } });

/** How many of a hundred may survive. */
const MAX_SURVIVORS = 5;

/** What concerns a file, by the beginning of its path, the quickest first; the longest beginning counts. */
const CONCERNED = {
  "src/core/": ["src/core"],
  "src/core/ask/intake/": ["src/core/ask"],
  "src/net/": ["src/net", "tests/ways", "tests/site"],
  "src/workspace/": ["src/workspace", "tests/cli", "tests/shared-journal", "tests/sweep-queue", "tests/kits"],
  "src/app/": ["src/app", "tests/cli"],
  "src/app/asks/": ["src/app", "tests/cli", "tests/kits", "tests/ways", "tests/journeys"],
  "src/app/standing/": ["src/app", "tests/cli", "tests/story", "tests/journeys"],
  "src/app/publishing/": ["src/app", "tests/ways", "tests/approval.test", "tests/page", "tests/journeys"],
  "src/app/mail/": ["src/app", "tests/mail.test", "tests/dossier"],
  "src/app/messages/": ["src/app", "tests/mail.test", "tests/sending"],
  "src/app/services/": ["src/app", "tests/sending", "tests/link", "tests/mail-server"],
  "src/app/reports/": ["src/app", "tests/reports"],
  "src/app/fleet/": ["src/app", "tests/sweep.test", "tests/guard", "tests/dossier"],
  "src/app/kits/": ["src/app", "tests/kits"],
  "src/app/audit/": ["src/app", "tests/site", "tests/words"],
  "src/app/relocate/": ["src/app", "tests/relocate"],
  "src/app/dns/": ["src/app", "tests/cli", "tests/ways", "tests/relocate"],
  "src/cli/": ["src/cli", "tests/cli", "tests/output", "tests/page"],
  "src/cli/guide/": ["src/cli", "tests/guide"],
  "src/present/": ["src/present", "tests/cli", "tests/words", "tests/ways"],
  "src/present/mail/": ["src/present", "tests/mail.test"],
  "src/present/messages/": ["src/present", "tests/mail.test"],
  "src/present/fleet/": ["src/present", "tests/sweep.test", "tests/guard", "tests/dossier"],
  "src/present/reports/": ["src/present", "tests/reports"],
  "src/present/hosts/": ["src/present", "tests/approval.test"],
  "src/present/history/": ["src/present", "tests/history"],
};
const concerned = (/** @type {string} */ file) =>
  CONCERNED[
    /** @type {keyof typeof CONCERNED} */ (
      Object.keys(CONCERNED)
        .filter((begin) => file.startsWith(begin))
        .sort((a, b) => b.length - a.length)[0]
    )
  ];

const copy = mkdtempSync(join(tmpdir(), "zandrel-survivors-"));
process.on("exit", () => rmSync(copy, { recursive: true, force: true }));
const tracked = spawnSync("git", ["ls-files"], { cwd: root, encoding: "utf8" }).stdout.trim().split("\n");
for (const file of tracked) cpSync(join(root, file), join(copy, file));
symlinkSync(join(root, "node_modules"), join(copy, "node_modules"));

/** Runs a program of the project in the copy; whether it is content. */
const runs = (/** @type {string[]} */ argv) =>
  spawnSync(process.execPath, argv, { cwd: copy, stdio: "ignore", env: { ...process.env, CI: "" }, timeout: 600_000 }).status ===
  0;
const jest = ["--experimental-vm-modules", "--no-warnings", "node_modules/jest/bin/jest.js", "--bail", "--testTimeout=60000"];

/** Who sees a change that stands in the copy; undefined where nobody does. */
function seenBy(/** @type {string} */ file) {
  if (!runs(["node_modules/typescript/bin/tsc", "--noEmit"])) return "the compiler";
  if (!runs(["build.mjs", "--no-types"])) return "the build";
  return concerned(file).find((tests) => !runs([...jest, tests]));
}

/** @type {readonly { id: string, file: string, from: string, to: string, same?: string }[]} */
const changes = JSON.parse(readFileSync(join(root, "tests/survivors.json"), "utf8"));
const tried = changes.filter(({ id, file, same }) => same === undefined && new RegExp(values.only).test(`${id} ${file}`));
const survivors = [];
// What fails without any change sees nothing.
if (!runs(["build.mjs", "--no-types"])) throw new Error("the build fails without a change");
for (const tests of new Set(tried.flatMap(({ file }) => concerned(file))))
  if (!runs([...jest, tests])) throw new Error(`${tests} fails without a change`);
for (const { id, file, from, to } of tried) {
  const text = readFileSync(join(root, file), "utf8");
  if (text.split(from).length !== 2) throw new Error(`${id}: what it changes is not exactly once in ${file}: ${from}`);
  writeFileSync(
    join(copy, file),
    text.replace(from, () => to),
  );
  const by = seenBy(file);
  writeFileSync(join(copy, file), text);
  console.log(`${by === undefined ? "SURVIVED" : "seen"}  ${id}  ${file}  ${by ?? `${from}  ->  ${to}`}`);
  if (by === undefined) survivors.push(id);
}
const share = (100 * survivors.length) / Math.max(1, tried.length);
console.log(`${survivors.length} of ${tried.length} changes survived (${share.toFixed(1)} %): ${survivors.join(", ") || "none"}`);
process.exitCode = share > MAX_SURVIVORS ? 1 : 0;
