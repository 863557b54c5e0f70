import { spawn } from "node:child_process";
import { once } from "node:events";
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import type { Clause } from "../src/core/clause/index.ts";
import { name } from "../src/core/name/index.ts";
import type { SweepEntry } from "../src/core/sweep/index.ts";
import { startLab } from "../src/lab/index.ts";
import { inWords } from "../src/present/clauses/index.ts";
import { openSweepQueue } from "../src/workspace/index.ts";
import { describePostgres, type Postgres, startPostgres } from "./postgres.ts";
import { sweepContract } from "./sweep-contract.ts";
import { ENVIRONMENT, folderWith, PROGRAM, zandrel } from "./zandrel.ts";

/** Sweeps that many processes share, through a real PostgreSQL. */
describePostgres("a queue in PostgreSQL", () => {
  let postgres: Postgres;
  let lab: Awaited<ReturnType<typeof startLab>>;
  const told: Clause[] = [];
  const open = (lease = 600_000) => openSweepQueue(postgres.url, { lease, tell: async (said) => void told.push(said) });
  const env = () => ({ ZANDREL_CLOCK: lab.clock.text(), QUEUE: postgres.url });

  beforeAll(async () => {
    postgres = await startPostgres();
    lab = await startLab({
      start: Date.parse("2026-03-02T09:00:00Z"),
      speed: 1,
      port: 0,
      domains: [name("strings.test")],
    });
  });
  afterAll(async () => {
    await lab?.close();
    await postgres?.close();
  });

  sweepContract("PostgreSQL", async () => {
    await postgres.ask("DROP SCHEMA IF EXISTS zandrel CASCADE; DROP SCHEMA IF EXISTS zandrel_jobs CASCADE");
    return open();
  });

  async function* entries(count: number): AsyncGenerator<SweepEntry> {
    for (let i = 1; i <= count; i++) yield { domain: name(`d${i}.example`), given: `d${i}.example`, line: i, own: [] };
  }

  test("two processes get different jobs; those of one that is lost go to the other, and at last end with the reason", async () => {
    const [first, second] = [await open(1000), await open(1000)];
    const sweep = await first.begin({ name: "lost", checks: [], columns: [], fingerprint: "lost" }, entries(6), 0);
    const none = new Set<never>();
    const [mine, theirs] = [await first.waiting(sweep, 3, none), await second.waiting(sweep, 10, none)];
    expect(new Set([...mine, ...theirs].map(({ domain }) => domain)).size).toBe(6);
    expect([mine.length, theirs.length]).toEqual([3, 3]);
    const result = { findings: [], unresolved: [], providers: { nameServers: [], mail: [], signing: [], sending: [] } };
    await first.keep(
      sweep,
      mine.map(({ domain }) => ({ domain, attempts: 1, at: 1, result })),
      [],
    );
    // The second is lost with its three, again and again.
    const seen: string[] = [];
    for (let i = 0; i < 400 && (await first.left(sweep)) > 0; i++) {
      seen.push(...(await first.waiting(sweep, 10, none)).map(({ domain }) => domain));
      await new Promise((resolve) => setTimeout(resolve, 250));
    }
    expect(await first.left(sweep)).toBe(0);
    const outcomes = await first.outcomes(sweep, 0, 10);
    const lost = outcomes.filter(({ result: { unresolved } }) => unresolved.length > 0);
    expect(lost.map(({ domain }) => domain).sort()).toEqual(theirs.map(({ domain }) => domain).sort());
    expect(new Set(seen)).toEqual(new Set(theirs.map(({ domain }) => domain)));
    expect(lost[0]?.result.unresolved[0]?.because).toEqual({ clause: "sweep-workers-lost", workers: 3 });
    await Promise.all([first.close(), second.close()]);
  });

  test("processes that keep outcomes at the same moment number them one after the other", async () => {
    const stores = [await open(), await open(), await open()];
    const [first] = stores as [(typeof stores)[number]];
    const sweep = await first.begin({ name: "numbers", checks: [], columns: [], fingerprint: "numbers" }, entries(60), 0);
    const result = { findings: [], unresolved: [], providers: { nameServers: [], mail: [], signing: [], sending: [] } };
    const outcome = (i: number) => ({ domain: name(`d${i}.example`), attempts: 1, at: 1, result });
    await Promise.all(Array.from({ length: 60 }, (_, i) => stores[i % 3]?.keep(sweep, [outcome(i + 1)], [])));
    expect((await first.outcomes(sweep, 0, 100)).map(({ sequence }) => sequence)).toEqual(
      Array.from({ length: 60 }, (_, i) => i + 1),
    );
    await Promise.all(stores.map((store) => store.close()));
  });

  test("a database that goes away for a moment is waited for, and said to be away", async () => {
    const store = await open();
    const sweep = await store.begin({ name: "away", checks: [], columns: [], fingerprint: "away" }, entries(3), 0);
    told.length = 0;
    await postgres.stop();
    const asked = store.progress(sweep);
    await new Promise((resolve) => setTimeout(resolve, 3500));
    await postgres.start();
    expect(await asked).toMatchObject({ domains: 3 });
    expect(told.map(inWords).join("\n")).toMatch(
      /^The database at 127\.0\.0\.1:\d+\/postgres cannot be reached; waiting for it\.$/m,
    );
    expect(told.map(inWords).join("\n")).not.toContain("a-made-up-password");
    await store.close();
  });

  test.each<[string, (url: string) => string, RegExp]>([
    [
      "another password",
      (url) => url.replace("a-made-up-password", "wrong-one"),
      /could not be used: password authentication failed/,
    ],
    ["nobody there", () => "postgres://127.0.0.1:9/none", /the database at 127\.0\.0\.1:9\/none could not be used/],
  ])("%s: one sentence, without the password", async (_, url, sentence) => {
    const folder = folderWith({ "list.txt": "strings.test\n" });
    const ran = await zandrel(folder, ["sweep", "list.txt", "--queue", "env:QUEUE"], { env: { QUEUE: url(postgres.url) } });
    expect([ran.exit, ran.err]).toEqual([3, expect.stringMatching(sentence)]);
    expect(ran.err).not.toMatch(/a-made-up-password|wrong-one/);
  });

  test("machines that begin at once in an empty database make its tables once", async () => {
    for (let round = 0; round < 5; round++) {
      await postgres.ask("DROP SCHEMA IF EXISTS zandrel CASCADE");
      await postgres.ask("DROP SCHEMA IF EXISTS zandrel_jobs CASCADE");
      const stores = await Promise.all(Array.from({ length: 4 }, () => open()));
      expect(await postgres.ask("SELECT version FROM zandrel.form")).toEqual([{ version: 2 }]);
      await Promise.all(stores.map((store) => store.close()));
    }
  });

  test("an address that is none, and tables of a newer Zandrel", async () => {
    const folder = folderWith({ "list.txt": "strings.test\n" });
    const wrong = await zandrel(folder, ["sweep", "list.txt", "--queue", "mysql://x/y"]);
    expect([wrong.exit, wrong.err]).toEqual([2, expect.stringMatching(/--queue is not the address of a database/)]);
    await (await open()).close();
    await postgres.ask("UPDATE zandrel.form SET version = 99");
    const newer = await zandrel(folder, ["sweep", "list.txt", "--queue", "env:QUEUE"], { env: env() });
    expect([newer.exit, newer.err]).toEqual([2, expect.stringMatching(/99/)]);
    await postgres.ask("UPDATE zandrel.form SET version = 2");
  });

  test("tables of an older Zandrel are brought up to date, and what they hold stays", async () => {
    const store = await open();
    await postgres.ask("ALTER TABLE zandrel.skipped DROP COLUMN own");
    await postgres.ask("UPDATE zandrel.form SET version = 1");
    await store.close();
    const newer = await open();
    const sweep = await newer.begin(
      { name: "brought-up", checks: [], columns: ["id"], fingerprint: "brought-up" },
      (async function* () {
        yield { line: 1, text: "rubbish", why: "one-label" as const, detail: "", own: ["7"] };
      })(),
      1000,
    );
    const skipped = [];
    for await (const one of newer.skipped(sweep)) skipped.push(one);
    expect(skipped).toEqual([{ line: 1, text: "rubbish", why: "one-label", detail: "", own: ["7"] }]);
    expect(await postgres.ask("SELECT version FROM zandrel.form")).toEqual([{ version: 2 }]);
    await newer.discard(sweep);
    await newer.close();
  });

  test("workers on other machines take part, two are killed at some moment, and every domain is there once", async () => {
    // No sweep of another test is left.
    await postgres.ask("DROP SCHEMA IF EXISTS zandrel CASCADE; DROP SCHEMA IF EXISTS zandrel_jobs CASCADE");
    const names = Array.from({ length: 300 }, (_, i) => `d${i}.strings.test`);
    const folder = folderWith({ "zandrel.yaml": lab.settings, "list.txt": `${names.join("\n")}\nrubbish\n` });
    const common = ["--queue", "env:QUEUE", "--lease", "5s", "--threads", "1", "--concurrency", "8"];
    const options = { cwd: folder, env: { ...ENVIRONMENT, HOME: folder, ...env() } };
    const worker = () =>
      spawn(process.execPath, [PROGRAM, "sweep", "work", ...common], { ...options, stdio: ["ignore", "ignore", "pipe"] });
    const workers = [worker(), worker(), worker()];
    const swept = zandrel(folder, ["sweep", "list.txt", "--checks", "mail-in", "--format", "ndjson", ...common], { env: env() });
    for (const lost of workers.slice(0, 2)) {
      // It takes part, or there was nothing left for it.
      await Promise.race([once(lost.stderr, "data"), swept]);
      lost.kill("SIGKILL");
    }
    const { exit, out, err } = await swept;
    expect([exit, err]).toEqual([1, ""]);
    workers[2]?.kill("SIGKILL");
    const told = out
      .trim()
      .split("\n")
      .map((line) => JSON.parse(line));
    expect(told.filter(({ kind }) => kind === "skipped")).toHaveLength(1);
    const domains = told.filter(({ kind }) => kind === "domain").map(({ domain }) => domain);
    expect(domains).toHaveLength(300);
    expect(new Set(domains)).toEqual(new Set(names.map((one) => `${one}.`)));
    const report = await zandrel(folder, ["sweep", "report", "--queue", "env:QUEUE", "--json"], { env: env() });
    expect(report.json).toMatchObject({ domains: 300, left: 0 });
    const idle = await zandrel(folder, ["sweep", "work", ...common, "--once"], { env: env() });
    expect(idle).toMatchObject({ exit: 0, out: "There was no sweep to take part in.\n" });
  });
});
