import { existsSync, readdirSync, readFileSync } from "node:fs";
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
  // The schema of a command that is gone describes nothing.
  const schemas = readdirSync(`${root}docs/schemas`, { recursive: true, encoding: "utf8" }).filter((file) =>
    file.endsWith(".json"),
  );
  const written = new Set(files.map(([path]) => path));
  expect(schemas.filter((file) => !written.has(`docs/schemas/${file}`))).toEqual([]);
});

test("the examples at the head of every part of the core call what is there", () => {
  const files = readdirSync(`${root}src/core`, { recursive: true, encoding: "utf8" }).filter((file) => file.endsWith(".ts"));
  const texts = new Map(files.map((file) => [file, readFileSync(`${root}src/core/${file}`, "utf8")]));
  const defined = new Set(
    [...texts.values()].flatMap((text) =>
      [...text.matchAll(/export (?:async )?(?:const|function\*?|class) (\w+)/g)].map(([, name]) => name as string),
    ),
  );
  const examples = [...texts].flatMap(([file, text]) =>
    file.endsWith("index.ts")
      ? [...text.matchAll(/```ts\n([\s\S]*?)```/g)].map(([, code]) => [file, code as string] as const)
      : [],
  );
  expect(examples.length).toBeGreaterThan(10);
  const unknown = examples.flatMap(([file, code]) =>
    [...code.replace(/\/\/.*/g, "").matchAll(/(?<![.\w])(?:new )?([A-Za-z]\w+)\(/g)]
      .filter(([, name]) => !defined.has(name as string) && !((name as string) in globalThis))
      .map(([, name]) => `${file}: ${name}`),
  );
  expect(unknown).toEqual([]);
});
