import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, describe, expect, test } from "@jest/globals";
import type { Clock } from "../../clock.ts";
import { type DomainName, name } from "../../core/name/index.ts";
import type { SkippedLine, SweepEntry, SweepResult, SweepStore } from "../../core/sweep/index.ts";
import { openSweepFile } from "../../workspace/index.ts";
import type { Auditor } from "./auditor.ts";
import { openList, readList } from "./list.ts";
import { runSweep } from "./run.ts";
import { outcomesOf } from "./store.ts";

const folder = mkdtempSync(join(tmpdir(), "zandrel-test-"));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
let files = 0;
const file = (text: string | Buffer): string => {
  const path = `list-${++files}`;
  writeFileSync(join(folder, path), text);
  return path;
};

async function readAll(text: string | Buffer, column?: string) {
  const list = await openList(file(text), { cwd: folder, input: () => (async function* () {})() });
  const { columns, lines } = await readList(list, column);
  const all: (SweepEntry | SkippedLine)[] = [];
  for await (const one of lines) all.push(one);
  return {
    columns,
    entries: all.flatMap((one) => ("why" in one ? [] : [`${one.line} ${one.domain} ${one.own.join("|")}`])),
    skipped: all.flatMap((one) => ("why" in one ? [`${one.line} ${one.text} ${one.why}`] : [])),
  };
}

describe("lists", () => {
  test.each<[string, string | Buffer, string | undefined, object]>([
    [
      "one a line, with remarks and white space",
      "# mine\r\nbrackwater.example\r\n\r\n  puppetfest.example \r\nrubbish here\r\n",
      undefined,
      { columns: [], entries: ["2 brackwater.example. ", "4 puppetfest.example. "], skipped: ["5 rubbish here not-a-name"] },
    ],
    [
      "a table with a head",
      'id,Website,owner\n7,https://brackwater.example/,"Bo, B"\n8,localhost,Cy\n',
      undefined,
      { columns: ["id", "owner"], entries: ["2 brackwater.example. 7|Bo, B"], skipped: ["3 localhost one-label"] },
    ],
    [
      "a table without one, by semicolons, with a short row",
      "7;brackwater.example;Bo\n8;puppetfest.example\n",
      undefined,
      { columns: ["column 1", "column 3"], entries: ["1 brackwater.example. 7|Bo", "2 puppetfest.example. 8|"] },
    ],
    [
      "UTF-16 as spreadsheets save it",
      Buffer.from("\ufeffa\tdomain\n1\tbrackwater.example\n", "utf16le"),
      undefined,
      { entries: ["2 brackwater.example. 1"] },
    ],
    ["a column by its title", "a,b\nx,brackwater.example\n", "B", { columns: ["a"], entries: ["2 brackwater.example. x"] }],
    ["nothing", "", undefined, { entries: [], skipped: [] }],
    ["octets of no text", Buffer.from([0, 255, 1, 254, 10, 0, 7]), undefined, { entries: [] }],
  ])("%s", async (_, text, column, read) => expect(await readAll(text, column)).toMatchObject(read));

  test("a table that does not say where its domains are is asked about", async () => {
    await expect(readAll("a,b\n1,2\n")).rejects.toMatchObject({ code: "list-column", params: { known: ["a", "b"] } });
    await expect(readAll("a,b\n1,2\n", "c")).rejects.toMatchObject({ code: "list-column" });
  });

  test("a line without an end is refused before it fills the memory", async () => {
    await expect(readAll(`brackwater.example\n${"x".repeat(1 << 20)}`)).rejects.toMatchObject({ code: "list-line" });
  });

  test("a list on standard input is known again by what it holds", async () => {
    const input = () =>
      (async function* () {
        yield Buffer.from("brackwater.");
        yield Buffer.from("example\n");
      })();
    const [first, second] = [
      await openList("-", { cwd: folder, input }),
      await openList(file("brackwater.example\n"), { cwd: folder, input }),
    ];
    expect(first.fingerprint).toBe(second.fingerprint);
    first.close();
  });

  test("a folder, a missing file: one sentence", async () => {
    for (const path of [".", "nothing-there"])
      await expect(openList(path, { cwd: folder, input: () => (async function* () {})() })).rejects.toMatchObject({
        code: "file-unreadable",
      });
  });
});

/** A clock that stands still until somebody sleeps. */
function steppedClock(): Clock & { slept: number } {
  let now = 0;
  return {
    slept: 0,
    now: () => now,
    async sleep(ms) {
      now += ms;
      this.slept += ms;
    },
  };
}

const NOBODY = { nameServers: [], mail: [], signing: [], sending: [] };
const fine: SweepResult = { findings: [], unresolved: [], providers: NOBODY };
const open = (domain: DomainName): SweepResult => ({ ...fine, unresolved: [{ name: domain, type: "MX", because: "silence" }] });
const QUIET = { kept: async () => undefined, rests: () => undefined };
const PACE = { atOnce: 4, tries: 3, retryAfter: 60_000 };

async function* entries(count: number): AsyncGenerator<SweepEntry> {
  for (let i = 1; i <= count; i++) yield { domain: name(`d${i}.example`), given: `d${i}.example`, line: i, own: [String(i)] };
}
const begin = (store: SweepStore, lines: AsyncIterable<SweepEntry | SkippedLine>, title = "list") =>
  store.begin({ name: title, checks: ["spf"], columns: ["id"], fingerprint: title }, lines, 1000);
const outcomes = async (store: SweepStore, sweep: Awaited<ReturnType<typeof begin>>) => {
  const all = [];
  for await (const outcome of outcomesOf(store, sweep)) all.push(outcome);
  return all;
};
const counting = (): Auditor & { asked: DomainName[] } => {
  const asked: DomainName[] = [];
  return {
    asked,
    async audit(domain) {
      asked.push(domain);
      return fine;
    },
    close: async () => undefined,
  };
};

/** What any store of sweeps keeps to. */
describe.each<[string, () => Promise<SweepStore>]>([["a file", async () => openSweepFile(join(folder, `${++files}.db`))]])(
  "sweeps in %s",
  (_, make) => {
    test("every domain once, in an order of its own, with its line and its own columns", async () => {
      const store = await make();
      const sweep = await begin(store, entries(300));
      const auditor = counting();
      await runSweep(store, sweep, auditor, PACE, steppedClock(), QUIET);
      const all = await outcomes(store, sweep);
      expect(new Set(all.map(({ domain }) => domain)).size).toBe(300);
      expect(all.map(({ sequence }) => sequence)).toEqual(Array.from({ length: 300 }, (__, i) => i + 1));
      expect(all.find(({ domain }) => domain === "d7.example.")).toMatchObject({ line: 7, own: ["7"], attempts: 1 });
      expect(auditor.asked).not.toEqual(Array.from({ length: 300 }, (__, i) => `d${i + 1}.example.`));
      expect(await store.progress(sweep)).toEqual({ domains: 300, done: 300, skipped: 0 });
      await store.close();
    });

    test("a domain twice in the list is looked at once, and the second line is named", async () => {
      const store = await make();
      const sweep = await begin(
        store,
        (async function* () {
          yield* entries(2);
          yield { domain: name("d1.example"), given: "D1.example", line: 3, own: ["x"] };
          yield { line: 4, text: "rubbish", why: "one-label" as const, detail: "" };
        })(),
      );
      const skipped = [];
      for await (const line of store.skipped(sweep)) skipped.push(line);
      expect(skipped).toEqual([
        { line: 3, text: "D1.example", why: "duplicate", detail: "1" },
        { line: 4, text: "rubbish", why: "one-label", detail: "" },
      ]);
      expect(await store.progress(sweep)).toMatchObject({ domains: 2, skipped: 2 });
      await store.close();
    });

    test("who cannot be asked is asked again after all the others, a few times, and then said to be open", async () => {
      const store = await make();
      const sweep = await begin(store, entries(20));
      const clock = steppedClock();
      const order: string[] = [];
      const auditor: Auditor = {
        async audit(domain, again) {
          order.push(`${domain}${again ? " again" : ""}`);
          return domain === "d3.example." || (domain === "d5.example." && !again) ? open(domain) : fine;
        },
        close: async () => undefined,
      };
      await runSweep(store, sweep, auditor, PACE, clock, QUIET);
      expect(order.slice(20).sort()).toEqual(["d3.example. again", "d3.example. again", "d5.example. again"]);
      expect(clock.slept).toBeGreaterThanOrEqual(120_000);
      const all = await outcomes(store, sweep);
      expect(all).toHaveLength(20);
      expect(all.find(({ domain }) => domain === "d3.example.")).toMatchObject({ attempts: 3, result: open(name("d3.example")) });
      expect(all.find(({ domain }) => domain === "d5.example.")).toMatchObject({ attempts: 2, result: fine });
      await store.close();
    });

    test("a domain whose audit fails by a defect ends with its reason, and the others go on", async () => {
      const store = await make();
      const sweep = await begin(store, entries(9));
      const auditor: Auditor = {
        audit: async (domain) => {
          if (domain === "d4.example.") throw new Error("poisoned");
          return fine;
        },
        close: async () => undefined,
      };
      await runSweep(store, sweep, auditor, PACE, steppedClock(), QUIET);
      const all = await outcomes(store, sweep);
      expect(all).toHaveLength(9);
      expect(all.find(({ domain }) => domain === "d4.example.")?.result.unresolved).toMatchObject([{ because: "poisoned" }]);
      await store.close();
    });

    test("a run that breaks off goes on where it was", async () => {
      const store = await make();
      const sweep = await begin(store, entries(400));
      let left = 150;
      const breaking: Auditor = { ...counting(), audit: async () => fine };
      await expect(
        runSweep(store, sweep, breaking, PACE, steppedClock(), {
          ...QUIET,
          async kept(number) {
            left -= number;
            if (left <= 0) throw new Error("killed");
          },
        }),
      ).rejects.toThrow("killed");
      const first = (await outcomes(store, sweep)).length;
      expect(first).toBeGreaterThanOrEqual(150);
      expect(first).toBeLessThan(400);
      expect(await store.unfinished("list")).toEqual(sweep);
      const auditor = counting();
      await runSweep(store, sweep, auditor, PACE, steppedClock(), QUIET);
      expect(auditor.asked).toHaveLength(400 - first);
      expect(new Set((await outcomes(store, sweep)).map(({ domain }) => domain)).size).toBe(400);
      await store.finish(sweep, 2000);
      expect(await store.unfinished("list")).toBeUndefined();
      expect(await store.sweeps()).toMatchObject([{ name: "list", finished: 2000, domains: 400, done: 400 }]);
      await store.close();
    });

    test("an outcome that is handed in twice counts once", async () => {
      const store = await make();
      const sweep = await begin(store, entries(2));
      const outcome = { domain: name("d1.example"), attempts: 1, at: 5, result: fine };
      await store.keep(sweep, [outcome], []);
      await store.keep(sweep, [{ ...outcome, at: 9 }], []);
      expect(await outcomes(store, sweep)).toMatchObject([{ domain: "d1.example.", at: 5 }]);
      await store.close();
    });

    test("a list that broke off while it was read is no sweep, and is read anew", async () => {
      const store = await make();
      await expect(
        begin(
          store,
          (async function* () {
            yield* entries(6000);
            throw new Error("killed");
          })(),
        ),
      ).rejects.toThrow("killed");
      expect(await store.sweeps()).toEqual([]);
      expect(await store.unfinished("list")).toBeUndefined();
      const sweep = await begin(store, entries(3));
      expect(await store.progress(sweep)).toMatchObject({ domains: 3 });
      await store.close();
    });
  },
);
