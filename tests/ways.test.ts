import { chmodSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { name } from "../src/core/name/index.ts";
import { listenDns } from "../src/lab/dns-server.ts";
import { startLab } from "../src/lab/index.ts";
import { OPCODE } from "../src/net/index.ts";
import { folderWith, freePort, started, zandrel } from "./zandrel.ts";

/** The ways of publishing beside the dynamic update, and taking back, through the built program on the lab. */
type Lab = Awaited<ReturnType<typeof startLab>>;
let lab: Lab;
beforeAll(async () => {
  lab = await startLab({ start: Date.parse("2026-03-02T09:00:00Z"), port: 0 });
});
afterAll(() => lab.close());

const ZONE =
  '; kept\n$ORIGIN brackwater.example.\n$TTL 1h\n@ SOA ns1 h 2026030101 2h 15m 2w 5m\n@ NS ns1\n@ TXT "v=spf1 -all"\nwww CNAME parked.nettlehost.example.\n';

/** A workspace whose one domain is reached in some way, with asks. */
function workspace(domain: string, host: string, asks: string, settings = lab.settings): string {
  const folder = folderWith({
    "zandrel.yaml": settings,
  });
  mkdirSync(join(folder, "domains"));
  writeFileSync(join(folder, `domains/${domain}.yaml`), `domain: ${domain}\nhost: ${host}\nasks:\n${asks}`);
  return folder;
}
const ask = (id: string, records: string) =>
  `  - id: ${id}\n    service: seekmere\n    purpose: ownership\n    records: |\n${records
    .split("\n")
    .map((line) => `      ${line}\n`)
    .join("")}`;
const run = (folder: string, argv: readonly string[], env = {}) => zandrel(folder, argv, { env: { ...lab.env, ...env } });

describe("by hand: a sheet to fill in", () => {
  const settings = () =>
    lab.settings.replace(
      "hosts:\n",
      'hosts:\n  quillhost:\n    title: Quillhost\n    servers: ["127.53.0.2"]\n    publish:\n      way: by-hand\n      form: { apex: empty, finalDot: required, txt: quoted }\n',
    );
  test("shows each record ready to copy, as Markdown and as a page too, and checks what was entered", async () => {
    const folder = workspace(
      "puppetfest.example",
      "quillhost",
      ask("sheet", '@ TXT "k=1"\n_x CNAME proof.sealbarrow.example.'),
      settings(),
    );
    const published = await run(folder, ["publish", "--json", "--sheet", "s.html"]);
    expect(published).toMatchObject({ exit: 0, err: "" });
    expect(published.json.published[0].sheet).toMatchObject([
      { action: "enter", type: "TXT", host: "", value: '"k=1"' },
      { action: "enter", type: "CNAME", host: "_x", value: "proof.sealbarrow.example." },
    ]);
    expect(readFileSync(join(folder, "s.html"), "utf8")).toContain("<code>&quot;k=1&quot;</code>");
    const text = await run(folder, ["publish", "--sheet", "s.md"]);
    expect(text.out).toContain("1 of 2  Enter");
    expect(text.out).toContain("(leave empty)");
    expect(readFileSync(join(folder, "s.md"), "utf8")).toContain('- Value: `"k=1"`');
    const empty = await run(folder, ["publish", "--check", "--json"]);
    expect(empty.exit).toBe(1);
    expect(empty.json.check).toMatchObject([{ ask: "sheet", entered: false }]);
    // Entered wrongly: the host doubled the name. Then entered rightly.
    const record = (of: string, type: string, data: object) =>
      lab.nettlehost.put(name("puppetfest.example"), { name: name(of), type, ttl: 300, data: [data as never] });
    record("_x.puppetfest.example.puppetfest.example", "CNAME", { target: name("proof.sealbarrow.example") });
    record("puppetfest.example", "TXT", { strings: ["k=1"] });
    // The second name server gets changes late.
    lab.clock.leap(60_000);
    const wrong = await run(folder, ["publish", "--check", "--json"]);
    expect(wrong.json.check[0].causes[0]).toMatchObject({ kind: "name-doubled" });
    record("_x.puppetfest.example", "CNAME", { target: name("proof.sealbarrow.example") });
    lab.clock.leap(60_000);
    expect(await run(folder, ["publish", "--check"])).toMatchObject({ exit: 0, out: expect.stringContaining("✓ there") });
    expect((await run(folder, ["status", "--json"])).json.domains[0].asks[0].state).not.toBe("astray");
  });
});

describe("by helper program", () => {
  const post = (records = '_h TXT "k=1"', settings = lab.settings) =>
    workspace("brackwater-post.example", "zonemarrow", ask("h", records), settings);
  const live = (of: string, type: string) => lab.zonemarrow.set(name("brackwater-post.example"), name(of), type);

  test("the helper that ships keeps the contract", async () => {
    const checked = await run(post(), ["helper", "brackwater-post.example", "--json"]);
    expect(checked.json.steps.filter((step: { met: boolean }) => !step.met)).toEqual([]);
    expect(checked).toMatchObject({ exit: 0, err: "" });
    expect(live("_zandrel-check.brackwater-post.example", "TXT")).toBeUndefined();
  });
  test("publish, again nothing, undo restores exactly, undo again refuses", async () => {
    const folder = post('_h TXT "k=1"\n@ TXT "t=1"');
    expect(await run(folder, ["publish"])).toMatchObject({
      exit: 0,
      err: "",
      out: expect.stringContaining("2 record sets published"),
    });
    expect(live("brackwater-post.example", "TXT")?.data).toHaveLength(2);
    expect((await run(folder, ["publish", "--json"])).json.published).toMatchObject([{ changed: 0 }]);
    expect(await run(folder, ["undo", "brackwater-post.example"])).toMatchObject({ exit: 0, err: "" });
    expect(live("brackwater-post.example", "TXT")?.data).toEqual([{ strings: ["v=spf1 -all"] }]);
    expect(live("_h.brackwater-post.example", "TXT")).toBeUndefined();
    expect(await run(folder, ["undo", "brackwater-post.example"])).toMatchObject({
      exit: 1,
      err: expect.stringContaining("nothing was published for brackwater-post.example that could be undone"),
    });
  });
  test("undo refuses where somebody changed the record since", async () => {
    const folder = post();
    await run(folder, ["publish"]);
    lab.zonemarrow.put(name("brackwater-post.example"), {
      name: name("_h.brackwater-post.example"),
      type: "TXT",
      ttl: 300,
      data: [{ strings: ["other"] }],
    });
    expect(await run(folder, ["undo", "brackwater-post.example"])).toMatchObject({
      exit: 1,
      err: expect.stringMatching(/somebody changed _h.* since: published was .{1,2}k=1.*now it is .{1,2}other/),
    });
    lab.zonemarrow.remove(name("brackwater-post.example"), name("_h.brackwater-post.example"), "TXT");
  });
  test("a wrong token changes nothing, and is not printed", async () => {
    const failed = await run(post(), ["publish"], { ZONEMARROW_TOKEN: "wrong-token-1" });
    expect(failed).toMatchObject({ exit: 1, out: "", err: expect.stringContaining("Zonemarrow answered 401 “unknown token”") });
    expect(failed.err).not.toContain("wrong-token-1");
  });

  test("a host that cannot be reached is said in words, and not in those of the run-time environment", async () => {
    const failed = await run(post(), ["publish"], { ZONEMARROW_API: `http://127.0.0.1:${await freePort()}` });
    expect(failed).toMatchObject({
      exit: 1,
      out: "",
      err: expect.stringContaining("Zonemarrow cannot be reached (ECONNREFUSED)"),
    });
  });

  /** A helper that misbehaves: a program of one line. */
  const bad = (script: string, records?: string) => {
    const folder = post(records);
    writeFileSync(
      join(folder, "bad.mjs"),
      `const text = await new Promise((r) => { let t = ""; process.stdin.on("data", (c) => (t += c)).on("end", () => r(t)); }); const q = JSON.parse(text);\n${script}\n`,
    );
    chmodSync(join(folder, "bad.mjs"), 0o755);
    const settings = join(folder, "zandrel.yaml");
    writeFileSync(settings, readFileSync(settings, "utf8").replace(/command: .*/, `command: ["${process.execPath}", bad.mjs]`));
    return folder;
  };
  test.each<[string, string, number, RegExp]>([
    ["prints garbage", 'console.log("<html>")', 3, /not known whether .* did not answer with JSON/],
    [
      "answers in another form",
      'console.log(JSON.stringify({ version: 1, outcome: "great" }))',
      3,
      /another form than docs\/helpers.md describes/,
    ],
    ["speaks another version", 'console.log(JSON.stringify({ version: 2, outcome: "done" }))', 3, /another form/],
    ["dies", 'console.error("out of luck"); process.exit(7)', 3, /ended with 7 \(out of luck\)/],
    ["prints without end", 'const more = () => process.stdout.write("x".repeat(65536), more); more();', 3, /more than 4 MiB/],
    ["lies", 'console.log(JSON.stringify({ version: 1, outcome: "done" }))', 1, /accepted the changes .* shows 0 of 1/],
    ["prints control characters", 'console.error("\\x1b]0;x\\x07"); process.exit(1)', 3, /\\x1b\]0;x\\x07/],
  ])("that %s: one clear sentence, and the zone is as it was", async (_, script, exit, expected) => {
    const folder = bad(script);
    const ran = await started(folder, ["publish"], { env: lab.env });
    expect(ran).toMatchObject({ exit, out: "", err: expect.stringMatching(expected) });
    expect(ran.err).not.toContain("\x1b");
    expect(live("_h.brackwater-post.example", "TXT")).toBeUndefined();
    // While it may still arrive nothing is decided.
    lab.clock.leap(600_000);
    if (exit === 3)
      expect((await run(folder, ["status", "--json"])).json.domains[0].interrupted).toEqual([
        expect.stringContaining("the zone has none of it"),
      ]);
  });
  test("that dies half way: status says exactly which half", async () => {
    const half = `const c = q.changes[0]; await fetch(process.env.ZONEMARROW_API + "/zones/" + q.zone + "/sets/" + c.name + "/" + c.type, { method: "PUT", headers: { authorization: "Bearer " + process.env.ZONEMARROW_TOKEN, "content-type": "application/json" }, body: JSON.stringify(c.after) }); process.exit(1)`;
    const folder = bad(half, '_a TXT "k=1"\n_b TXT "k=2"');
    expect((await started(folder, ["publish"], { env: lab.env })).exit).toBe(3);
    lab.clock.leap(600_000);
    expect((await run(folder, ["status", "--json"])).json.domains[0].interrupted).toEqual([
      expect.stringMatching(/1 of 2 changes are there; _b.brackwater-post.example TXT is nothing/),
    ]);
  });
  test("that is not there", async () => {
    const folder = post();
    const settings = join(folder, "zandrel.yaml");
    writeFileSync(settings, readFileSync(settings, "utf8").replace(/command: .*/, "command: [./nowhere]"));
    expect(await run(folder, ["publish"])).toMatchObject({
      exit: 2,
      err: expect.stringContaining("cannot be started (ENOENT): correct command:"),
    });
  });
});

describe("into a zone file", () => {
  test("undo restores the very same records, comments kept", async () => {
    const folder = workspace("brackwater.example", "nettlehost", ask("f", '@ TXT "k=1"'));
    writeFileSync(join(folder, "b.zone"), ZONE);
    expect(await run(folder, ["publish", "--into", "b.zone"])).toMatchObject({ exit: 0, err: "" });
    const between = readFileSync(join(folder, "b.zone"), "utf8");
    expect(between).toContain("k=1");
    expect(await run(folder, ["undo", "brackwater.example", "--into", "b.zone"])).toMatchObject({ exit: 0, err: "" });
    expect(readFileSync(join(folder, "b.zone"), "utf8").replace(/2026\d{6}/, "S")).toBe(ZONE.replace(/2026\d{6}/, "S"));
  });
});

describe("a server that accepts the update and then serves something else", () => {
  test("is noticed, and said which records", async () => {
    const nettlehost = lab.nettlehost.handler("ns1.nettlehost");
    const frozen = lab.nettlehost.set(name("puppetfest.example"), name("_two.puppetfest.example"), "TXT");
    expect(frozen).toBeUndefined();
    const liar = await listenDns("127.0.0.1", 0, async (request, via) => {
      const answer = await nettlehost(request, via);
      if (((request[2] as number) >> 3) % 16 === OPCODE.UPDATE)
        lab.nettlehost.remove(name("puppetfest.example"), name("_two.puppetfest.example"), "TXT");
      return answer;
    });
    const folder = workspace(
      "puppetfest.example",
      "nettlehost",
      ask("l", '_one TXT "k=1"\n_two TXT "k=2"'),
      lab.settings.replace(/server: \S+/, `server: 127.0.0.1:${liar.port}`),
    );
    expect(await run(folder, ["publish"])).toMatchObject({
      exit: 1,
      out: "",
      err: expect.stringMatching(/shows 1 of 2: _two.puppetfest.example TXT is nothing/),
    });
    await liar.close();
  });
});

describe("retire", () => {
  const zone = (of: string, type: string) =>
    lab.nettlehost.set(name("puppetfest.example"), name(of, name("puppetfest.example")), type);
  test("removes what only this ask needed and Zandrel put there; what is shared or older stays; another account's token is not touched", async () => {
    lab.nettlehost.put(name("puppetfest.example"), {
      name: name("_old.puppetfest.example"),
      type: "TXT",
      ttl: 300,
      data: [{ strings: ["older=1"] }],
    });
    const spf = "    spf: include:spf.heronpost.example\n";
    const asks =
      ask("account-a", '_r TXT "account=a"\n_shared TXT "proof=1"\n_old TXT "older=1"') +
      spf +
      ask("account-b", '_r TXT "account=b"\n_shared TXT "proof=1"') +
      "    spf: include:spf.swiftquill.example\n";
    const folder = workspace("puppetfest.example", "nettlehost", asks);
    expect(await run(folder, ["publish", "--replace", "@"])).toMatchObject({ exit: 0, err: "" });
    expect(zone("@", "TXT")?.data).toContainEqual({
      strings: ["v=spf1 include:spf.heronpost.example include:spf.swiftquill.example ~all"],
    });
    const dry = await run(folder, ["retire", "account-a", "--dry-run", "--json"]);
    expect(dry.json.removals.map((one: { name: string }) => one.name)).toEqual(["_r.puppetfest.example.", "puppetfest.example."]);
    expect(dry.json.stays).toMatchObject([
      { because: "account-b needs it too" },
      { because: expect.stringContaining("was there before Zandrel") },
    ]);
    expect(zone("_r", "TXT")?.data).toHaveLength(2);
    expect(await run(folder, ["retire", "account-a"])).toMatchObject({
      exit: 0,
      err: "",
      out: expect.stringContaining("Retired."),
    });
    expect(zone("_r", "TXT")?.data).toEqual([{ strings: ["account=b"] }]);
    expect(zone("_shared", "TXT")?.data).toEqual([{ strings: ["proof=1"] }]);
    expect(zone("_old", "TXT")?.data).toEqual([{ strings: ["older=1"] }]);
    expect(zone("@", "TXT")?.data).toContainEqual({ strings: ["v=spf1 include:spf.swiftquill.example ~all"] });
    expect(readFileSync(join(folder, "domains/puppetfest.example.yaml"), "utf8")).not.toContain("account-a");
    const states = (await run(folder, ["draft", "--json"])).json.changes.map((change: { action: string }) => change.action);
    expect(new Set(states)).toEqual(new Set(["keep"]));
    // Where nothing could be taken back, the ask does not come back alone.
    const refused = await run(folder, ["undo", "puppetfest.example"], {
      NETTLEHOST_TSIG: "d3Jvbmcgc2VjcmV0IHdyb25nIHNlY3JldA==",
    });
    expect(refused.exit).not.toBe(0);
    expect(readFileSync(join(folder, "domains/puppetfest.example.yaml"), "utf8")).not.toContain("account-a");
    expect((await run(folder, ["undo", "puppetfest.example", "--dry-run"])).out).toContain("account-a comes back to the asks");
    // Taken back is taken back whole: the records and the ask.
    const undone = await run(folder, ["undo", "puppetfest.example"]);
    expect(undone).toMatchObject({
      exit: 0,
      err: "",
      out: expect.stringContaining("account-a is among the asks of the domain again"),
    });
    expect(zone("_r", "TXT")?.data).toHaveLength(2);
    expect(readFileSync(join(folder, "domains/puppetfest.example.yaml"), "utf8")).toContain("account-a");
    expect((await run(folder, ["status", "--json"])).json.domains[0].asks.map(({ id }: { id: string }) => id).sort()).toEqual([
      "account-a",
      "account-b",
    ]);
  });
  test("refuses an ask that another waits for, and one that is not there", async () => {
    const folder = workspace(
      "puppetfest.example",
      "nettlehost",
      ask("first", '_f TXT "k=1"') + ask("second", '_g TXT "k=2"').replace("    records", "    after: [first]\n    records"),
    );
    expect(await run(folder, ["retire", "first"])).toMatchObject({
      exit: 2,
      err: expect.stringContaining("second waits for first"),
    });
    expect(await run(folder, ["retire", "frist"])).toMatchObject({
      exit: 2,
      err: expect.stringContaining("did you mean first?"),
    });
  });
});

test("--only publishes one ask although another clashes", async () => {
  const folder = workspace(
    "puppetfest.example",
    "nettlehost",
    ask("fine", '_only TXT "k=1"') + ask("clash", "www CNAME sites.pagewick.example."),
  );
  expect(await run(folder, ["publish"])).toMatchObject({ exit: 1, err: expect.stringContaining("--only ASK") });
  expect(await run(folder, ["publish", "--only", "fine"])).toMatchObject({ exit: 0, err: "" });
  expect(await run(folder, ["draft", "--only", "fien"])).toMatchObject({
    exit: 2,
    err: expect.stringContaining("did you mean fine?"),
  });
});
