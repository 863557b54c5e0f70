import { readdirSync, statSync } from "node:fs";
import { join } from "node:path";
import { expect, test } from "@jest/globals";
import { execa } from "execa";
import { folderWith } from "./zandrel.ts";

const root = new URL("..", import.meta.url).pathname;
const MAX_INSTALLED = 80 * 1000 * 1000;

const octetsIn = (folder: string): number =>
  readdirSync(folder, { recursive: true, withFileTypes: true })
    .filter((entry) => entry.isFile())
    .reduce((sum, entry) => sum + statSync(join(entry.parentPath, entry.name)).size, 0);

test("the packed package, installed by itself, runs the guided demo and is no larger than it may be", async () => {
  const here = folderWith();
  // The package is built already; building it again would pull it from under the other tests.
  const packed = await execa("npm", ["pack", "--ignore-scripts", "--json", "--pack-destination", here], { cwd: root });
  const [{ filename }] = JSON.parse(packed.stdout) as [{ filename: string }];
  const prefix = join(here, "prefix");
  await execa("npm", ["install", "--global", "--prefix", prefix, "--no-audit", "--no-fund", join(here, filename)], { cwd: here });
  expect(octetsIn(prefix)).toBeLessThanOrEqual(MAX_INSTALLED);
  const empty = folderWith();
  const ran = await execa(join(prefix, "bin/zandrel"), ["demo"], {
    cwd: empty,
    reject: false,
    extendEnv: false,
    env: { PATH: process.env.PATH ?? "", HOME: empty, TZ: "UTC" },
  });
  expect(ran.stderr).toBe("");
  expect(ran.stdout).toContain("Done.");
  expect(ran.exitCode).toBe(0);
  // Nothing is left but the code kept for the next run.
  expect(readdirSync(empty)).toEqual([".cache"]);
  expect(readdirSync(join(empty, ".cache"))).toEqual(["zandrel"]);
}, 300_000);
