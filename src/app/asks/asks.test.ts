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
    // What it wanted is only there as what has to go.
    expect(file(here).replace(/remove: \|\n( {6}.*\n)+/, "")).not.toContain("4f1d0c77a2");
    expect(file(here)).toMatch(/remove: \|\n +@ +TXT +"seekmere-owner=4f1d0c77a2"/);
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

describe("a newer version takes the place of an older one", () => {
  const page = (token: string, site: string, more = "") =>
    `Type\tHost\tValue\nTXT\t@\tpagewick-claim=${token}\nA\tshop\t${site}\n${more}`;
  const world = () => {
    const folder = folderWith({
      "zandrel.yaml":
        "version: 1\norganisation: B\nvantages:\n  - { name: v, resolver: 127.0.0.1:9 }\nhosts:\n  nettlehost: { title: Nettlehost, publish: { way: zone-file, file: a.zone } }\nservices:\n  pagewick: { title: Pagewick }\n  seekmere: { title: Seekmere }\n",
      "a.zone":
        '$ORIGIN brackwater.example.\n$TTL 1h\n@ SOA ns1 h 1 2h 15m 2w 5m\n@ NS ns1\n@ TXT "somebody=else"\nns1 A 192.0.2.53\n',
    });
    mkdirSync(join(folder, "domains"));
    writeFileSync(join(folder, "domains/brackwater.example.yaml"), "domain: brackwater.example\nhost: nettlehost\nasks: []\n");
    return { folder, zone: () => readFileSync(join(folder, "a.zone"), "utf8") };
  };
  const save = (here: { folder: string }, input: string, ...more: string[]) =>
    useCase({ ...here, input }, "intake", "-", "--service", "pagewick", ...more);

  test("two asks of a page at once: the values of the old ones go, those of others stay", async () => {
    const here = world();
    const first = await save(here, page("aaaa1111", "203.0.113.10"));
    expect(first.result.asks.map(({ id }: { id: string }) => id)).toEqual(["pagewick-ownership", "pagewick-site"]);
    await useCase(here, "publish");
    const newer = await save(
      here,
      page("bbbb2222", "203.0.113.11"),
      "--instead-of",
      "pagewick-site",
      "--instead-of",
      "pagewick-ownership",
    );
    expect(newer.result.asks.map(({ id }: { id: string }) => id)).toEqual(["pagewick-ownership", "pagewick-site"]);
    await useCase(here, "publish");
    expect(here.zone()).toMatch(/somebody=else/);
    expect(here.zone()).toMatch(/bbbb2222/);
    expect(here.zone()).toMatch(/203\.0\.113\.11/);
    expect(here.zone()).not.toMatch(/aaaa1111|203\.0\.113\.10\b/);
    expect((await useCase(here, "draft")).result.changes.every(({ action }: { action: string }) => action === "keep")).toBe(true);
  });
  test("what was saved beside the old one before takes its place when that is said later, and back again", async () => {
    const here = world();
    await save(here, TOKENS[0]);
    await useCase(here, "publish");
    const beside = await save(here, TOKENS[1]);
    expect(beside.result).toMatchObject({ asks: [{ id: "pagewick-ownership-2" }], newerThan: ["pagewick-ownership"] });
    const said = await save(here, TOKENS[1], "--instead-of", "pagewick-ownership");
    expect(said.result).toMatchObject({ already: "pagewick-ownership-2", asks: [] });
    await useCase(here, "publish");
    expect(here.zone()).toMatch(/bbbb2222/);
    expect(here.zone()).not.toMatch(/aaaa1111/);
    await save(here, TOKENS[0], "--instead-of", "pagewick-ownership-2");
    await useCase(here, "publish");
    expect(here.zone()).toMatch(/aaaa1111/);
    expect(here.zone()).not.toMatch(/bbbb2222/);
  });
  test("a value that another ask wants as well stays", async () => {
    const here = world();
    await save(here, TOKENS[0]);
    await useCase({ ...here, input: TOKENS[0] }, "intake", "-", "--service", "seekmere", "--id", "seekmere-same");
    await useCase(here, "publish");
    await save(here, TOKENS[1], "--instead-of", "pagewick-ownership");
    await useCase(here, "publish");
    expect(here.zone()).toMatch(/aaaa1111/);
    expect(here.zone()).toMatch(/bbbb2222/);
  });
  test("what both versions want is not to go", async () => {
    const here = world();
    const both = (token: string) => `${TOKENS[0].replace("aaaa1111", token)}TXT\t_pw\tpagewick-shared=77aa01bc\n`;
    await save(here, both("aaaa1111"));
    await save(here, both("bbbb2222"), "--instead-of", "pagewick-ownership");
    const file = readFileSync(join(here.folder, "domains/brackwater.example.yaml"), "utf8");
    expect(/remove: \|\n((?: {6}.*\n)+)/.exec(file)?.[1]).toMatch(/^ +@ +TXT +"pagewick-claim=aaaa1111"\n$/);
  });
  test("SPF terms of the old one make room for the new one's", async () => {
    const here = world();
    const spf = (of: string) => `Type\tHost\tValue\nTXT\t@\tv=spf1 include:${of}.heronpost.example ~all\n`;
    await save(here, spf("one"));
    await useCase(here, "publish");
    await save(here, spf("two"), "--instead-of", "pagewick-sending");
    await useCase(here, "publish");
    expect(here.zone()).toMatch(/include:two\.heronpost/);
    expect(here.zone()).not.toMatch(/include:one\.heronpost/);
  });
  test("at a terminal it is asked", async () => {
    const here = world();
    await save(here, TOKENS[0]);
    const { result, asked } = await save({ ...here, ...{ answers: ["yes", "yes"] } }, TOKENS[1]);
    expect(asked).toEqual(["replace-older", "save-paste"]);
    expect(result.asks).toMatchObject([{ id: "pagewick-ownership" }]);
    const file = readFileSync(join(here.folder, "domains/brackwater.example.yaml"), "utf8");
    expect(file).toMatch(/remove: \|\n\s+@\s+TXT\s+"pagewick-claim=aaaa1111"/);
    const both = await save({ ...here, ...{ answers: ["no", "yes"] } }, TOKENS[0].replace("aaaa", "cccc"));
    expect(both.result.asks).toMatchObject([{ id: "pagewick-ownership-2" }]);
  });
});

const TOKENS = ["aaaa1111", "bbbb2222"].map((token) => `Type\tHost\tValue\nTXT\t@\tpagewick-claim=${token}\n`) as [
  string,
  string,
];
