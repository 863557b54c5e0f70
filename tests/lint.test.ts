import { mkdirSync, rmSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { describe, expect, test } from "@jest/globals";
import { execa } from "execa";

const root = new URL("..", import.meta.url).pathname;

/** Lints one file that is only there for the moment, and gives back what the linter says. */
async function lint(path: string, text: string): Promise<string> {
  const file = join(root, path);
  mkdirSync(dirname(file), { recursive: true });
  writeFileSync(file, text);
  try {
    const { stdout, stderr } = await execa(join(root, "node_modules/.bin/biome"), ["lint", path], { cwd: root, reject: false });
    return stdout + stderr;
  } finally {
    rmSync(file);
  }
}

describe("the direction rules fire", () => {
  test.each([
    ["core", "../net/index.ts", /core computes only/],
    ["core/name", "../../workspace/index.ts", /core computes only/],
    ["core", "../present/index.ts", /core computes only/],
    ["core", "../commands/run.ts", /core computes only/],
    ["core", "../lab/index.ts", /core computes only/],
    ["core", "node:fs", /core computes only/],
    ["core", "node:dgram", /core computes only/],
    ["core", "yaml", /core computes only/],
    ["net", "../workspace/index.ts", /net knows core only/],
    ["net", "../commands/run.ts", /net knows core only/],
    ["workspace", "../present/index.ts", /do not know each other/],
    ["workspace", "../net/index.ts", /workspace knows core only/],
    ["present", "../workspace/index.ts", /do not know each other/],
    ["present", "../net/index.ts", /present knows core only/],
    ["lab", "../commands/run.ts", /lab knows net and core only/],
    ["lab", "../workspace/index.ts", /lab knows net and core only/],
  ])("src/%s may not import %s", async (folder, from, message) => {
    expect(await lint(`src/${folder}/zz-direction-probe.ts`, `import * as x from "${from}";\nexport const y = x;\n`)).toMatch(
      message,
    );
  });
  test.each([
    ["core", "zod"],
    ["core", "node:crypto"],
    ["net", "../core/name/index.ts"],
    ["commands", "../workspace/index.ts"],
    ["lab", "../net/index.ts"],
  ])("src/%s may import %s", async (folder, from) => {
    expect(
      await lint(`src/${folder}/zz-direction-probe.ts`, `import * as x from "${from}";\nexport const y = x;\n`),
    ).not.toContain("noRestrictedImports");
  });
  test("a ring of imports is refused", async () => {
    const other = join(root, "src/core/zz-ring-probe.ts");
    writeFileSync(other, 'import * as x from "./zz-direction-probe.ts";\nexport const z = x;\n');
    try {
      expect(
        await lint("src/core/zz-direction-probe.ts", 'import * as x from "./zz-ring-probe.ts";\nexport const y = x;\n'),
      ).toContain("noImportCycles");
    } finally {
      rmSync(other);
    }
  });
});
