import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { execa } from "execa";
import { name } from "../src/core/name/index.ts";
import { listenDns } from "../src/lab/dns-server.ts";
import { startLab } from "../src/lab/index.ts";
import { OPCODE } from "../src/net/index.ts";
import { openJournal } from "../src/workspace/journal.ts";
import { folderWith, PROGRAM, zandrel } from "./zandrel.ts";

/** The whole story on the lab, through the built program, in its order; each test goes on from the one before. */
type Lab = Awaited<ReturnType<typeof startLab>>;
let lab: Lab;
let folder: string;
const run = (argv: readonly string[], input = "", env: Record<string, string> = {}) =>
  zandrel(folder, argv, { env: { ...lab.env, ...env }, input });

beforeAll(async () => {
  lab = await startLab({ start: Date.parse("2026-03-02T09:00:00Z"), port: 0 });
  folder = folderWith({ "lab.yaml": lab.settings });
});
afterAll(() => lab.close());

const live = (): string[] => {
  const set = lab.nettlehost
    .zones()
    .find((zone) => zone.apex === "brackwater.example.")
    ?.nodes.get(name("brackwater.example"))
    ?.get("TXT");
  return (set?.data ?? []).map((data) => (data as { strings: string[] }).strings.join(""));
};
const token = () => /seekmere-owner=\S+/.exec(lab.seekmere.instructions("brackwater.example"))?.[0] as string;

describe("from pasted instructions to proven", () => {
  test("init starts a workspace from settings, once", async () => {
    const started = await run(["init", "brackwater.example", "--dns-host", "nettlehost", "--settings", "lab.yaml", "--json"]);
    expect(started).toMatchObject({ exit: 0, err: "" });
    expect(started.json.created).toEqual(["zandrel.yaml", ".gitignore", "domains/brackwater.example.yaml"]);
    expect(await run(["init", "brackwater.example"])).toMatchObject({
      exit: 2,
      out: "",
      err: expect.stringContaining("is already in this workspace"),
    });
    expect(await run(["init", "puppetfest.example", "--role", "redirect", "--dns-host", "nettlehost"])).toMatchObject({
      exit: 0,
    });
  });

  test("status of a domain nobody asked anything of", async () => {
    const status = await run(["status", "brackwater.example"]);
    expect(status.exit).toBe(0);
    expect(status.out).toContain("nothing has been asked for yet; next: zandrel intake");
  });

  test("intake shows what it understood, and writes it on demand", async () => {
    const paste = lab.seekmere.instructions("brackwater.example");
    const dry = await run(["intake", "-", "--dry-run", "--json"], paste);
    expect(dry.json).toMatchObject({
      written: false,
      asks: [
        {
          id: "seekmere-ownership",
          service: "seekmere",
          purpose: "ownership",
          domain: "brackwater.example.",
          records: [{ name: "brackwater.example.", type: "TXT", ttl: 3600, data: token() }],
        },
      ],
      questions: [],
    });
    expect(readFileSync(join(folder, "domains/brackwater.example.yaml"), "utf8")).toContain("asks: []");
    const taken = await run(["intake", "-"], paste);
    expect(taken).toMatchObject({ exit: 0, err: "" });
    expect(readFileSync(join(folder, "domains/brackwater.example.yaml"), "utf8")).toBe(
      `# yaml-language-server: $schema=../.zandrel/schemas/domain.json\ndomain: brackwater.example\nrole: main\nhost: nettlehost\nasks:\n  - id: seekmere-ownership\n    service: seekmere\n    purpose: ownership\n    asked: 2026-03-02\n    records: |\n      @  TXT  "${token()}"\n`,
    );
    expect(await run(["intake", "-"], paste)).toMatchObject({
      exit: 0,
      out: expect.stringContaining("Already saved as seekmere-ownership"),
    });
  });

  test("draft shows the merge, what stays, and the time, and changes nothing", async () => {
    const before = live();
    const draft = await run(["draft", "brackwater.example", "--json"]);
    expect(draft.exit).toBe(0);
    expect(draft.json.changes).toMatchObject([
      {
        action: "merge",
        type: "TXT",
        asks: ["seekmere-ownership"],
        before: [{ data: before[0] }],
        after: [{ data: before[0] }, { data: token(), ttl: 1800 }],
      },
    ]);
    expect(Date.parse(draft.json.visible.latest) - Date.parse(draft.json.at)).toBe(1_800_000);
    expect((await run(["draft", "brackwater.example"])).out).toMatch(/everyone sees it by \d\d:\d\d at the latest/);
    expect(live()).toEqual(before);
  });

  test.each(["draft", "prove"])("%s asks each server each question once", async (command) => {
    lab.nettlehost.log.length = 0;
    lab.registry.log.length = 0;
    await run([command, "brackwater.example"]);
    await new Promise((resolve) => setTimeout(resolve, 50));
    const asked = [...lab.nettlehost.log, ...lab.registry.log]
      .map(({ server, name: of, type }) => `${server} ${of} ${type}`)
      .filter((line) => line.startsWith("ns1") || line.startsWith("ns2"));
    expect(asked.length).toBeGreaterThan(0);
    expect(asked.filter((line, i) => asked.indexOf(line) !== i)).toEqual([]);
  });

  test("prove before publishing says absent, and does not ask the service", async () => {
    const proof = await run(["prove", "seekmere-ownership", "--json"]);
    expect(proof).toMatchObject({ exit: 1 });
    expect(proof.json.asks).toMatchObject([{ verdict: "absent", state: "noted", asked: { answer: "not-asked" } }]);
  });

  test.each<[string, Record<string, string>, RegExp]>([
    ["a wrong secret", { NETTLEHOST_TSIG: "d3Jvbmc=" }, /secret of the key brackwater-key is wrong/],
    [
      "no secret",
      { NETTLEHOST_TSIG: "" },
      /environment variable NETTLEHOST_TSIG, which holds the TSIG key of Nettlehost, is not set/,
    ],
    ["a secret that is not base64", { NETTLEHOST_TSIG: "not base64!" }, /is not base64/],
  ])("publish with %s does nothing", async (_, env, expected) => {
    const before = live();
    const failed = await run(["publish", "brackwater.example"], "", env);
    expect(failed).toMatchObject({ out: "", err: expect.stringMatching(expected) });
    expect([2, 3]).toContain(failed.exit);
    expect(failed.err).not.toContain(env.NETTLEHOST_TSIG || "\0");
    expect(live()).toEqual(before);
  });

  test("publish with this computer's clock off says by how much", async () => {
    lab.nettlehost.clockSkew = 1200;
    expect(await run(["publish", "brackwater.example"])).toMatchObject({
      exit: 2,
      err: expect.stringContaining("clock is 20 minutes behind"),
    });
    lab.nettlehost.clockSkew = 0;
  });

  test("publish carries it out, and a second time there is nothing to do", async () => {
    await Promise.all(
      ["Quay Street", "Far Shore"].map((vantage) => lab.vantages[vantage]?.ask(name("brackwater.example"), "TXT")),
    );
    const published = await run(["publish", "brackwater.example", "--json"]);
    expect(published).toMatchObject({ exit: 0, err: "" });
    expect(published.json.published).toMatchObject([{ way: "update", changed: 1 }]);
    expect(live()).toContain(token());
    expect(live()).toHaveLength(2);
    expect((await run(["publish", "brackwater.example", "--json"])).json.published).toMatchObject([{ changed: 0 }]);
  });

  test("prove says where one name server is behind, and what comes next", async () => {
    expect((await run(["prove", "seekmere-ownership", "--json"])).json.asks).toMatchObject([
      { verdict: "found", state: "spreading", causes: [{ kind: "some-servers-only" }], asked: { answer: "not-asked" } },
    ]);
    expect((await run(["status"])).out).toContain("next: zandrel watch brackwater.example");
  });

  test("prove while some still see the old view waits, and says until when", async () => {
    lab.clock.leap(60_000);
    const proof = await run(["prove", "seekmere-ownership", "--json"]);
    expect(proof.exit).toBe(1);
    expect(proof.json.asks).toMatchObject([
      { verdict: "found", state: "spreading", asked: { answer: "not-asked" }, visibleBy: expect.any(String) },
    ]);
  });

  test("watch follows it to the end, one JSON object a line, and the promise holds", async () => {
    const promised = (await run(["status", "brackwater.example", "--json"])).json.domains[0].asks[0].visibleBy;
    const watched = await run(["watch", "brackwater.example", "--json"]);
    expect(watched).toMatchObject({ exit: 0, err: "" });
    const lines = watched.out
      .trim()
      .split("\n")
      .map((line) => JSON.parse(line));
    expect(lines.filter(({ vantage, sees }) => vantage === "Quay Street" && sees === "old")).toMatchObject([
      { until: expect.any(String), type: "TXT", name: "brackwater.example." },
    ]);
    const last = lines.findLast(({ vantage }) => vantage === "Quay Street");
    expect(last).toMatchObject({ sees: "new", until: null });
    expect(Date.parse(last.at)).toBeLessThanOrEqual(Date.parse(promised) + 60_000);
  });

  test("prove asks the service, whose own check answers; status says proven, and it stays", async () => {
    const proof = await run(["prove", "seekmere-ownership", "--json"]);
    expect(proof.exit).toBe(0);
    expect(proof.json.asks).toMatchObject([{ verdict: "proven", state: "proven", asked: { answer: "accepted" }, causes: [] }]);
    const status = await run(["status", "brackwater.example", "--json"]);
    expect(status).toMatchObject({ exit: 0 });
    expect(status.json.domains[0].asks).toMatchObject([{ state: "proven", next: "" }]);
    // When everyone would see it is past, and not said any more.
    expect((await run(["status", "brackwater.example"])).out).not.toContain("at the latest");
  });

  test("what somebody deletes afterwards has lapsed", async () => {
    const zone = lab.nettlehost.zones().find((one) => one.apex === "brackwater.example.");
    expect(zone).toBeDefined();
    lab.nettlehost.serve(
      name("brackwater.example"),
      "$TTL 1h\n@ SOA ns1.nettlehost.example. h 9 2h 15m 2w 15m\n@ NS ns1.nettlehost.example.\n@ NS ns2.nettlehost.example.\n",
    );
    const status = await run(["status", "brackwater.example", "--json"]);
    expect(status.exit).toBe(1);
    expect(status.json.domains[0].asks).toMatchObject([{ state: "lapsed", next: "zandrel draft brackwater.example" }]);
  });

  test("no secret is in any file of the workspace", () => {
    const secrets = [lab.env.NETTLEHOST_TSIG as string, lab.env.SERVICE_KEY as string];
    for (const file of ["zandrel.yaml", "domains/brackwater.example.yaml", ".zandrel/journal.db"])
      for (const secret of secrets) expect(readFileSync(join(folder, file), "latin1")).not.toContain(secret);
  });
});

describe("a publish that is killed before the answer came", () => {
  const closing: (() => Promise<unknown>)[] = [];
  afterAll(() => Promise.all(closing.map((close) => close())));
  test.each<["carried out" | "not carried out", string]>([
    ["not carried out", "the zone has none of it"],
    ["carried out", "the zone has all of it"],
  ])("%s: the next status looks at the zone and says so", async (fate, said) => {
    const nettlehost = lab.nettlehost.handler("ns1.nettlehost");
    // Answers questions, and never answers an update; whether it carries it out is decided here.
    let arrives = (): void => undefined;
    const arrived = new Promise<void>((resolve) => (arrives = resolve));
    const proxy = await listenDns("127.0.0.1", 0, async (request, via) => {
      if (((request[2] as number) >> 3) % 16 !== OPCODE.UPDATE) return nettlehost(request, via);
      if (fate === "carried out") await nettlehost(request, via);
      arrives();
      return new Promise(() => {});
    });
    closing.push(() => proxy.close());
    const here = folderWith({ "lab.yaml": lab.settings.replace(/server: \S+/, `server: 127.0.0.1:${proxy.port}`) });
    const there = (argv: readonly string[]) => zandrel(here, argv, { env: lab.env });
    await there(["init", "puppetfest.example", "--dns-host", "nettlehost", "--settings", "lab.yaml"]);
    await there(["intake", "--service", "seekmere", "--host", `_${fate.length}`, "--value", "k=1"]);
    const publishing = execa(process.execPath, [PROGRAM, "publish", "--timeout", "60"], {
      cwd: here,
      reject: false,
      env: lab.env,
    });
    for (let open = 0, tries = 0; open === 0; await new Promise((resolve) => setTimeout(resolve, 100))) {
      if (++tries > 100) throw new Error("publish never opened its journal entry");
      const journal = openJournal(join(here, ".zandrel/journal.db"));
      open = journal.publications(undefined).length;
      if (open > 0)
        expect(journal.publications(undefined)).toMatchObject([
          { closed: undefined, running: true, opened: { changes: [{ action: "add", after: { type: "TXT" } }] } },
        ]);
      journal.close();
    }
    await arrived;
    publishing.kill("SIGKILL");
    await publishing;
    const told = async (): Promise<string[]> => (await there(["status", "--json"])).json.domains[0].interrupted;
    // While the update may still be under way nothing is decided, unless the zone shows it already.
    if (fate === "not carried out") expect(await told()).toEqual([expect.stringContaining("may still arrive")]);
    lab.clock.leap(600_000);
    expect(await told()).toEqual([expect.stringContaining(said)]);
    expect(await told()).toEqual([]);
  });
});

test("a domain that is not handed on to any name server", async () => {
  const here = folderWith({ "lab.yaml": lab.settings });
  const there = (argv: readonly string[]) => zandrel(here, argv, { env: lab.env });
  await there(["init", "ghost.example", "--dns-host", "nettlehost", "--settings", "lab.yaml"]);
  await there(["intake", "--service", "seekmere", "--value", "k=1"]);
  const status = await there(["status", "--json"]);
  expect(status.exit).toBe(1);
  expect(status.json.domains[0].asks).toMatchObject([
    { state: "noted", because: "example names no name servers for ghost.example" },
  ]);
  expect(await there(["publish"])).toMatchObject({ exit: 3, out: "", err: expect.stringContaining("REFUSED for ghost.example") });
});

describe("near misses through the built program", () => {
  const head =
    "$TTL 1h\n@ SOA ns1.nettlehost.example. h 9 2h 15m 2w 15m\n@ NS ns1.nettlehost.example.\n@ NS ns2.nettlehost.example.\n";
  test.each<[string, () => string, string]>([
    ["the domain doubled", () => `brackwater.example TXT "${token()}"`, "name-doubled"],
    ["quotes inside", () => `@ TXT "\\"${token()}\\""`, "quoted-twice"],
    ["cut", () => `@ TXT "${token().slice(0, 20)}"`, "cut"],
  ])("%s is astray, with the cause first", async (_, line, kind) => {
    writeFileSync(join(folder, "miss.zone"), `${head}${line()}\n`);
    const proof = await run(["prove", "seekmere-ownership", "--zone-file", "miss.zone", "--json"]);
    expect(proof.exit).toBe(1);
    expect(proof.json.asks[0].causes[0].kind).toBe(kind);
    expect(proof.json.asks[0].verdict).toBe("astray");
  });
});
