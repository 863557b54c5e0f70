import { readdirSync, readFileSync } from "node:fs";
import { expect, test } from "@jest/globals";
import { transform } from "esbuild";
import { execa } from "execa";

const root = new URL("..", import.meta.url).pathname;
const examples = readdirSync(`${root}examples`).filter((file) => file.endsWith(".ts"));

test("the examples fit the types of the built package", async () => {
  const { stdout } = await execa(process.execPath, [`${root}node_modules/typescript/bin/tsc`, "-p", "tsconfig.examples.json"], {
    cwd: root,
    reject: false,
  });
  expect(stdout).toBe("");
});

test.each(examples)("examples/%s runs on the built package", async (file) => {
  const { code } = await transform(readFileSync(`${root}examples/${file}`, "utf8"), { loader: "ts", format: "esm" });
  // From standard input in the project's folder, “zandrel” is the package as others import it.
  const ran = await execa(process.execPath, ["--input-type=module"], { cwd: root, input: code, reject: false });
  expect(ran.stderr).toBe("");
  expect(ran.exitCode).toBe(0);
});

test("the surface is deliberate: what is exported is in an example's group, and there are about sixty names", async () => {
  const { stdout } = await execa(
    process.execPath,
    ["--input-type=module", "-e", 'import * as z from "zandrel"; console.log(Object.keys(z).length)'],
    { cwd: root },
  );
  expect(Number(stdout)).toBeGreaterThanOrEqual(45);
  expect(Number(stdout)).toBeLessThanOrEqual(75);
});
