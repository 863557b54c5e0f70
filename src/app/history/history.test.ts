import { expect, test } from "@jest/globals";
import { demoHere, MONDAY, useCase } from "../../../tests/use-case.ts";
import { DAY_MS } from "../../core/day.ts";

const at = (days: number) => ({ now: MONDAY + days * DAY_MS });

test("what was published on which day is told, and the zone as it was on a day", async () => {
  const here = demoHere();
  await useCase(here, "publish", "--only", "seekmere-ownership");
  await useCase({ ...here, ...at(3) }, "publish", "--replace", "www");
  const all = (await useCase({ ...here, ...at(4) }, "history")).result;
  expect(all.events.map(({ kind }: { kind: string }) => kind)).toEqual(
    expect.arrayContaining(["publication-opened", "publication-closed"]),
  );
  const one = async (...argv: string[]) =>
    (await useCase({ ...here, ...at(4) }, "history", "brackwater.example", ...argv)).result;
  const before = await one("--on", "2026-03-03");
  const after = await one("--on", "2026-03-06");
  const names = ({ zones }: { zones: { sets: { name: string; type: string }[] }[] }) =>
    zones.flatMap(({ sets }) => sets.map(({ name, type }) => `${name} ${type}`));
  expect(names(before)).toContain("brackwater.example. TXT");
  expect(names(before)).not.toContain("_sb-8c2e.brackwater.example. CNAME");
  expect(names(after)).toContain("_sb-8c2e.brackwater.example. CNAME");
});

test("where nothing was done yet there is nothing to tell", async () =>
  expect(await useCase(demoHere(), "history")).toMatchObject({ ended: "problem", result: { events: [], zones: [] } }));
