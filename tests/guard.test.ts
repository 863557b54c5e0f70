import { spawn } from "node:child_process";
import { createHash, createHmac } from "node:crypto";
import { chmodSync, cpSync, existsSync, readFileSync, writeFileSync } from "node:fs";
import { createServer } from "node:http";
import type { AddressInfo } from "node:net";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { execa } from "execa";
import { httpbis } from "http-message-signatures";
import { name } from "../src/core/name/index.ts";
import { startLab } from "../src/lab/index.ts";
import { ENVIRONMENT, folderWith, freePort, PROGRAM, stillFor, zandrel } from "./zandrel.ts";

/** The guard through the built program, on the lab: what was proven lapses, comes back, and each change is told once. */
type Lab = Awaited<ReturnType<typeof startLab>>;
let lab: Lab;
beforeAll(async () => {
  lab = await startLab({ start: Date.parse("2026-03-02T09:00:00Z"), port: 0 });
});
afterAll(() => lab.close());

const apex = name("brackwater.example");
const token = name("_seekmere.brackwater.example");
const HOUR = 3_600_000;
const run = (folder: string, argv: readonly string[], env: Record<string, string> = {}) =>
  zandrel(folder, argv, { env: { ...lab.env, SECRET: "a-made-up-secret", ...env } });
const guard = (folder: string, env: Record<string, string> = {}) => run(folder, ["guard", "--once", "--json"], env);

/** A workspace with one token that everybody sees, and whatever `guard:` says. */
async function workspace(settings = ""): Promise<string> {
  const folder = folderWith({ "lab.yaml": lab.settings });
  await run(folder, ["init", "brackwater.example", "--dns-host", "nettlehost", "--settings", "lab.yaml"]);
  await run(folder, ["intake", "--service", "seekmere", "--type", "TXT", "--host", "_seekmere", "--value", "seekmere-owner=1"]);
  await run(folder, ["publish"]);
  lab.clock.leap(2 * HOUR);
  await run(folder, ["status"]);
  if (settings !== "")
    writeFileSync(join(folder, "zandrel.yaml"), `${readFileSync(join(folder, "zandrel.yaml"), "utf8")}guard:\n${settings}`);
  return folder;
}
const lapse = () => {
  lab.nettlehost.remove(apex, token, "TXT");
  lab.clock.leap(2 * HOUR);
};
const comeBack = () => {
  lab.nettlehost.put(apex, { name: token, type: "TXT", ttl: 600, data: [{ strings: ["seekmere-owner=1"] }] });
  lab.clock.leap(2 * HOUR);
};

test("what lapses is told with its cause and the next step, once; so is that it came back, and the history has both", async () => {
  const folder = await workspace();
  expect((await guard(folder)).exit).toBe(0);
  lapse();
  const lapsed = await guard(folder);
  expect([lapsed.exit, lapsed.json.notices]).toMatchObject([
    1,
    [
      {
        notice: "lapsed",
        watched: "proof",
        subject: "seekmere-ownership",
        domain: "brackwater.example.",
        next: "zandrel draft brackwater.example",
      },
    ],
  ]);
  expect((await run(folder, lapsed.json.notices[0].next.split(" ").slice(1))).exit).toBe(0);
  const again = await guard(folder);
  expect([again.exit, again.json.notices, again.json.domains[0].bad.length]).toEqual([0, [], 1]);
  comeBack();
  const back = await run(folder, ["guard", "--once"]);
  expect([back.exit, back.out]).toEqual([
    1,
    expect.stringMatching(/^✓ brackwater\.example: the ask seekmere-ownership is right again: /),
  ]);
  const story = (await run(folder, ["history", "seekmere-ownership"])).out.replace(/\s+/g, " ");
  expect(story).toMatch(/seekmere-ownership is not right any more: .*seekmere-ownership is right again: /);
});

test("what could not be printed is not told: the next look prints it", async () => {
  const folder = await workspace();
  await guard(folder);
  lapse();
  const { exitCode } = await execa("sh", ["-c", `'${process.execPath}' '${PROGRAM}' guard --once > /dev/full`], {
    cwd: folder,
    reject: false,
    env: lab.env,
  });
  expect(exitCode).not.toBe(0);
  expect((await guard(folder)).json.notices).toMatchObject([{ notice: "lapsed", subject: "seekmere-ownership" }]);
  expect((await guard(folder)).json.notices).toEqual([]);
  comeBack();
});

test("an ask that is changed is asked for again, and has not lapsed", async () => {
  const folder = await workspace();
  await guard(folder);
  const file = join(folder, "domains/brackwater.example.yaml");
  writeFileSync(file, readFileSync(file, "utf8").replace("seekmere-owner=1", "seekmere-owner=2"));
  const looked = await guard(folder);
  expect([looked.exit, looked.json.notices, looked.json.domains[0].bad]).toEqual([0, [], []]);
});

test("two guards at the same moment tell each thing once", async () => {
  const folder = await workspace();
  await guard(folder);
  lapse();
  const both = await Promise.all([guard(folder), guard(folder), guard(folder)]);
  expect(both.flatMap(({ json }) => json.notices)).toHaveLength(1);
  comeBack();
});

test("name servers that nobody can ask are not a lapse", async () => {
  const folder = await workspace();
  await guard(folder);
  const settings = readFileSync(join(folder, "zandrel.yaml"), "utf8");
  const silent = `127.0.0.1:${await freePort()}`;
  writeFileSync(join(folder, "zandrel.yaml"), settings.replace(/resolver: \S+/g, `resolver: ${silent}`));
  const ran = await run(folder, ["guard", "--once", "--timeout", "0.5"]);
  expect([ran.exit, ran.out]).toEqual([
    3,
    expect.stringMatching(/^Nothing changed\.\n\? brackwater\.example: .* could not be looked at/),
  ]);
  writeFileSync(join(folder, "zandrel.yaml"), settings);
  expect((await guard(folder)).json.notices).toEqual([]);
});

test("other name servers at the registrar are told", async () => {
  const folder = await workspace();
  await guard(folder);
  const delegate = (...servers: string[]) =>
    lab.registry.put(name("example"), {
      ...{ name: apex, type: "NS", ttl: 21_600 },
      data: servers.map((server) => ({ target: name(`${server}.example`) })),
    });
  delegate("ns1.nettlehost", "ns1.zonemarrow");
  lab.clock.leap(48 * HOUR);
  const moved = await guard(folder);
  expect(moved.json.notices).toContainEqual(
    expect.objectContaining({ notice: "changed", watched: "delegation", because: expect.stringContaining("zonemarrow") }),
  );
  delegate("ns1.nettlehost", "ns2.nettlehost");
  lab.clock.leap(48 * HOUR);
});

test("a sender that nobody knows is told when it turns up in reports, and not before", async () => {
  const folder = await workspace();
  const reports = new URL("../demo/reports", import.meta.url).pathname;
  await guard(folder);
  cpSync(reports, join(folder, "reports"), { recursive: true });
  await run(folder, ["dmarc", "import", "reports"]);
  const told = await guard(folder);
  const senders = told.json.notices.filter((one: { notice: string }) => one.notice === "new-sender");
  expect(senders.length).toBeGreaterThan(0);
  expect(senders[0]).toMatchObject({ watched: "sender", next: "zandrel dmarc sources brackwater.example" });
  expect((await guard(folder)).json.notices).toEqual([]);
});

describe("ways", () => {
  const received: { path: string; headers: Record<string, string>; body: Buffer }[] = [];
  let status = 204;
  let refuses = "";
  const server = createServer((request, reply) => {
    const chunks: Buffer[] = [];
    request.on("data", (chunk) => chunks.push(chunk));
    request.on("end", () => {
      received.push({
        path: String(request.url),
        headers: request.headers as Record<string, string>,
        body: Buffer.concat(chunks),
      });
      reply.writeHead(request.url === refuses ? 503 : status).end();
    });
  });
  let url = "";
  beforeAll(async () => {
    await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
    url = `http://127.0.0.1:${(server.address() as AddressInfo).port}/notices`;
  });
  afterAll(() => void server.close());

  test("a signed POST: kept and tried again while it does not work, told once when it does, without its secret", async () => {
    const folder = await workspace(`  ways:\n    - { way: post, url: "${url}", id: k1, secret: env:SECRET }\n`);
    await guard(folder);
    lapse();
    status = 503;
    const failed = await guard(folder);
    expect(failed.json).toMatchObject({ waiting: 1, told: [{ told: false, because: expect.stringContaining("503") }] });
    status = 204;
    const told = await guard(folder);
    expect(told.json).toMatchObject({ notices: [], waiting: 0, told: [{ told: true, notices: 1 }] });
    expect((await guard(folder)).json.told).toEqual([]);
    expect(received).toHaveLength(2);
    const [{ headers, body }] = received.slice(-1) as [(typeof received)[number]];
    const { notices } = JSON.parse(body.toString());
    expect(notices).toMatchObject([
      { id: failed.json.notices[0].id, notice: "lapsed", sentence: expect.stringContaining("not right any more") },
    ]);
    expect(headers["content-digest"]).toBe(`sha-256=:${createHash("sha256").update(body).digest("base64")}:`);
    const verified = await httpbis.verifyMessage(
      {
        requiredFields: ["@method", "@target-uri", "content-digest"],
        keyLookup: async ({ keyid }) => ({
          id: keyid as string,
          algs: ["hmac-sha256"],
          verify: async (data, signature) => createHmac("sha256", "a-made-up-secret").update(data).digest().equals(signature),
        }),
        tolerance: 1e9,
      },
      { method: "POST", url, headers },
    );
    expect(verified).toBe(true);
    expect(JSON.stringify([failed.out, told.out, body.toString()])).not.toContain("a-made-up-secret");
    comeBack();
  });

  test("two addresses at one host are two, and one that does not work leaves the other alone", async () => {
    const ways = ["a", "b"].map((path) => `    - { way: post, url: "${url}/${path}", id: k1, secret: env:SECRET }\n`).join("");
    const folder = await workspace(`  ways:\n${ways}`);
    await guard(folder);
    lapse();
    received.length = 0;
    refuses = "/notices/b";
    expect((await guard(folder)).json.told.map(({ told }: { told: boolean }) => told)).toEqual([true, false]);
    refuses = "";
    expect((await guard(folder)).json.told.map(({ told }: { told: boolean }) => told)).toEqual([true]);
    expect(received.map(({ path }) => path)).toEqual(["/notices/a", "/notices/b", "/notices/b"]);
    comeBack();
  });

  test("a program; quiet hours, in which only a lapse is told; and somebody else, when it is not mended", async () => {
    const program = (file: string) => `{ way: program, command: ["/bin/sh", "-c", "cat >> ${file}"] }`;
    const now = new Date(lab.clock.now());
    const at = (hours: number) => `${(now.getUTCHours() + hours + 24) % 24}:00`;
    const folder = await workspace(
      `  ways:\n    - ${program("told")}\n  quiet: { from: "${at(-2)}", until: "${at(15)}" }\n  escalate: { after: 3, ways: [${program("boss")}] }\n`,
    );
    const toldIn = (file: string) =>
      existsSync(join(folder, file))
        ? readFileSync(join(folder, file), "utf8")
            .trim()
            .split("\n")
            .flatMap((line) => JSON.parse(line).notices.map((one: { notice: string }) => one.notice))
        : [];
    await guard(folder);
    lapse();
    await guard(folder);
    expect([toldIn("told"), toldIn("boss")]).toEqual([["lapsed"], []]);
    lab.clock.leap(4 * HOUR);
    await guard(folder);
    await guard(folder);
    expect([toldIn("told"), toldIn("boss")]).toEqual([["lapsed"], ["lapsed"]]);
    comeBack();
    const quiet = await guard(folder);
    expect([quiet.json.notices, quiet.json.waiting, toldIn("told")]).toMatchObject([[{ notice: "recovered" }], 1, ["lapsed"]]);
    lab.clock.leap(9 * HOUR);
    await guard(folder);
    expect(toldIn("told")).toEqual(["lapsed", "recovered"]);
  });

  test("what cannot be told says so, and where nobody is told the sentence is on standard output", async () => {
    const folder = await workspace("  ways:\n    - { way: program, command: [/nothing/there] }\n");
    await guard(folder);
    lapse();
    const ran = await run(folder, ["guard", "--once"]);
    expect(ran.out).toMatch(/✗ brackwater\.example: the ask/);
    expect(ran.out).toMatch(/not told {2}program \/nothing\/there: the program \/nothing\/there cannot be started/);
    comeBack();
  });
});

test("until it is stopped: figures at an address, and killed at any moment it tells nothing twice", async () => {
  const folder = await workspace();
  await guard(folder);
  lapse();
  const port = await freePort();
  // The service manager's own program, which says what it was told.
  const manager = folderWith({ "systemd-notify": `#!/bin/sh\necho "$@" >> '${folder}/notices.txt'\n` });
  chmodSync(join(manager, "systemd-notify"), 0o755);
  const start = () =>
    spawn(process.execPath, [PROGRAM, "guard", "--metrics", `127.0.0.1:${port}`, "--textfile", "figures.txt", "--json"], {
      cwd: folder,
      env: {
        ...{ ...ENVIRONMENT, HOME: folder, ...stillFor(lab) },
        ...{ PATH: `${manager}:${ENVIRONMENT.PATH}`, NOTIFY_SOCKET: "/run/somewhere" },
      },
      stdio: ["ignore", "pipe", "pipe"],
    });
  const read = async (child: ReturnType<typeof start>): Promise<{ notices: unknown[] }> => {
    let text = "";
    for await (const chunk of child.stdout) {
      text += String(chunk);
      if (text.includes("\n")) break;
    }
    return JSON.parse(text.split("\n")[0] as string);
  };
  const first = start();
  const told = await read(first);
  expect(told.notices).toHaveLength(1);
  const figures = await (await fetch(`http://127.0.0.1:${port}/metrics`)).text();
  expect(figures).toContain('zandrel_watched{domain="brackwater.example",level="bad"} 1');
  expect(figures).toContain('zandrel_notices_total{notice="lapsed"} 1');
  expect(figures.endsWith("# EOF\n")).toBe(true);
  expect(readFileSync(join(folder, "figures.txt"), "utf8")).toContain("zandrel_last_look_timestamp_seconds");
  first.kill("SIGKILL");
  await new Promise((resolve) => first.once("exit", resolve));
  const second = start();
  expect((await read(second)).notices).toEqual([]);
  const health = await fetch(`http://127.0.0.1:${port}/health`);
  expect([health.status, await health.text()]).toEqual([200, "well\n"]);
  second.kill("SIGTERM");
  expect(await new Promise((resolve) => second.once("exit", resolve))).toBe(0);
  // Each process of the program is told of by its number: ready, then awake now and then, then ending.
  const toldManager = () => readFileSync(join(folder, "notices.txt"), "utf8").split("\n");
  while (!toldManager().includes(`--pid=${second.pid} STOPPING=1`)) await new Promise((resolve) => setTimeout(resolve, 50));
  expect(toldManager()).toEqual(expect.arrayContaining([`--pid=${second.pid} READY=1`, `--pid=${second.pid} WATCHDOG=1`]));
  comeBack();
});

test("a slip in the file of one domain is told once, of that domain, and the others are looked at all the same", async () => {
  const folder = await workspace();
  const other = join(folder, "domains/brackwater-post.example.yaml");
  writeFileSync(other, "domain: brackwater-post.example\nasks: []\n");
  await guard(folder);
  writeFileSync(other, "domain: brackwater-post.example\nasks: [\n");
  lapse();
  const ran = await run(folder, ["guard", "--once", "--json"]);
  expect(ran.json.notices.map((one: { watched: string }) => one.watched).sort()).toEqual(["file", "proof"]);
  expect((await run(folder, ["guard", "--once", "--json"])).json.notices).toEqual([]);
  const status = await run(folder, ["status"]);
  expect([status.exit, status.out]).toEqual([
    1,
    expect.stringMatching(/✗ cannot be read.*brackwater-post\.example\.yaml:\d+:\d+.*brackwater\.example {2}/s),
  ]);
  expect((await run(folder, ["status", "brackwater-post.example"])).err).toMatch(/brackwater-post\.example\.yaml:\d+/);
  comeBack();
  writeFileSync(other, "domain: brackwater-post.example\nasks: []\n");
  const again = await run(folder, ["guard", "--once", "--json"]);
  expect(again.json.notices.map((one: { watched: string; notice: string }) => `${one.watched} ${one.notice}`).sort()).toEqual([
    "file recovered",
    "proof recovered",
  ]);
});

test("told to stop, it ends within seconds; a way that cannot work keeps nobody from the others", async () => {
  const folder = await workspace(
    '  ways:\n    - { way: post, url: "http://127.0.0.1:9/", id: "ключ", secret: env:GUARD_SECRET }\n    - { way: program, command: [/bin/true] }\n',
  );
  await guard(folder);
  lapse();
  const ran = await zandrel(folder, ["guard", "--once", "--json"], {
    env: { ...lab.env, GUARD_SECRET: Buffer.from("x".repeat(32)).toString("base64") },
  });
  expect(ran.json.told.map(({ told }: { told: boolean }) => told)).toEqual([false, true]);
  comeBack();
  const child = spawn(process.execPath, [PROGRAM, "guard", "--json"], {
    ...{ cwd: folder, stdio: ["ignore", "pipe", "pipe"] },
    env: { ...ENVIRONMENT, HOME: folder, ...stillFor(lab) },
  });
  await new Promise((resolve) => child.stdout?.once("data", resolve));
  child.kill("SIGTERM");
  expect(await new Promise((resolve) => child.once("exit", (code, signal) => resolve(signal ?? code)))).toBe(0);
});

test.each<[string, string, RegExp]>([
  ["an hour that is none", '  quiet: { from: "25:00", until: "07:00" }\n', /expected a time of the day such as 20:00/],
  ["a way that is none", "  ways:\n    - { way: smoke }\n", /zandrel\.yaml/],
  [
    "a secret in the file",
    '  ways:\n    - { way: post, url: "https://ops.brackwater.example/", id: k1, secret: abc }\n',
    /expected env:NAME or file:PATH/,
  ],
])("%s is shown with its place", async (_, settings, sentence) => {
  const ran = await run(await workspace(settings), ["guard", "--once"]);
  expect([ran.exit, ran.err]).toEqual([2, expect.stringMatching(sentence)]);
});
