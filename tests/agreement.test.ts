import { mkdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { sheetState } from "../src/app/publishing/sheet-page.ts";
import { parseClock } from "../src/clock.ts";
import { name } from "../src/core/name/index.ts";
import { toSets } from "../src/core/record/index.ts";
import { readRecords } from "../src/core/zone/index.ts";
import { startLab } from "../src/lab/index.ts";
import { BEFORE, type Is, SITUATIONS, type Situation } from "./agreement.ts";
import { folderWith, type Ran, zandrel } from "./zandrel.ts";

/** Every command that says done, missing or lost is asked about the same situations, and has to say the same. */
type Lab = Awaited<ReturnType<typeof startLab>>;
let lab: Lab;
beforeAll(async () => {
  lab = await startLab({ start: Date.parse("2026-03-02T09:00:00Z"), port: 0 });
});
afterAll(() => lab.close());

const SERVERS = ["ns1.nettlehost", "ns2.nettlehost"];
const APEX = name("brackwater.example");
const HEAD =
  "@ SOA ns1.nettlehost.example. h.nettlehost.example. 2026030201 2h 15m 2w 5m\n@ NS ns1.nettlehost.example.\n@ NS ns2.nettlehost.example.\n";
const setsOf = (lines: string) => toSets(readRecords(lines, { origin: APEX, ttl: 3600 }).records);

/** What was done at the DNS host, done. */
function carryOut(deed: string): void {
  const [verb] = deed.split(" ", 1);
  const rest = deed.slice(deed.indexOf(" ") + 1);
  if (verb === "put") {
    for (const set of setsOf(rest)) lab.nettlehost.put(APEX, set);
    return;
  }
  const [host, type] = rest.split(" ") as [string, never];
  lab.nettlehost.remove(APEX, host === "@" ? APEX : name(`${host}.${APEX}`), type);
}

function workspaceOf({ asks, way, purpose = "ownership" }: Situation): string {
  const hosts =
    way === "update"
      ? lab.settings
      : lab.settings.replace(
          /(nettlehost:\n {4}title: Nettlehost\n)[\s\S]*?(?=\n {2}\w+:\n {4}title|\n\w)/,
          "$1    publish: { way: by-hand }",
        );
  const folder = folderWith({ "zandrel.yaml": hosts.replace(/\nservices:\n/, "\nservices:\n  quaylet:\n    title: Quaylet\n") });
  mkdirSync(join(folder, "domains"));
  const wants = (what: string) =>
    what.startsWith("spf: ")
      ? `    ${what}
`
      : `    records: |\n${what
          .split("\n")
          .map((line) => `      ${line}\n`)
          .join("")}`;
  writeFileSync(
    join(folder, "domains/brackwater.example.yaml"),
    `domain: brackwater.example\nhost: nettlehost\nasks:\n${Object.entries(asks)
      .map(([id, what]) => `  - id: ${id}\n    service: quaylet\n    purpose: ${purpose}\n${wants(what)}`)
      .join("")}`,
  );
  return folder;
}

const run = (folder: string, ...argv: string[]) => zandrel(folder, argv, { env: lab.env });

/** A record of a draft as a line of a zone. */
function lineOf({ name: at, type, data }: { name: string; type: string; data: string | object }): string {
  const fields = typeof data === "string" ? [type === "TXT" ? JSON.stringify(data) : data] : Object.values(data);
  return `${at} ${type} ${fields.map((field, i) => (type === "CAA" && i === 2 ? JSON.stringify(field) : field)).join(" ")}`;
}

/** Brings a situation about, and gives back its workspace. */
async function bringAbout(situation: Situation): Promise<{ readonly folder: string; readonly hasSheet: boolean }> {
  lab.clock.leap(86_400_000);
  for (const server of SERVERS) lab.nettlehost.sick.delete(server);
  const own = setsOf(situation.before ?? "");
  const others = setsOf(HEAD + BEFORE).filter(({ name: at, type }) => !own.some((set) => set.name === at && set.type === type));
  lab.nettlehost.serve(APEX, HEAD);
  for (const set of [...others, ...own]) lab.nettlehost.preset(APEX, set);
  const folder = workspaceOf(situation);
  const replace = ["--replace", "www"];
  const { json } = await run(folder, "draft", ...replace, "--json");
  const published = await run(folder, "publish", ...replace, "--json");
  if (situation.way === "entered")
    for (const { name: at, type, after } of json.changes)
      if (after.length === 0) lab.nettlehost.remove(APEX, at, type);
      else carryOut(`put ${after.map(lineOf).join("\n")}`);
  for (const deed of situation.deeds ?? []) carryOut(deed);
  // What is entered at a form counts from when it was seen there.
  if (situation.way !== "update") {
    lab.clock.leap(90_000);
    await run(folder, "publish", "--check");
  }
  lab.clock.leap(situation.soon ? 90_000 : 4 * 3_600_000);
  if (situation.down) for (const server of SERVERS) lab.nettlehost.sick.set(server, "failing");
  const hasSheet = situation.way !== "update" && published.exit !== 2 && published.json.published?.[0]?.changed > 0;
  return { folder, hasSheet };
}

/** What the page of a sheet shows. */
const pageOf = (folder: string) =>
  sheetState(
    { operands: ["brackwater.example"], resolver: [], timeout: 5000, includeFrom: [] } as unknown as Parameters<
      typeof sheetState
    >[0],
    { cwd: folder, env: lab.env, clock: parseClock(lab.env.ZANDREL_CLOCK as string) } as unknown as Parameters<
      typeof sheetState
    >[1],
  );

const verdictOf = (is: readonly Is[], lost: number): string =>
  is.includes("undetermined")
    ? "undetermined"
    : lost > 0 || is.some((one) => one === "missing" || one === "contradicted")
      ? "open"
      : is.includes("not-visible-yet")
        ? "spreading"
        : "done";

const EXIT: Readonly<Record<string, number>> = { done: 0, spreading: 1, open: 1, undetermined: 3 };
const setText = ({ name: at, type }: { name: string; type: string }) =>
  `${at === APEX ? "@" : at.slice(0, -APEX.length - 1)} ${type}`;
const flat = ({ out }: Ran) => out.replace(/\s+/g, " ");

describe("every command says the same of", () => {
  test.each(SITUATIONS.map((situation) => [situation.name, situation] as const))("%s", async (_, situation) => {
    const { folder, hasSheet } = await bringAbout(situation);
    const verdict = verdictOf(situation.is, situation.lost?.length ?? 0);
    const expected = { verdict, is: situation.is, lost: verdict === "undetermined" ? [] : [...(situation.lost ?? [])].sort() };
    const of = (judged: { verdict: string; pieces: { is: string }[] }, lost: { name: string; type: string }[]) => ({
      verdict: judged.verdict,
      is: judged.pieces.map(({ is }) => is),
      lost: lost.map(setText).sort(),
    });
    const [status, prove, check, draft, guard] = [
      await run(folder, "status", "--json"),
      await run(folder, "prove", "brackwater.example", "--json"),
      await run(folder, "publish", "--check", "--json"),
      await run(folder, "draft", "--json"),
      await run(folder, "guard", "--once", "--json"),
    ];
    // What each of them says as data.
    expect(of(status.json.domains[0].judgement, status.json.domains[0].lost)).toEqual(expected);
    expect(of(prove.json.judgements[0], prove.json.lost)).toEqual(expected);
    expect(of(check.json.judgements[0], check.json.lost)).toEqual(expected);
    expect(draft.json.lost.map(setText).sort()).toEqual(expected.lost);
    const left =
      draft.json.clashes.length +
      draft.json.undetermined.length +
      draft.json.changes.filter(({ action }: { action: string }) => action !== "keep").length;
    expect(left > 0).toBe(situation.is.some((one) => one !== "met" && one !== "not-visible-yet"));
    if (hasSheet) {
      const page = await pageOf(folder);
      const lostThere = page.slips.filter(({ because }) => because.clause === "sheet-lost").length;
      expect([page.done, lostThere]).toEqual([verdict === "done" || verdict === "spreading", expected.lost.length]);
    }
    if (expected.lost.length > 0) {
      const [shown] = (await run(folder, "dossier", "brackwater.example", "--json")).json.domains;
      expect(shown.findings.map(({ id }: { id: string }) => id)).toContain("record-missed");
    }
    // How each of them ends.
    const isThere = verdict === "done" || verdict === "spreading";
    expect([status.exit, prove.exit, check.exit]).toEqual([EXIT[verdict], EXIT[verdict], isThere ? 0 : EXIT[verdict]]);
    if (verdict !== "undetermined") expect(guard.out.includes('"records"')).toBe(expected.lost.length > 0);
    // And in words.
    const texts = {
      status: flat(await run(folder, "status")),
      prove: flat(await run(folder, "prove", "brackwater.example")),
      check: flat(await run(folder, "publish", "--check")),
      draft: flat(await run(folder, "draft")),
    };
    for (const text of Object.values(texts)) {
      expect(/✗ (deleted too much|changed)/.test(text)).toBe(expected.lost.length > 0);
      if (!isThere) expect(text).not.toMatch(/everything (that was )?asked|everyone sees it\b(?! by)/i);
    }
    expect(/Everything asked for is there/.test(texts.check)).toBe(isThere);
    expect(/not everyone may see it/.test(texts.check)).toBe(verdict === "spreading");
    expect(/Nothing is left to publish/.test(texts.draft)).toBe(isThere || (expected.lost.length > 0 && left === 0));
    if (situation.soon === undefined && situation.down === undefined) {
      const watch = flat(await run(folder, "watch", "--for", "1s"));
      expect(/Everyone sees it/.test(watch) && !/deleted too much|changed/.test(watch)).toBe(verdict === "done");
    }
    if (expected.lost.length > 0 && situation.way === "update") {
      // Who takes something back or ends an ask is told of it, too.
      for (const argv of [
        ["undo", "brackwater.example"],
        ["retire", Object.keys(situation.asks)[0] as string],
      ]) {
        const ran = await run(folder, ...argv, "--json");
        if (ran.exit !== 2 && ran.json.error === undefined)
          expect([argv[0], ran.json.lost.map(setText).sort()]).toEqual([argv[0], expected.lost]);
      }
    }
  });
});
