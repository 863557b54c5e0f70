import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, test } from "@jest/globals";
import { MONDAY, useCase } from "../../../tests/use-case.ts";
import { folderWith } from "../../../tests/zandrel.ts";
import { systemClock } from "../../clock.ts";
import { DAY_MS } from "../../core/day.ts";
import type { AppContext } from "../context.ts";
import { liveSheet } from "./live-sheet.ts";
import type { PublishRequest } from "./publish.ts";

const ZONE = (domain: string, more = "") =>
  `$ORIGIN ${domain}.\n$TTL 1h\n@ SOA ns1 h 1 2h 15m 2w 5m\n@ NS ns1\nns1 A 192.0.2.53\n${more}`;
const ASK = (id: string, records: string) =>
  `  - id: ${id}\n    service: seekmere\n    purpose: ownership\n    records: |\n${records.replace(/^/gm, "      ")}\n`;

/** Two domains, one in a zone file, one reached in another way. */
function two(publish: string, asks = ASK("token", '@ TXT "k=1"')) {
  const folder = folderWith({
    "zandrel.yaml": `version: 1\norganisation: Brackwater\nvantages:\n  - { name: v, resolver: 127.0.0.1:9 }\nhosts:\n  nettlehost:\n    title: Nettlehost\n    publish: { way: zone-file, file: a.zone }\n  zonemarrow:\n    title: Zonemarrow\n    publish: ${publish}\nservices:\n  seekmere: { title: Seekmere }\n`,
    "a.zone": ZONE("brackwater.example"),
    "b.zone": ZONE("puppetfest.example", "@ MX 10 mx1.inglemail.example.\n"),
  });
  mkdirSync(join(folder, "domains"));
  for (const [domain, host] of [
    ["brackwater.example", "nettlehost"],
    ["puppetfest.example", "zonemarrow"],
  ] as const)
    writeFileSync(join(folder, `domains/${domain}.yaml`), `domain: ${domain}\nhost: ${host}\nasks:\n${asks}`);
  return { folder };
}
const WORLD = ["--zone-file", "a.zone", "--zone-file", "b.zone"];

describe("what is wrong with a way is found before anything is carried out", () => {
  test("a secret that is not there keeps the other domain from being published, too", async () => {
    const here = two("{ way: zone-file, file: nowhere/b.zone }");
    await expect(useCase(here, "publish")).rejects.toMatchObject({ code: "file-unreadable" });
    expect(readFileSync(join(here.folder, "a.zone"), "utf8")).not.toContain("k=1");
  });
});

describe("what is entered by hand", () => {
  const by = () => two("{ way: by-hand }");
  const draft = async (here: { folder: string }, ...more: string[]) =>
    (await useCase(here, "draft", "puppetfest.example", ...WORLD, ...more)).result;

  test("the draft shows what would change, and nothing is in the file", async () => {
    const here = by();
    expect((await draft(here)).changes).toMatchObject([{ action: "add", name: "puppetfest.example.", type: "TXT" }]);
    expect(readFileSync(join(here.folder, "b.zone"), "utf8")).not.toContain("k=1");
  });
  test("whoever leaves while it is published is shown no page", async () => {
    const { folder } = by();
    const request = {
      operands: ["puppetfest.example"],
      only: [],
      replace: [],
      resolver: [],
      timeout: 200,
      zoneFile: ["a.zone", "b.zone"],
      includeFrom: [],
    };
    const context = { cwd: folder, env: {}, clock: systemClock, progress: async () => undefined, tell: async () => undefined };
    const opened: string[] = [];
    const faces = { html: () => "", news: () => ({}), trouble: () => ({}), opened: (url: string) => void opened.push(url) };
    const all = await liveSheet(
      request as unknown as PublishRequest,
      context as unknown as AppContext,
      faces,
      AbortSignal.abort(),
    );
    expect([all, opened]).toEqual([false, []]);
  });
  test("a launch is worked out backwards only for what asks for one", async () => {
    const here = by();
    const launch = async (asks: string) => {
      const { folder } = two("{ way: by-hand }", asks);
      const at = new Date(MONDAY + 3 * DAY_MS).toISOString();
      return (await useCase({ ...here, folder }, "draft", "puppetfest.example", "--launch", at, ...WORLD)).result.launch;
    };
    const plain = await launch(ASK("token", '@ TXT "k=1"'));
    const site = await launch(ASK("token", '@ TXT "k=1"') + ASK("site", "www A 192.0.2.80").replace("ownership", "site"));
    const visible = ({ steps }: { steps: { kind: string; at: number }[] }) =>
      steps.find(({ kind }) => kind === "visible")?.at ?? 0;
    // A site needs time for its certificate, so everyone has to see it earlier.
    expect(visible(site)).toBeLessThan(visible(plain));
  });
  test("the same again has nothing to do, and what was taken back is gone", async () => {
    const here = two("{ way: zone-file, file: b.zone }");
    const publish = async () => (await useCase(here, "publish", "puppetfest.example")).result.published;
    expect(await publish()).toMatchObject([{ changed: 1 }]);
    expect(await publish()).toMatchObject([{ changed: 0, way: "none" }]);
    await useCase(here, "undo", "puppetfest.example");
    expect(readFileSync(join(here.folder, "b.zone"), "utf8")).not.toContain("k=1");
    await expect(useCase(here, "undo", "puppetfest.example")).rejects.toMatchObject({
      code: expect.stringMatching(/undo|undone/),
    });
  });
});
