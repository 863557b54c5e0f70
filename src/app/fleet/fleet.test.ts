import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, describe, expect, test } from "@jest/globals";
import { sweepContract } from "../../../tests/sweep-contract.ts";
import type { SkippedLine, SweepEntry } from "../../core/sweep/index.ts";
import { nativeDatabase } from "../../workspace/database.ts";
import { openSweepFile } from "../../workspace/index.ts";
import { Load } from "./auditor.ts";
import { openList, readList } from "./list.ts";

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
  const { columns, column: read, lines } = await readList(list, column);
  const all: (SweepEntry | SkippedLine)[] = [];
  for await (const one of lines) all.push(one);
  return {
    columns,
    column: read,
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
      "rows without a domain, with and without anything else",
      "domain,owner\nbrackwater.example,Bo\n,Cy\n,\n \t,Dee\n# by hand,Ed\n",
      undefined,
      { entries: ["2 brackwater.example. Bo"], skipped: ["3  blank", "5  blank"] },
    ],
    ["blank lines of a plain list", "brackwater.example\n\n   \n", undefined, { skipped: [] }],
    [
      "UTF-16 as spreadsheets save it",
      Buffer.from("\ufeffa\tdomain\n1\tbrackwater.example\n", "utf16le"),
      undefined,
      { entries: ["2 brackwater.example. 1"] },
    ],
    [
      "UTF-16 without its mark",
      Buffer.from("a\tdomain\n1\tbrackwater.example\n", "utf16le"),
      undefined,
      { entries: ["2 brackwater.example. 1"] },
    ],
    [
      "one octet a character, as older programs save it",
      Buffer.from("Kunde;Domain\nMüller;bühne.example\n", "latin1"),
      undefined,
      { columns: ["Kunde"], entries: ["2 xn--bhne-0ra.example. Müller"] },
    ],
    ["bars", "Kunde | Domain\nAda | brackwater.example\n", "domain", { entries: ["2 brackwater.example. Ada "] }],
    ["a column by its title", "a,b\nx,brackwater.example\n", "B", { columns: ["a"], entries: ["2 brackwater.example. x"] }],
    [
      "a row with more cells than the table has columns",
      "domain,owner\nbrackwater.example,Bo,and Cy,\n",
      undefined,
      { columns: ["owner"], entries: ["2 brackwater.example. Bo,and Cy"] },
    ],
    [
      "a table with names of people, as a spreadsheet writes it",
      '\ufeffName;Customer;Domain\nAda;"Müller; Co";BRACKWATER.example.\nBo;;\n',
      undefined,
      {
        columns: ["Name", "Customer"],
        column: "Domain",
        entries: ["2 brackwater.example. Ada|Müller; Co"],
        skipped: ["3  blank"],
      },
    ],
    [
      "a table whose titles say nothing",
      "Kunde,Adresse\nAda,brackwater.example\nBo,puppetfest.example\n",
      undefined,
      { columns: ["Kunde"], column: "Adresse", entries: ["2 brackwater.example. Ada", "3 puppetfest.example. Bo"] },
    ],
    ["a head and nothing below it", "Name;Domain\n", undefined, { columns: ["Name"], entries: [], skipped: [] }],
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

describe("the load of a thread", () => {
  /** A thread that had something to do for a share of its time, ever since. */
  const working = (share: number) => new Load(() => ({ idle: 1 - share, active: share, utilization: share }));
  const never = () => new Promise<void>(() => undefined);

  test.each<[string, number, number, boolean]>([
    ["busy, with few domains", 1, 3, true],
    ["busy, with several", 1, 4, false],
    ["waiting for answers, with many", 0.5, 100, true],
    ["hardly ever waiting", 0.96, 4, false],
  ])("%s", (_, share, domains, room) => {
    const load = working(share);
    for (let i = 0; i < domains; i++) void load.during(never);
    expect(load.hasRoom).toBe(room);
  });

  test("what it did before its last domain does not count, and what ended is no longer load", async () => {
    let at = { idle: 0, active: 100, utilization: 1 };
    const load = new Load((since) => {
      const [idle, active] = [at.idle - (since?.idle ?? 0), at.active - (since?.active ?? 0)];
      return since === undefined ? at : { idle, active, utilization: active / (idle + active) };
    });
    for (let i = 0; i < 3; i++) void load.during(never);
    let end = (): void => undefined;
    const last = load.during(() => new Promise<void>((resolve) => void (end = resolve)));
    at = { idle: 10, active: 110, utilization: 1 };
    expect(load.hasRoom).toBe(true);
    at = { idle: 10, active: 1000, utilization: 1 };
    expect(load.hasRoom).toBe(false);
    end();
    await last;
    expect(load.hasRoom).toBe(true);
  });
});

test("a file of an older Zandrel is brought up to date, and what it holds stays", async () => {
  const path = join(folder, `${++files}.db`);
  const line = { line: 1, text: "rubbish", why: "one-label" as const, detail: "", own: ["7"] };
  const store = await openSweepFile(path);
  const sweep = await store.begin(
    { name: "list", checks: [], columns: ["id"], fingerprint: "list" },
    (async function* () {
      yield line;
    })(),
    1000,
  );
  await store.close();
  const database = nativeDatabase();
  const older = new database(path);
  older.exec("ALTER TABLE skipped DROP COLUMN own; PRAGMA user_version = 1");
  older.close();
  const newer = await openSweepFile(path);
  const skipped = [];
  for await (const one of newer.skipped(sweep)) skipped.push(one);
  expect(skipped).toEqual([{ ...line, own: [] }]);
  await newer.close();
});

sweepContract("a file", async () => openSweepFile(join(folder, `${++files}.db`)));
