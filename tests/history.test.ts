import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { expect, test } from "@jest/globals";
import { folderWith, zandrel } from "./zandrel.ts";

/** The story that the journal tells, over some days in March: each command is told what day it is. */
const ZONE =
  '$TTL 1h\n$ORIGIN brackwater.example.\n@ SOA ns1 h 2026030101 2h 15m 2w 5m\n@ NS ns1\n@ TXT "v=spf1 -all"\nwww A 192.0.2.1\n';
function workspace(): string {
  const folder = folderWith({
    "zandrel.yaml":
      "version: 1\norganisation: Brackwater\nhosts:\n  nettlehost: { title: Nettlehost, publish: { way: zone-file, file: own.zone } }\nservices:\n  seekmere: { title: Seekmere }\n",
    "own.zone": ZONE,
  });
  mkdirSync(join(folder, "domains"));
  writeFileSync(join(folder, "domains/own.yaml"), "domain: brackwater.example\nhost: nettlehost\nasks: []\n");
  return folder;
}
const on = (day: string) => ({ env: { ZANDREL_CLOCK: `2026-03-${day}T09:00:00.000Z@${Date.now()}*1` } });

test("asked, published, changed and ended: in order, of a domain or an ask, between two days, and the zone as it was", async () => {
  const folder = workspace();
  const run = (day: string, ...argv: string[]) => zandrel(folder, argv, on(day));
  expect(await run("02", "history")).toMatchObject({
    exit: 1,
    out: expect.stringContaining("Nothing is known yet.\nNext: zandrel status"),
  });
  await run("02", "intake", "--service", "seekmere", "--type", "TXT", "--host", "@", "--value", "seekmere-owner=1");
  expect((await run("03", "publish", "--zone-file", "own.zone")).exit).toBe(2);
  expect((await run("03", "publish")).exit).toBe(0);
  await run(
    "05",
    "intake",
    "--service",
    "seekmere",
    "--purpose",
    "site",
    "--id",
    "site",
    "--type",
    "A",
    "--host",
    "www",
    "--value",
    "192.0.2.2",
  );
  expect((await run("06", "publish", "--replace", "www")).exit).toBe(0);

  const told = await run("09", "history", "brackwater.example");
  expect(told).toMatchObject({ exit: 0, err: "" });
  const story = [
    /2 March 09:00 +seekmere-ownership was asked by seekmere, for ownership\./,
    /3 March 09:00 +publishing began at own\.zone: TXT of brackwater\.example changed\./,
    /3 March 09:00 +done: own\.zone now has serial/,
    /5 March .*site was asked/,
    /6 March .*A of www\.brackwater\.example changed/,
  ];
  let rest = told.out;
  for (const line of story) {
    expect(rest).toMatch(line);
    rest = rest.slice(rest.search(line));
  }
  expect(told.out).not.toContain("undefined");

  const one = (await run("09", "history", "site", "--json")).json;
  expect(one.events.map(({ kind, ask }: { kind: string; ask: string | null }) => [kind, ask])).toEqual([
    ["ask-noted", "site"],
    ["publication-opened", null],
    ["publication-closed", null],
  ]);

  const week = await run("09", "history", "brackwater.example", "--between", "2026-03-04..2026-03-06", "--json");
  expect(week.json.events.map(({ kind }: { kind: string }) => kind)).toEqual([
    "ask-noted",
    "publication-opened",
    "publication-closed",
  ]);
  expect(week.json.changed).toMatchObject([
    { name: "www.brackwater.example.", before: [{ data: "192.0.2.1" }], after: [{ data: "192.0.2.2" }] },
  ]);
  expect((await run("09", "history", "--between", "2026-03-04..2026-03-06")).out).toMatch(
    /www\.brackwater\.example A\n +− 192\.0\.2\.1\n +\+ 192\.0\.2\.2/,
  );

  // The zone on three days: before anything, between, and after.
  const zoneOn = async (day: string) => {
    expect(
      (await run("09", "history", "brackwater.example", "--on", `2026-03-${day}T12:00Z`, "--file", `${day}.zone`)).exit,
    ).toBe(0);
    return readFileSync(join(folder, `${day}.zone`), "utf8")
      .split("\n")
      .filter((line) => line.includes("\tIN\t"));
  };
  expect(await zoneOn("01")).toEqual(['@\t3600\tIN\tTXT\t"v=spf1 -all"', "www\t3600\tIN\tA\t192.0.2.1"]);
  expect((await zoneOn("04")).join("\n")).toMatch(/seekmere-owner=1[\s\S]*192\.0\.2\.1/);
  expect((await zoneOn("07")).join("\n")).toMatch(/seekmere-owner=1[\s\S]*192\.0\.2\.2/);
  expect(await run("09", "history", "brackwater.example", "--on", "2026-03-07", "--file", "07.zone")).toMatchObject({ exit: 2 });
});

test.each<[string[], RegExp]>([
  [["history", "--between", "2026-03-04"], /is not two moments: write FROM\.\.UNTIL/],
  [["history", "--between", "2026-03-06..2026-03-04"], /is not two moments/],
  [["history", "--file", "x.zone"], /a zone file holds one domain at one moment/],
  [["history", "nowhere.example"], /nowhere\.example/],
])("%j is one sentence", async (argv, expected) => {
  expect(await zandrel(workspace(), argv, on("02"))).toMatchObject({ exit: 2, out: "", err: expect.stringMatching(expected) });
});
