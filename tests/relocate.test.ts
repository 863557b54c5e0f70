import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { name } from "../src/core/name/index.ts";
import { startLab } from "../src/lab/index.ts";
import { folderWith, zandrel } from "./zandrel.ts";

/** The move from Nettlehost to Zonemarrow, through the built program, in its order. */
type Lab = Awaited<ReturnType<typeof startLab>>;
let lab: Lab;
let folder: string;
const apex = name("brackwater.example");
beforeAll(async () => {
  lab = await startLab({ start: Date.parse("2026-03-02T09:00:00Z"), port: 0 });
  folder = folderWith({ "zandrel.yaml": lab.settings });
  mkdirSync(join(folder, "domains"));
  const ask = '  - id: odd\n    service: seekmere\n    purpose: ownership\n    records: |\n      _very-odd-name TXT "k=1"\n';
  writeFileSync(join(folder, "domains/brackwater.example.yaml"), `domain: brackwater.example\nhost: nettlehost\nasks:\n${ask}`);
});
afterAll(() => lab.close());
const relocate = (step: string, ...more: string[]) =>
  zandrel(folder, ["relocate", step, "brackwater.example", "--json", ...more], { env: lab.env });
const zone = (file = "brackwater.example.zone") => readFileSync(join(folder, file), "utf8");

test("capture says honestly what it cannot know, where the zone is not handed out", async () => {
  lab.nettlehost.put(apex, { name: name("_very-odd-name", apex), type: "TXT", ttl: 60, data: [{ strings: ["k=1"] }] });
  lab.nettlehost.put(apex, { name: name("nobody-knows", apex), type: "A", ttl: 60, data: [{ address: "192.0.2.44" }] });
  lab.clock.leap(60_000);
  const captured = await relocate("capture");
  expect(captured).toMatchObject({ exit: 0, err: "" });
  expect(captured.json.capture).toMatchObject({
    whole: false,
    because: expect.stringMatching(/does not hand out the whole zone .*other names are not in it/),
    unresolved: [],
  });
  expect(zone()).toContain('_very-odd-name\t60\tIN\tTXT\t"k=1"');
  expect(zone()).toContain("www\t3600\tIN\tCNAME\tparked.nettlehost.example.");
  expect(zone()).not.toContain("nobody-knows");
  expect(zone()).not.toMatch(/\tSOA\t|\tNS\t/);
  expect(await relocate("capture")).toMatchObject({ exit: 2, json: { error: { code: "file-there" } } });
  expect(captured.json.capture.otherHosts).toEqual(["zonemarrow"]);
  const { out } = await zandrel(folder, ["relocate", "capture", "brackwater.example", "--force"], { env: lab.env });
  expect(out).toContain("Next: zandrel relocate compare brackwater.example --new-host zonemarrow\n");
});

test("capture takes the whole zone where it is handed out", async () => {
  lab.nettlehost.handsOutZones = true;
  const captured = await relocate("capture", "--force");
  expect(captured.json.capture).toMatchObject({ whole: true });
  expect(zone()).toContain("nobody-knows\t60\tIN\tA\t192.0.2.44");
});

test("the plan: steps with their times, also as a calendar, and a move that is named too early", async () => {
  const planned = await relocate("plan", "--new-host", "zonemarrow", "--calendar", "move.ics");
  expect(planned).toMatchObject({ exit: 0, err: "" });
  expect(planned.json.plan.steps.map((step: { code: string }) => step.code)).toEqual([
    "lower-ttls",
    "copy",
    "change-servers",
    "look",
    "switch-off",
  ]);
  // The old host is asked for six hours more, and then a record of its own may be kept.
  const { moveAt, steps } = planned.json.plan;
  expect(Date.parse(steps.at(-1).earliest) - Date.parse(moveAt)).toBe((6 * 3600 + 300) * 1000);
  const calendar = readFileSync(join(folder, "move.ics"), "utf8");
  expect(calendar.match(/BEGIN:VEVENT/g)).toHaveLength(5);
  const soon = new Date(Date.parse(planned.json.at) + 60_000).toISOString();
  const early = await zandrel(folder, ["relocate", "plan", "brackwater.example", "--new-host", "zonemarrow", "--move-at", soon], {
    env: lab.env,
  });
  expect(early).toMatchObject({ exit: 1, out: expect.stringMatching(/Too early: the name servers may change from .* on/) });
});

test("an export of any layout that intake reads fills in what could not be asked", async () => {
  writeFileSync(join(folder, "export.txt"), "Type\tHost\tValue\nTXT\t_odd-one\tk=9\nA\tbox-office\t192.0.2.9\n");
  expect((await relocate("capture", "--force", "--export", "export.txt")).exit).toBe(0);
  writeFileSync(join(folder, "export.txt"), "Type\tHost\tValue\nTXT\t_odd-one\tk=9…\n");
  expect(await relocate("capture", "--force", "--export", "export.txt")).toMatchObject({ exit: 2 });
});

test("compare before the zone is at the new host says so, once", async () => {
  expect(await relocate("compare", "--new-host", "zonemarrow")).toMatchObject({
    exit: 1,
    err: "",
    json: { error: { code: "new-host-refuses" } },
  });
});

test("compare names what is missing and what differs at the new host, until both are the same", async () => {
  const head =
    "@ SOA ns1.zonemarrow.example. h 1 2h 15m 2w 15m\n@ 3600 NS ns1.zonemarrow.example.\n@ 3600 NS ns2.zonemarrow.example.\n";
  lab.zonemarrow.serve(
    apex,
    `$TTL 1h\n${head}${zone()
      .replace("192.0.2.44", "192.0.2.45")
      .replace(/^box-office.*$/m, "")}`,
  );
  const wrong = await relocate("compare", "--new-host", "zonemarrow");
  expect(wrong.exit).toBe(1);
  expect(wrong.json.compare).toMatchObject({ ready: false });
  expect(wrong.json.compare.differences.map((one: { kind: string; name: string }) => `${one.kind} ${one.name}`).sort()).toEqual([
    "differs nobody-knows.brackwater.example.",
    "missing box-office.brackwater.example.",
  ]);
  lab.zonemarrow.serve(apex, `$TTL 1h\n${head}${zone()}`);
  const right = await relocate("compare", "--new-host", "zonemarrow");
  expect(right).toMatchObject({ exit: 0 });
  expect(right.json.compare).toMatchObject({ ready: true, differences: [] });
  expect(right.json.compare.same).toBeGreaterThan(4);
});

test("check follows the cut-over: not yet, half, moved with the old host's deadline, over", async () => {
  const parent = name("example");
  const delegate = (...servers: string[]) =>
    lab.registry.put(parent, {
      name: apex,
      type: "NS",
      ttl: 21_600,
      data: servers.map((server) => ({ target: name(`${server}.example`) })),
    });
  expect((await relocate("check", "--new-host", "zonemarrow")).json.check).toMatchObject({
    state: "not-yet",
    oldHostUntil: null,
  });
  delegate("ns1.nettlehost", "ns1.zonemarrow");
  expect(await relocate("check", "--new-host", "zonemarrow")).toMatchObject({ exit: 1 });
  expect((await relocate("check", "--new-host", "zonemarrow")).json.check).toMatchObject({ state: "half" });
  delegate("ns1.zonemarrow", "ns2.zonemarrow");
  const moved = await relocate("check", "--new-host", "zonemarrow");
  expect(moved.exit).toBe(0);
  expect(moved.json.check.state).toBe("moved");
  // Six hours of the parent's NS set and one of the longest record.
  expect(Date.parse(moved.json.check.oldHostUntil) - Date.parse(moved.json.at)).toBeCloseTo(7 * 3600 * 1000, -6);
  expect(moved.json.check.vantages).toHaveLength(4);
  const again = await relocate(
    "check",
    "--new-host",
    "zonemarrow",
    "--at",
    new Date(Date.parse(moved.json.at) + 8 * 3600 * 1000).toISOString(),
  );
  expect(again.json.check.state).toBe("over");
  expect(
    (
      await zandrel(folder, ["relocate", "check", "brackwater.example", "--new-host", "zonemarrow", "--at", again.json.at], {
        env: lab.env,
      })
    ).out,
  ).toContain("The old host may be switched off.");
});

test.each<[string[], RegExp]>([
  [["relocate", "move", "brackwater.example"], /needs a step and a domain/],
  [["relocate", "compare", "brackwater.example"], /--new-host does not name a DNS host: name nettlehost or zonemarrow/],
  [["relocate", "compare", "brackwater.example", "--new-host", "quillhost"], /--new-host does not name a DNS host/],
])("%j is one sentence", async (argv, expected) => {
  expect(await zandrel(folder, argv, { env: lab.env })).toMatchObject({ exit: 2, out: "", err: expect.stringMatching(expected) });
});
