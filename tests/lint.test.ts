import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { describe, expect, test } from "@jest/globals";
import { execa } from "execa";
import { folderWith } from "./zandrel.ts";

const root = new URL("..", import.meta.url).pathname;

/**
 * What the linter says about an import, in a file of a folder that has the project's rules and layout and nothing else:
 * probes never lie in the sources.
 */
const lint = (path: string, from: string): Promise<string> =>
  lintText(path, `import * as x from "${from}";\nexport const y = x;\n`);

async function lintText(path: string, text: string): Promise<string> {
  const folder = folderWith();
  const rules = JSON.parse(readFileSync(`${root}biome.json`, "utf8"));
  writeFileSync(join(folder, "biome.json"), JSON.stringify({ ...rules, vcs: { enabled: false }, $schema: undefined }));
  mkdirSync(dirname(join(folder, path)), { recursive: true });
  writeFileSync(join(folder, path), text);
  const { stdout, stderr } = await execa(`${root}node_modules/.bin/biome`, ["lint", path], { cwd: folder, reject: false });
  return stdout + stderr;
}

test.each([
  [80, "core/probe.ts", false],
  [81, "core/probe.ts", true],
  [81, "lab/probe.ts", true],
  [300, "core/probe.test.ts", false],
])("a function of %d lines in %s is too long: %s", async (lines, path, isTooLong) => {
  const text = `export function probe(): void {\n${"  globalThis.close();\n".repeat(lines)}}\n`;
  expect(/noExcessiveLinesPerFunction/.test(await lintText(`src/${path}`, text))).toBe(isTooLong);
});

describe("the direction rules fire", () => {
  test.each<[string, string, RegExp]>([
    ["core/probe.ts", "../net/index.ts", /core computes only/],
    ["core/name/probe.ts", "../../workspace/index.ts", /core computes only/],
    ["core/probe.ts", "../present/index.ts", /core computes only/],
    ["core/probe.ts", "../app/session.ts", /core computes only/],
    ["core/probe.ts", "../cli/run.ts", /core computes only/],
    ["core/probe.ts", "../lab/index.ts", /core computes only/],
    ["core/probe.ts", "node:fs", /core computes only/],
    ["core/probe.ts", "node:dgram", /core computes only/],
    ["core/probe.ts", "libsql", /core computes only/],
    ["net/probe.ts", "../workspace/index.ts", /net knows core only/],
    ["net/probe.ts", "../app/session.ts", /net knows core only/],
    ["workspace/probe.ts", "../present/index.ts", /do not know each other/],
    ["workspace/probe.ts", "../net/index.ts", /workspace knows core only/],
    ["present/probe.ts", "../workspace/index.ts", /present knows core/],
    ["present/asks/probe.ts", "../../net/index.ts", /present knows core/],
    ["present/probe.ts", "../cli/options.ts", /present knows core/],
    ["app/asks/probe.ts", "../../present/index.ts", /neither the command line nor a face/],
    ["app/asks/probe.ts", "../../cli/options.ts", /neither the command line nor a face/],
    ["app/probe.ts", "yargs-parser", /neither the command line nor a face/],
    ["lab/probe.ts", "../app/session.ts", /lab knows net and core only/],
    ["lab/probe.ts", "../workspace/index.ts", /lab knows net and core only/],
    ["start/probe.ts", "../cli/run.ts", /start knows nothing/],
    ["start/probe.ts", "../core/name/index.ts", /start knows nothing/],
    ["demo/probe.ts", "../app/session.ts", /types commands as a user would/],
    ["cli/commands/probe.ts", "./status.ts", /never imports another command/],
    ["cli/commands/spf/probe.ts", "./test.ts", /never imports another command/],
    ["cli/commands/spf/probe.ts", "../status.ts", /never imports another command/],
    ["cli/commands/spf/probe.ts", "../dkim/new.ts", /never imports another command/],
  ])("src/%s may not import %s", async (path, from, message) => expect(await lint(`src/${path}`, from)).toMatch(message));

  test.each<[string, string]>([
    ["core/spf/probe.ts", "../name/domain-name.ts"],
    ["core/audit/rules/probe.ts", "../../spf/tree.ts"],
    ["app/asks/probe.ts", "../../core/spf/tree.ts"],
    ["app/asks/probe.ts", "../../net/transport.ts"],
    ["app/asks/probe.ts", "../../workspace/journal.ts"],
    ["present/asks/probe.ts", "../../core/change/draft.ts"],
    ["net/probe.ts", "../core/name/domain-name.ts"],
  ])("src/%s may not go past the door to %s", async (path, from) =>
    expect(await lint(`src/${path}`, from)).toContain("import the folder's door"),
  );

  test.each([
    ["core/probe.ts", "zod"],
    ["core/probe.ts", "node:crypto"],
    ["core/spf/probe.ts", "../name/index.ts"],
    ["core/spf/probe.ts", "./tree.ts"],
    ["net/probe.ts", "../core/name/index.ts"],
    ["app/asks/probe.ts", "../../workspace/index.ts"],
    ["app/asks/probe.ts", "./add.ts"],
    ["app/asks/probe.ts", "../../core/ask/intake/index.ts"],
    ["present/asks/probe.ts", "../../app/asks/status.ts"],
    ["cli/commands/probe.ts", "../options.ts"],
    ["cli/commands/spf/probe.ts", "../../options.ts"],
    ["lab/probe.ts", "../net/index.ts"],
  ])("src/%s may import %s", async (path, from) => expect(await lint(`src/${path}`, from)).not.toContain("noRestrictedImports"));
});

test("options are read in cli alone, and names are made by their readers", async () => {
  const { stdout } = await execa("git", ["grep", "-nE", '\\bargs\\.[a-zA-Z]+ as\\b|args\\["[^"]+"\\] as\\b', "--", "src"], {
    cwd: root,
    reject: false,
  });
  expect(stdout).toBe("");
});

test("a ring of imports is refused, and there is none", async () => {
  const { exitCode, stdout } = await execa(
    `${root}node_modules/.bin/biome`,
    ["lint", "--only=suspicious/noImportCycles", "src"],
    {
      cwd: root,
      reject: false,
    },
  );
  expect(stdout).not.toContain("noImportCycles");
  expect(exitCode).toBe(0);
});
