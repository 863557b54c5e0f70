import { describe, expect, test } from "@jest/globals";
import { broken, sources } from "../house.mjs";

/** What is found in one file, with nothing else in the house. */
const inFile = (path: string, text: string): string => broken(new Map([[path, text]])).join("\n");
const importing = (path: string, from: string): string => inFile(path, `import { x } from "${from}";\nexport const y = x;\n`);

test("the house stands as it says", () => expect(broken(sources())).toEqual([]));

test.each([
  [80, "core/probe.ts", false],
  [81, "core/probe.ts", true],
  [81, "lab/probe.ts", true],
])("a function of %d lines in %s is too long: %s", (lines, path, isTooLong) => {
  const body = "  globalThis.close();\n\n".repeat(lines);
  for (const [head, end] of [
    ["export function probe(): void {\n", "}\n"],
    ["// A remark.\n\nexport const probe = (): void => {\n", "};\n"],
    ["export class Probe {\n  #own(): void {\n", "  }\n}\n"],
    ["export const probe = { own() {\n", "} };\n"],
  ])
    expect(/has \d+ lines/.test(inFile(path, `${head}${body}${end}`))).toBe(isTooLong);
});

test.each<[string, string, boolean]>([
  ["present/probe.ts", '"Everything asked for is there."', true],
  ["cli/probe.ts", '"Nothing else was lost at 3 names"', true],
  ["present/judgement.ts", '"Everything asked for is there."', false],
  ["present/probe.ts", '"Everything is entered."', false],
])("in %s a sentence that says done (%s) is a breach: %s", (path, text, isBreach) =>
  expect(/from a judgement/.test(inFile(path, `export const probe = ${text};\n`))).toBe(isBreach),
);

describe("the directions", () => {
  test.each<[string, string, RegExp]>([
    ["core/probe.ts", "../net/index.ts", /core may import no other part/],
    ["core/name/probe.ts", "../../workspace/index.ts", /core may import no other part/],
    ["core/probe.ts", "../present/index.ts", /core may import no other part/],
    ["core/probe.ts", "../app/session.ts", /core may import no other part/],
    ["core/probe.ts", "../cli/run.ts", /core may import no other part/],
    ["core/probe.ts", "../lab/index.ts", /core may import no other part/],
    ["core/probe.ts", "../clock.ts", /core may import no other part/],
    ["core/probe.ts", "node:fs", /core computes only/],
    ["core/probe.ts", "node:dgram", /core computes only/],
    ["core/probe.ts", "libsql", /core computes only/],
    ["net/probe.ts", "../workspace/index.ts", /net may import core/],
    ["net/probe.ts", "../app/session.ts", /net may import core/],
    ["workspace/probe.ts", "../present/index.ts", /workspace may import core/],
    ["workspace/probe.ts", "../net/index.ts", /workspace may import core/],
    ["present/probe.ts", "../workspace/index.ts", /present may import core/],
    ["present/asks/probe.ts", "../../net/index.ts", /present may import core/],
    ["present/asks/probe.ts", "../../app/asks/status.ts", /and types of app/],
    ["present/probe.ts", "../cli/options.ts", /present may import core/],
    ["app/asks/probe.ts", "../../present/index.ts", /app may import core/],
    ["app/asks/probe.ts", "../../cli/options.ts", /app may import core/],
    ["app/probe.ts", "yargs-parser", /app is not a face/],
    ["lab/probe.ts", "../app/session.ts", /lab may import core, net/],
    ["lab/probe.ts", "../workspace/index.ts", /lab may import core, net/],
    ["start/probe.ts", "../cli/run.ts", /start may import no other part/],
    ["start/probe.ts", "../core/name/index.ts", /start may import no other part/],
    ["demo/probe.ts", "../app/session.ts", /demo may import core, lab/],
    ["cli/probe.ts", "../workspace/index.ts", /cli may import core, app/],
    ["cli/probe.ts", "../net/index.ts", /cli may import core, app/],
    ["cli/commands/probe.ts", "./status.ts", /never imports another command/],
    ["cli/commands/spf/probe.ts", "./test.ts", /never imports another command/],
    ["cli/commands/spf/probe.ts", "../status.ts", /never imports another command/],
    ["cli/commands/spf/probe.ts", "../dkim/new.ts", /never imports another command/],
    ["attic/probe.ts", "../core/name/index.ts", /not a part of the house/],
  ])("src/%s may not import %s", (path, from, message) => {
    expect(importing(path, from)).toMatch(message);
    expect(inFile(path, `export const x = () => import("${from}");\n`)).toMatch(message);
  });

  test.each<[string, string]>([
    ["core/spf/probe.ts", "../name/domain-name.ts"],
    ["core/audit/rules/probe.ts", "../../spf/tree.ts"],
    ["app/asks/probe.ts", "../../core/spf/tree.ts"],
    ["app/asks/probe.ts", "../../net/transport.ts"],
    ["app/asks/probe.ts", "../../workspace/journal.ts"],
    ["present/asks/probe.ts", "../../core/change/draft.ts"],
    ["net/probe.ts", "../core/name/domain-name.ts"],
  ])("src/%s may not go past the door to %s", (path, from) =>
    expect(importing(path, from)).toContain("import the folder's door"),
  );

  test.each([
    ["core/probe.ts", "zod"],
    ["core/probe.ts", "node:crypto"],
    ["core/spf/probe.ts", "../name/index.ts"],
    ["core/spf/probe.ts", "./tree.ts"],
    ["net/probe.ts", "../core/name/index.ts"],
    ["app/asks/probe.ts", "../../workspace/index.ts"],
    ["app/asks/probe.ts", "../../net/web.ts"],
    ["app/asks/probe.ts", "./add.ts"],
    ["app/asks/probe.ts", "../../core/ask/intake/index.ts"],
    ["cli/commands/probe.ts", "../options.ts"],
    ["cli/commands/spf/probe.ts", "../../options.ts"],
    ["lab/probe.ts", "../net/index.ts"],
  ])("src/%s may import %s", (path, from) => expect(importing(path, from)).toBe(""));

  test("types alone may be imported where values may not", () =>
    expect(inFile("present/asks/probe.ts", 'import type { A } from "../../app/asks/status.ts";\nexport type B = A;\n')).toBe(""));
});

describe("rings", () => {
  const ring = (how: string) =>
    broken(
      new Map([
        ["core/spf/a.ts", `import { ${how} B } from "./b.ts";\nexport type A = B;\n`],
        ["core/spf/b.ts", `import { ${how} A } from "./a.ts";\nexport type B = A;\n`],
      ]),
    );
  test.each(["", "type"])("of files are refused, with %j in front of the names as well", (how) =>
    expect(ring(how)).toEqual(["a ring of imports: core/spf/a.ts, core/spf/b.ts"]),
  );
  test("of the rooms of app are refused", () =>
    expect(
      broken(
        new Map([
          ["app/asks/a.ts", 'import type { B } from "../hosts/b.ts";\nexport type A = B;\n'],
          ["app/hosts/b.ts", "export type B = 1;\n"],
          ["app/hosts/c.ts", 'import type { D } from "../asks/d.ts";\nexport type C = D;\n'],
          ["app/asks/d.ts", "export type D = 1;\n"],
        ]),
      ),
    ).toEqual(["rooms of app that call each other in a ring: app/asks, app/hosts"]));
  test("a file that only hands on what another part has is refused, a door is not", () => {
    expect(inFile("app/asks/web.ts", 'export { fetchPage } from "../../net/web.ts";\n')).toMatch(/only hands on/);
    expect(inFile("core/spf/index.ts", 'export { a } from "./a.ts";\n')).toBe("");
  });
});
