import { readdirSync, readFileSync, statSync } from "node:fs";
import { join } from "node:path";
import { expect, test } from "@jest/globals";
import { execa } from "execa";
import { bannedIn } from "./plain-words.ts";
import { folderWith, zandrel } from "./zandrel.ts";

const root = new URL("..", import.meta.url).pathname;
const MAX_INSTALLED = 80 * 1000 * 1000;

const octetsIn = (folder: string): number =>
  readdirSync(folder, { recursive: true, withFileTypes: true })
    .filter((entry) => entry.isFile())
    .reduce((sum, entry) => sum + statSync(join(entry.parentPath, entry.name)).size, 0);

/** The packed package, installed by itself into a folder: the path of its command. */
async function installed(): Promise<string> {
  const here = folderWith();
  // The package is built already; building it again would pull it from under the other tests.
  const packed = await execa("npm", ["pack", "--ignore-scripts", "--json", "--pack-destination", here], { cwd: root });
  const [{ filename }] = JSON.parse(packed.stdout) as [{ filename: string }];
  const prefix = join(here, "prefix");
  await execa("npm", ["install", "--global", "--prefix", prefix, "--no-audit", "--no-fund", join(here, filename)], { cwd: here });
  expect(octetsIn(prefix)).toBeLessThanOrEqual(MAX_INSTALLED);
  return join(prefix, "bin/zandrel");
}

test("the installed package tells the demo's story to the end: a token proven, forged mail refused, the theatre's own mail ready", async () => {
  const program = await installed();
  const here = folderWith();
  const narration = await execa(program, ["demo", "--keep-in", "kept"], {
    cwd: here,
    reject: false,
    extendEnv: false,
    env: { PATH: process.env.PATH ?? "", HOME: here, TZ: "UTC" },
  });
  expect([narration.exitCode, narration.stderr]).toEqual([0, ""]);
  // Nothing is left but what was asked for, and the code kept for the next run.
  expect(readdirSync(here).sort()).toEqual([".cache", "kept"]);
  expect(readdirSync(join(here, ".cache"))).toEqual(["zandrel"]);
  const moments = [
    "✓ proven  seekmere-ownership",
    "Mallowmail answers the forger: “250 2.0.0 delivered”",
    "news@brackwater.example is confirmed.",
    "ready to send through Heronpost",
    "p=quarantine: not yet, because your own mail through Inglemail would be stopped.",
    "signing is on",
    "p=quarantine: safe now",
    "p=reject: safe now",
    "Mallowmail answers the forger: “550 5.7.26",
    "ready to send through Heronpost",
  ];
  // Each behind the one before.
  const rest = moments.reduce((text, moment) => {
    const at = text.indexOf(moment);
    expect(at === -1 ? `${moment} is missing` : moment).toBe(moment);
    return text.slice(at + moment.length);
  }, narration.stdout);
  expect(rest).toContain("Done. The workspace is in kept.");
  const secret = readFileSync(join(here, "kept/keys/heronpost/brackwater.example.secret"), "utf8").trim();
  expect(narration.stdout).not.toContain(secret);
  expect(readFileSync(join(here, "kept/.zandrel/journal.db"), "latin1")).not.toContain(secret);

  // It speaks plainly, and every next step is a command that is understood.
  expect(bannedIn(narration.stdout)).toEqual([]);
  const next = new Set([...narration.stdout.matchAll(/next: (zandrel [^(\n,]*)/gi)].map(([, line]) => (line as string).trim()));
  expect(next.size).toBeGreaterThan(7);
  for (const line of next) {
    const { json } = await zandrel(folderWith(), [...line.split(" ").slice(1), "--json"]);
    expect([line, json.error?.code ?? "fine"]).toEqual([
      line,
      expect.not.stringMatching(/^(?:option-|unknown-option|unknown-command|operands|one-)/),
    ]);
  }
});
