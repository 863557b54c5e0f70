import { existsSync, readFileSync } from "node:fs";
import { expect, test } from "@jest/globals";
import { execa } from "execa";

const root = new URL("..", import.meta.url).pathname;

test("what the documents take from the program is what the program says now", async () => {
  const { stdout } = await execa(
    process.execPath,
    [
      "--input-type=module",
      "-e",
      'const { generated } = await import("./docs/make.mjs"); console.log(JSON.stringify(await generated()))',
    ],
    { cwd: root, maxBuffer: 64 << 20 },
  );
  const files = JSON.parse(stdout) as [string, string][];
  expect(files.length).toBeGreaterThan(40);
  const stale = files.filter(([path, text]) => !existsSync(root + path) || readFileSync(root + path, "utf8") !== text);
  expect(stale.map(([path]) => path)).toEqual([]);
});
