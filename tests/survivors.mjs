// Changes made on purpose, each of which some check has to see: npm run survivors [-- --only REGEX]
// Each change of survivors.json is made in a copy of the project; then the compiler and the tests that concern it run until one of them
// sees it. Survivors are printed, and counted against the limit.
import { spawnSync } from "node:child_process";
import { cpSync, mkdtempSync, readFileSync, rmSync, symlinkSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { dirname, join } from "node:path";
import { parseArgs } from "node:util";

const root = new URL("..", import.meta.url).pathname;
const { values } = parseArgs({ options: { only: { type: "string", default: "" } } });

const tracked = spawnSync("git", ["ls-files"], { cwd: root, encoding: "utf8" }).stdout.trim().split("\n");

/** How many of a hundred may survive. */
const MAX_SURVIVORS = 5;

/** What concerns a file besides the tests in its folder, by the beginning of its path, the quickest first; the longest beginning counts. */
const CONCERNED = {
  "src/core/": [],
  "src/core/ask/intake/": ["src/core/ask/intake/pastes"],
  "src/core/verdict/": ["src/core/arc"],
  "src/core/relocate/": ["tests/practice"],
  "src/net/": ["tests/ways", "tests/site"],
  "src/workspace/": ["tests/cli", "tests/shared-journal", "tests/sweep-queue", "tests/kits"],
  "src/app/": ["tests/cli"],
  "src/app/asks/": ["tests/cli", "tests/kits", "tests/ways", "tests/journeys"],
  "src/app/standing/": ["tests/cli", "tests/story", "tests/journeys"],
  "src/app/publishing/": ["tests/ways", "tests/approval.test", "tests/page", "tests/journeys"],
  "src/app/mail/": ["tests/mail.test", "tests/dossier"],
  "src/app/messages/": ["tests/mail.test", "tests/sending"],
  "src/app/services/": ["tests/sending", "tests/link", "tests/mail-server"],
  "src/app/reports/": ["tests/reports"],
  "src/app/fleet/": ["tests/sweep.test", "tests/guard", "tests/dossier"],
  "src/app/kits/": ["tests/kits"],
  "src/app/logo/": ["tests/logo"],
  "src/app/audit/": ["tests/site", "tests/words"],
  "src/app/relocate/": ["tests/relocate", "tests/practice"],
  "src/app/dns/": ["tests/cli", "tests/ways", "tests/relocate"],
  "src/cli/": ["tests/cli", "tests/output", "tests/page"],
  "src/cli/guide/": ["tests/guide"],
  "src/present/": ["tests/cli", "tests/words", "tests/ways"],
  "src/present/mail/": ["tests/mail.test"],
  "src/present/messages/": ["tests/mail.test"],
  "src/present/fleet/": ["tests/sweep.test", "tests/guard", "tests/dossier"],
  "src/present/reports/": ["tests/reports"],
  "src/present/hosts/": ["tests/approval.test"],
  "src/present/history/": ["tests/history"],
};
const concerned = (/** @type {string} */ file) => [
  ...tracked.filter((test) => test.endsWith(".test.ts") && dirname(test) === dirname(file) && !/pastes/.test(test)),
  ...CONCERNED[
    /** @type {keyof typeof CONCERNED} */ (
      Object.keys(CONCERNED)
        .filter((begin) => file.startsWith(begin))
        .sort((a, b) => b.length - a.length)[0]
    )
  ],
];

const copy = mkdtempSync(join(tmpdir(), "zandrel-survivors-"));
process.on("exit", () => rmSync(copy, { recursive: true, force: true }));
for (const file of tracked) cpSync(join(root, file), join(copy, file));
symlinkSync(join(root, "node_modules"), join(copy, "node_modules"));

/** Runs a program of the project in the copy; whether it is content. */
const runs = (/** @type {string[]} */ argv, /** @type {"ignore" | "inherit"} */ stdio = "ignore") =>
  spawnSync(process.execPath, argv, { cwd: copy, stdio, env: { ...process.env, CI: "" }, timeout: 1_200_000 }).status === 0;
const jest = ["--experimental-vm-modules", "--no-warnings", "node_modules/jest/bin/jest.js", "--bail"];

/** Who sees a change that stands in the copy; undefined where nobody does. */
function seenBy(/** @type {string} */ file) {
  if (!runs(["node_modules/typescript/bin/tsc", "--noEmit"])) return "the compiler";
  if (!runs(["build.mjs", "--no-types"])) return "the build";
  const [own, others] = [
    concerned(file).filter((tests) => tests.endsWith(".ts")),
    concerned(file).filter((tests) => !tests.endsWith(".ts")),
  ];
  if (own.length > 0 && !runs([...jest, ...own])) return "the tests beside it";
  return others.find((tests) => !runs([...jest, tests]));
}

/** @type {readonly { id: string, file: string, from: string, to: string, same?: string }[]} */
const changes = JSON.parse(readFileSync(join(root, "tests/survivors.json"), "utf8"));
const tried = changes.filter(({ id, file, same }) => same === undefined && new RegExp(values.only).test(`${id} ${file}`));
const survivors = [];
// What fails without any change sees nothing.
if (!runs(["build.mjs", "--no-types"])) throw new Error("the build fails without a change");
if (!runs([...jest, "--silent", ...new Set(tried.flatMap(({ file }) => concerned(file)))], "inherit"))
  throw new Error("a test fails without a change");
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
