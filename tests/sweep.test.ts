import { spawn } from "node:child_process";
import { once } from "node:events";
import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { parse } from "csv-parse/sync";
import { name } from "../src/core/name/index.ts";
import { startLab } from "../src/lab/index.ts";
import { folderWith, freePort, PROGRAM, zandrel } from "./zandrel.ts";

/** Sweeps through the built program, on the lab: its domains, and names that nobody registered. */
type Lab = Awaited<ReturnType<typeof startLab>>;
let lab: Lab;
beforeAll(async () => {
  lab = await startLab({
    start: Date.parse("2026-03-02T09:00:00Z"),
    port: 0,
    domains: [name("quillmark.test"), name("strings.test")],
  });
});
afterAll(() => lab.close());

const env = () => ({ ZANDREL_CLOCK: lab.clock.text() });
const folderOf = (files: Record<string, string> = {}) => folderWith({ "zandrel.yaml": lab.settings, ...files });
const run = (folder: string, ...argv: string[]) => zandrel(folder, argv, { env: env() });
const lines = (text: string) =>
  text
    .split("\n")
    .filter((line) => line !== "")
    .map((line) => JSON.parse(line));

const LIST =
  'customer;Site;owner\n1;https://www.quillmark.test/shop;"Ada; A"\n2;strings.test;=SUM(1)\n3;Quillmark.TEST;Ada\n4;192.0.2.1;\n5;;\n';

describe("a list", () => {
  test("a line a domain, with its worst finding and what to do; what is not a domain is named", async () => {
    const folder = folderOf({ "list.csv": LIST });
    const swept = await run(folder, "sweep", "list.csv");
    expect(swept.exit).toBe(1);
    expect(swept.out).toMatch(
      /^! quillmark\.test \(listed as https:\/\/www\.quillmark\.test\/shop\): .*\. → .*\(and \d more\)$/m,
    );
    expect(swept.out).toContain("2 domains looked at in ");
    expect(swept.out).toContain("line 4: Quillmark.TEST: line 2 has the same domain");
    expect(swept.out).toContain("line 5: 192.0.2.1: it is an IP address and no domain");
    expect(swept.out).toContain("Next: zandrel sweep report list-2026-03-02\n");
    const report = await run(folder, "sweep", "report", "list-2026-03-02", "--json");
    expect(report.json).toMatchObject({ domains: 2, left: 0, nameServers: [{ provider: "nettlehost.example.", domains: 2 }] });
    expect((await run(folder, "sweep", "report")).out).toMatch(/2 of 2 +risks +The domain has no SPF record/);
  });

  test("a name with umlauts is shown in both forms to people, and stands in tables as it is in the DNS", async () => {
    const folder = folderOf({ "list.txt": "bücher.example\n" });
    expect((await run(folder, "sweep", "list.txt", "--checks", "spf")).out).toMatch(
      /^✗ bücher\.example \(xn--bcher-kva\.example\): /,
    );
    const table = await run(folder, "sweep", "list.txt", "--checks", "spf", "--format", "csv");
    expect(parse(table.out, { columns: true })).toMatchObject([
      { domain: "xn--bcher-kva.example", "listed as": "bücher.example" },
    ]);
  });

  test("as a table with its own columns, in which nothing is a formula", async () => {
    const folder = folderOf({ "list.csv": LIST });
    const swept = await run(folder, "sweep", "list.csv", "--format", "csv", "--checks", "spf,dmarc");
    const rows = parse(swept.out, { columns: true }) as Record<string, string>[];
    expect(rows.filter(({ severity }) => severity !== "skipped")).toHaveLength(2);
    expect(rows.find(({ domain }) => domain === "strings.test")).toMatchObject({
      customer: "2",
      owner: "'=SUM(1)",
      finding: "spf-missing",
    });
    expect(
      rows.filter(({ severity }) => severity === "skipped").map(({ line, finding, owner }) => [line, finding, owner]),
    ).toEqual([
      ["4", "duplicate", "Ada"],
      ["5", "address", ""],
      ["6", "blank", ""],
    ]);
    expect(rows.find(({ domain }) => domain === "quillmark.test")).toMatchObject({ owner: "Ada; A", line: "2", findings: "2" });
  });

  test("as JSON lines, as JUnit, as one object, and from standard input", async () => {
    const folder = folderOf();
    const input = "strings.test\n\u001b[31mrubbish\n";
    const ndjson = await zandrel(folder, ["sweep", "-", "--format", "ndjson"], { env: env(), input });
    expect(ndjson.out).not.toContain("\u001b");
    expect(lines(ndjson.out)).toMatchObject([
      { kind: "skipped", line: 2, why: "not-a-name" },
      { kind: "domain", domain: "strings.test.", given: "strings.test", attempts: 1, unresolved: [] },
    ]);
    const junit = await zandrel(folder, ["sweep", "-", "--format", "junit", "--fail-on", "breaks"], { env: env(), input });
    expect([junit.exit, junit.out]).toEqual([
      0,
      expect.stringMatching(/^<\?xml[\s\S]*<testsuite name="strings\.test"[\s\S]*<\/testsuites>\n$/),
    ]);
    expect(junit.out).toMatch(
      /<testsuite name="line 2" tests="1" failures="0" errors="0" skipped="1">\n.*<skipped message="line 2: .*rubbish/,
    );
    expect(junit.out).not.toContain("<error");
    const summary = await zandrel(folder, ["sweep", "-", "--json"], { env: env(), input });
    expect(summary.json).toMatchObject({ domains: 1, skipped: 1, resumed: false });
  });

  test.each<[string, string[], string, RegExp]>([
    ["nothing in it", ["sweep", "-"], "# nothing\n", /there is no domain in the list: give a file with one domain a line/],
    ["only rubbish", ["sweep", "-"], "192.0.2.1\n", /there is no domain in the list, and 1 line in it could not be read as one/],
    ["an area that is none", ["sweep", "-", "--checks", "spv"], "strings.test\n", /--checks cannot be “spv”; did you mean spf\?/],
    ["no such file", ["sweep", "nothing.txt"], "", /nothing\.txt is not there/],
    ["no such sweep", ["sweep", "report", "x"], "", /there is no sweep yet: make one with zandrel sweep LIST/],
  ])("%s: one sentence, and what to do", async (_, argv, input, sentence) => {
    const ran = await zandrel(folderOf(), argv, { env: env(), input });
    expect([ran.exit, ran.err]).toEqual([2, expect.stringMatching(sentence)]);
  });

  test("a list without a domain leaves no sweep behind, and a sweep's name is not an option", async () => {
    const folder = folderOf({ "-x.txt": "strings.test\n" });
    expect((await zandrel(folder, ["sweep", "-"], { env: env(), input: "rubbish\n" })).exit).toBe(2);
    expect((await run(folder, "sweep", "report")).err).toMatch(/there is no sweep yet/);
    const swept = await run(folder, "sweep", "./-x.txt", "--checks", "spf");
    const next = /Next: zandrel (.*)/.exec(swept.out)?.[1] as string;
    expect(await run(folder, ...next.split(" "))).toMatchObject({ exit: 0, err: "" });
  });

  test("without a workspace the sweep is kept in the folder", async () => {
    const folder = folderWith({ "list.txt": "strings.test\n" });
    const nobody = `127.0.0.1:${await freePort()}`;
    const sweep = ["sweep", "list.txt", "--resolver", nobody, "--tries", "2", "--retry-after", "1s", "--timeout", "0.5"];
    const swept = await run(folder, ...sweep);
    expect(swept.exit).toBe(3);
    expect(swept.out).toMatch(/^\? strings\.test: .* could not be asked/m);
    expect(swept.out).toContain("1 domain could not be asked about everything");
    expect((await run(folder, "sweep", "report", "--json")).json).toMatchObject({ unresolved: 1, domains: 1 });
    const ndjson = await run(folder, ...sweep, "--format", "ndjson");
    expect(lines(ndjson.out)[0]).toMatchObject({
      unresolved: expect.arrayContaining([{ because: expect.any(String), name: "strings.test.", type: expect.any(String) }]),
    });
  });
});

test("what changed between two sweeps: fixed and new, as text, table and page", async () => {
  const folder = folderOf({ "list.txt": "quillmark.test\nstrings.test\n" });
  await run(folder, "sweep", "list.txt", "--checks", "spf,dmarc");
  const apex = name("strings.test");
  lab.nettlehost.put(apex, {
    name: apex,
    type: "TXT",
    ttl: 60,
    data: [{ strings: ["v=spf1 -all"] }, { strings: ["v=spf1 ~all"] }],
  });
  lab.clock.leap(3_700_000);
  writeFileSync(join(folder, "later.txt"), "strings.test\nbrackwater.example\n");
  await run(folder, "sweep", "later.txt", "--checks", "spf,dmarc");
  const diff = await run(folder, "sweep", "diff", "list-2026-03-02", "later-2026-03-02", "--json");
  expect(diff.exit).toBe(1);
  expect(diff.json.domains).toMatchObject([
    { domain: "strings.test.", kind: "compared", worse: true, fresh: [{ id: "spf-several" }], fixed: [{ id: "spf-missing" }] },
    { domain: "brackwater.example.", kind: "added" },
    { domain: "quillmark.test.", kind: "removed" },
  ]);
  const text = await run(folder, "sweep", "diff", "list-2026-03-02", "later-2026-03-02");
  expect(text.out).toMatch(/strings\.test \(worse\)\n {2}new {3}.*→/);
  expect(text.out).toContain("Next: zandrel audit strings.test");
  const page = await run(folder, "sweep", "diff", "list-2026-03-02", "later-2026-03-02", "--format", "html");
  expect(page.out).toMatch(/^<!doctype html>[\s\S]*strings\.test[\s\S]*<\/html>\n$/);
  expect(page.out).not.toContain("<script");
  const table = parse((await run(folder, "sweep", "diff", "list-2026-03-02", "later-2026-03-02", "--format", "csv")).out, {
    columns: true,
  });
  expect(table).toContainEqual(expect.objectContaining({ domain: "strings.test", change: "fixed", finding: "spf-missing" }));
});

test("what only one of two sweeps looked at is neither fixed nor new", async () => {
  const folder = folderOf({
    "list.txt": "quillmark.test\n",
    "again.txt": "quillmark.test\n# again\n",
    "more.txt": "quillmark.test\n# more\n",
  });
  await run(folder, "sweep", "list.txt");
  await run(folder, "sweep", "again.txt", "--checks", "spf");
  await run(folder, "sweep", "more.txt", "--checks", "mail-in");
  const diff = await run(folder, "sweep", "diff", "list-2026-03-02", "again-2026-03-02");
  expect([diff.exit, diff.out]).toEqual([
    0,
    expect.stringMatching(/0 findings mended, 0 new[\s\S]*Only what both looked at is compared: spf\./),
  ]);
  const apart = await run(folder, "sweep", "diff", "again-2026-03-02", "more-2026-03-02");
  expect([apart.exit, apart.err]).toEqual([2, expect.stringMatching(/looked at different areas/)]);
});

test("killed at any moment, and started again: every domain once, none lost, and two threads share the work", async () => {
  const names = Array.from({ length: 400 }, (_, i) => `d${i}.strings.test`);
  const folder = folderOf({ "list.txt": `${names.join("\n")}\n` });
  const argv = ["sweep", "list.txt", "--format", "ndjson", "--checks", "spf,mail-in", "--threads", "2"];
  const out = join(folder, "out.ndjson");
  for (const _ of [1, 2]) {
    const child = spawn(process.execPath, [PROGRAM, ...argv], {
      cwd: folder,
      env: { PATH: process.env.PATH, HOME: folder, ...env() },
      stdio: ["ignore", "pipe", "ignore"],
    });
    // Killed when it has told something, and at a moment that differs from run to run.
    await once(child.stdout, "data");
    child.kill("SIGKILL");
    await once(child, "exit");
  }
  const swept = await run(folder, ...argv);
  expect(swept.err).toMatch(/^Resuming list-2026-03-02: \d+ of 400 domains are done\.\n/);
  writeFileSync(out, swept.out);
  const told = lines(readFileSync(out, "utf8")).map(({ domain }) => domain);
  expect(told).toHaveLength(400);
  expect(new Set(told)).toEqual(new Set(names.map((one) => `${one}.`)));
  const anew = await run(folder, ...argv, "--json");
  expect(anew.json).toMatchObject({ sweep: "list-2026-03-02-2", resumed: false, domains: 400 });
});
