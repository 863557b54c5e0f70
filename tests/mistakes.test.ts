import { mkdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { expect, test } from "@jest/globals";
import { name } from "../src/core/name/index.ts";
import { toSets, withData } from "../src/core/record/index.ts";
import { readRecords } from "../src/core/zone/index.ts";
import { startLab } from "../src/lab/index.ts";
import { MISTAKES } from "../src/lab/mistakes.ts";
import { folderWith, zandrel } from "./zandrel.ts";

const apex = name("puppetfest.example");
const own = (lines: string, i: number) => lines.replaceAll("#", `m${String(i).padStart(2, "0")}`);

test("on the seeded mistakes of the lab the true cause is named first, each time", async () => {
  expect(MISTAKES.length).toBeGreaterThanOrEqual(30);
  const lab = await startLab({ start: Date.parse("2026-03-02T09:00:00Z"), port: 0 });
  try {
    // The alias that parks www would stand beside one of the mistakes.
    lab.nettlehost.remove(apex, name("www.puppetfest.example"), "CNAME");
    const folder = folderWith({ "zandrel.yaml": lab.settings });
    mkdirSync(join(folder, "domains"));
    const asks = MISTAKES.map(
      ({ wanted }, i) =>
        `  - id: m${i}\n    service: seekmere\n    purpose: ownership\n    records: |\n      ${own(wanted, i)}\n`,
    );
    writeFileSync(
      join(folder, "domains/puppetfest.example.yaml"),
      `domain: puppetfest.example\nhost: nettlehost\nasks:\n${asks.join("")}`,
    );
    MISTAKES.forEach(({ entered }, i) => {
      for (const set of toSets(readRecords(own(entered, i), { origin: apex, ttl: 300 }).records)) {
        const there = lab.nettlehost.set(apex, set.name, set.type);
        lab.nettlehost.put(apex, there === undefined ? set : withData(there, set.data));
      }
    });
    // The second name server gets changes late; by now it has them.
    lab.clock.leap(60_000);
    const proof = await zandrel(folder, ["prove", "puppetfest.example", "--json"], { env: lab.env });
    // The servers that a part of the domain was handed on to refuse to answer for it, so that one cannot be determined.
    expect(proof.exit).toBe(3);
    const named = proof.json.asks.map(
      (ask: { causes: { kind: string }[] }, i: number) => `${MISTAKES[i]?.title}: ${ask.causes[0]?.kind}`,
    );
    expect(named).toEqual(MISTAKES.map(({ title, cause }) => `${title}: ${cause}`));
    for (const ask of proof.json.asks) expect(ask.causes[0].remedy.length).toBeGreaterThan(10);
  } finally {
    await lab.close();
  }
});
