import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, test } from "@jest/globals";
import { demoHere, useCase } from "../../../tests/use-case.ts";
import { folderWith } from "../../../tests/zandrel.ts";

const file = ({ folder }: { folder: string }) => readFileSync(join(folder, "domains/brackwater.example.yaml"), "utf8");
const intake = (here: ReturnType<typeof demoHere>, input: string, ...more: string[]) =>
  useCase({ ...here, input }, "intake", "-", ...more);
const TOKEN = "Type\tHost\tValue\nTXT\t_s\tseekmere-owner=77aa01bc22\n";

describe("asks", () => {
  test("what a page says is saved once; the same again is there already", async () => {
    const here = demoHere();
    const first = await intake(here, TOKEN, "--service", "seekmere");
    expect(first.result).toMatchObject({ written: true, asks: [{ id: "seekmere-ownership-2" }] });
    const again = await intake(here, TOKEN, "--service", "seekmere");
    expect(again.result).toMatchObject({ written: false, already: "seekmere-ownership-2" });
  });
  test("what a page says to remove goes with the first of its asks, once", async () => {
    const here = demoHere();
    const page =
      "Remove these records:\nType\tHost\tValue\nA\t@\t203.0.113.77\n\nThen add:\nType\tHost\tValue\nTXT\t_pw\tpagewick-claim=77aa01bc\nA\tshop\t203.0.113.10\n";
    const { result } = await intake(here, page, "--service", "pagewick");
    expect(result.asks.length).toBeGreaterThan(1);
    expect(file(here).match(/remove:/g)).toHaveLength(1);
  });
  test("an ask takes the place of another one by its name", async () => {
    const here = demoHere();
    await intake(here, TOKEN, "--service", "seekmere", "--instead-of", "seekmere-ownership");
    expect(file(here)).toContain("77aa01bc22");
    expect(file(here)).not.toContain("4f1d0c77a2");
    await expect(intake(here, TOKEN, "--service", "seekmere", "--instead-of", "nobody")).rejects.toMatchObject({
      code: "unknown-ask",
    });
    await expect(intake(demoHere(), TOKEN, "--service", "seekmere", "--id", "pagewick-site")).rejects.toMatchObject({
      code: "id-taken",
    });
  });
  test("a proof on the web is the same one as before", async () => {
    const here = demoHere();
    const tag = '<meta name="seekmere-site-proof" content="4f1d0c77a2aa">\n';
    expect((await intake(here, tag, "--service", "seekmere")).result.written).toBe(true);
    expect((await intake(here, tag, "--service", "seekmere")).result).toMatchObject({ written: false });
    expect((await intake(here, tag.replace("aa", "bb"), "--service", "seekmere")).result.written).toBe(true);
  });
  test("a person says which service it is from, and whether it is right", async () => {
    const here = { ...demoHere(), answers: ["seekmere", "yes"] };
    const { result, asked } = await intake(here, "Type\tHost\tValue\nTXT\t_x\tk=1a2b3c4d\n");
    expect([asked, result.written]).toEqual([["which-service", "save-paste"], true]);
    const no = { ...demoHere(), answers: ["seekmere", "no"] };
    expect((await intake(no, "Type\tHost\tValue\nTXT\t_x\tk=1a2b3c4d\n")).result).toMatchObject({ written: false });
  });
  test("a domain is added to the workspace, with its host and its role", async () => {
    const here = demoHere();
    const { result } = await useCase(
      here,
      "init",
      "puppetfest.example",
      "--dns-host",
      "nettlehost",
      "--role",
      "redirect",
      "--redirect-to",
      "brackwater.example",
      "--resolver",
      "127.0.0.1:9",
    );
    expect(result).toMatchObject({ domain: "puppetfest.example.", host: { key: "nettlehost", how: "named" } });
    expect(readFileSync(join(here.folder, "domains/puppetfest.example.yaml"), "utf8")).toMatch(
      /role: redirect\nhost: nettlehost\nredirectTo: brackwater.example/,
    );
  });
});

test("an ask that ends takes its terms with it, and leaves what others need", async () => {
  const folder = folderWith({
    "zandrel.yaml":
      "version: 1\norganisation: B\nvantages:\n  - { name: v, resolver: 127.0.0.1:9 }\nhosts:\n  nettlehost: { title: Nettlehost, publish: { way: zone-file, file: a.zone } }\nservices:\n  seekmere: { title: Seekmere }\n",
    "a.zone": "$ORIGIN brackwater.example.\n$TTL 1h\n@ SOA ns1 h 1 2h 15m 2w 5m\n@ NS ns1\nns1 A 192.0.2.53\n",
  });
  mkdirSync(join(folder, "domains"));
  const ask = (id: string, spf: string) =>
    `  - id: ${id}\n    service: seekmere\n    purpose: sending\n    spf: include:${spf}\n    records: |\n      _${id} TXT "k=${id}"\n      _both TXT "k=1"\n`;
  writeFileSync(
    join(folder, "domains/brackwater.example.yaml"),
    `domain: brackwater.example\nhost: nettlehost\nasks:\n${ask("a", "spf.heronpost.example")}${ask("b", "spf.inglemail.example")}`,
  );
  const here = { folder };
  await useCase(here, "publish");
  const dry = await useCase(here, "retire", "a", "--dry-run");
  expect(dry.result.removals.map(({ name }: { name: string }) => name)).toEqual([
    "_a.brackwater.example.",
    "brackwater.example.",
  ]);
  await useCase(here, "retire", "a");
  const zone = readFileSync(join(folder, "a.zone"), "utf8");
  expect(zone).not.toMatch(/k=a|heronpost/);
  expect(zone).toMatch(/k=b/);
  expect(zone).toMatch(/include:spf\.inglemail\.example/);
  expect(zone).toMatch(/_both/);
});
