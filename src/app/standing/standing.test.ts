import { describe, expect, test } from "@jest/globals";
import { demoHere, MONDAY, useCase, WORLD } from "../../../tests/use-case.ts";

const HOUR = 3_600_000;
const LIVE = ["--zone-file", "brackwater.example.zone", "--zone-file", "services.zone"];
const states = async (here: Parameters<typeof useCase>[0], ...argv: string[]) =>
  Object.fromEntries(
    (await useCase(here, "status", ...argv)).result.domains[0].asks.map(({ id, state }: { id: string; state: string }) => [
      id,
      state,
    ]),
  );

describe("where the asks of a domain stand", () => {
  test("before anything is published, and after", async () => {
    const here = demoHere();
    expect(await states(here, ...LIVE)).toEqual({
      "seekmere-ownership": "noted",
      "pagewick-site": "clashing",
      "sealbarrow-certificate": "noted",
    });
    await useCase(here, "publish", "--replace", "www");
    expect(new Set(Object.values(await states({ ...here, now: MONDAY + 2 * HOUR }, ...LIVE)))).toEqual(new Set(["settled"]));
  });
  test("when everyone sees it counts from the publication, and what was taken back no longer counts", async () => {
    const here = demoHere();
    await useCase(here, "publish", "--only", "seekmere-ownership");
    const asks = async (minutes: number) => {
      const { result } = await useCase({ ...here, now: MONDAY + minutes * 60_000 }, "status", ...LIVE);
      return result.domains[0].asks[0];
    };
    // The set's TTL is half an hour.
    expect((await asks(1)).visibleBy).toBeGreaterThanOrEqual(MONDAY + 1_800_000);
    const early = await useCase({ ...here, now: MONDAY + 60_000 }, "prove", "seekmere-ownership", ...LIVE);
    expect(early.result.asks[0].asked).toMatchObject({
      answer: "not-asked",
      reason: expect.stringContaining("may still hold the old answer"),
    });
    await useCase({ ...here, now: MONDAY + 120_000 }, "undo", "brackwater.example");
    expect((await asks(3)).state).not.toMatch(/settled|spreading/);
  });
  test("a near miss is a cause, and of a clash that is one the same is not said twice", async () => {
    const here = demoHere();
    const wrong =
      '@ SOA ns1 h 1 2h 15m 2w 5m\n@ NS ns1\n@ TXT "seekmere-owner=4f1d0c77a3"\nwww CNAME parked.nettlehost.example.\n';
    const at = { ...here, ...{ folder: demoHere({ "w.zone": `$ORIGIN brackwater.example.\n$TTL 1h\n${wrong}` }).folder } };
    const { result } = await useCase(at, "prove", "brackwater.example", "--zone-file", "w.zone", "--zone-file", "services.zone");
    const [ownership, site] = result.asks;
    expect(ownership.causes).toMatchObject([{ kind: "other-value" }]);
    expect(new Set(site.causes.map(({ kind }: { kind: string }) => kind)).size).toBe(site.causes.length);
  });
  test("what the files do not hold is unknown, never missing", async () => {
    const found = await states(demoHere(), "--zone-file", "services.zone");
    expect(new Set(Object.values(found))).toEqual(new Set(["unknown"]));
  });
  test("a record that is wanted and there proves the ask of one's own", async () => {
    const here = demoHere();
    await useCase(
      here,
      "dmarc",
      "compose",
      "brackwater.example",
      "--policy",
      "none",
      "--reports-to",
      "dmarc@brackwater.example",
      "--write",
      ...WORLD,
    );
    await useCase(here, "publish", "--only", "own-policy").catch(() => undefined);
    const { result } = await useCase({ ...here, now: MONDAY + 5 * HOUR }, "status", ...LIVE);
    expect(result.domains[0].asks.map(({ service }: { service: string }) => service)).toContain("own-mail");
  });
});
