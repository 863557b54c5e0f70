import { spawn } from "node:child_process";
import { existsSync, readFileSync, statSync, writeFileSync } from "node:fs";
import { createServer } from "node:http";
import type { AddressInfo } from "node:net";
import { join } from "node:path";
import { afterAll, afterEach, beforeAll, describe, expect, test } from "@jest/globals";
import { name } from "../src/core/name/index.ts";
import { printRecord, recordsOf } from "../src/core/record/index.ts";
import { startLab } from "../src/lab/index.ts";
import { folderWith, PROGRAM, zandrel } from "./zandrel.ts";

/** Approve once instead of copying, through the built program: Nettlehost takes approvals, and somebody clicks. */
type Lab = Awaited<ReturnType<typeof startLab>>;
let lab: Lab;
const apex = name("brackwater.example");
const before = new Map<string, string>();
beforeAll(async () => {
  lab = await startLab({ start: Date.parse("2026-03-02T09:00:00Z"), port: 0 });
  for (const set of zoneSets()) before.set(`${set.name} ${set.type}`, JSON.stringify(set));
});
afterAll(() => lab.close());
afterEach(() => {
  lab.approvals.mode = "works";
  lab.nettlehost.isDown = false;
  // The zone as it was, for the next one.
  for (const set of zoneSets()) if (!before.has(`${set.name} ${set.type}`)) lab.nettlehost.remove(apex, set.name, set.type);
  for (const text of before.values()) {
    const set = JSON.parse(text);
    if (set.type !== "SOA") lab.nettlehost.put(apex, set);
  }
});
const zoneSets = () => {
  const zone = lab.nettlehost.zones().find((one) => one.apex === apex);
  return [...(zone?.nodes.values() ?? [])].flatMap((node) => [...node.values()]);
};
const inZone = () => zoneSets().flatMap(recordsOf).map(printRecord);
const kitAt = (provider: string, service: string) =>
  `http://${lab.approvals.place}/v2/domainTemplates/providers/${provider}/services/${service}`;

/** A workspace whose domain is at Nettlehost, which is to be approved at. */
async function workspace(): Promise<string> {
  const folder = folderWith({ "lab.yaml": lab.settings });
  expect((await run(folder, "init", "brackwater.example", "--settings", "lab.yaml", "--dns-host", "nettlehost")).exit).toBe(0);
  expect((await run(folder, "host", "set", "nettlehost", "--way", "approval")).exit).toBe(0);
  return folder;
}
const run = (folder: string, ...argv: string[]) => zandrel(folder, argv, { env: lab.env });
const pagewick = (folder: string) =>
  run(folder, "intake", "--kit", kitAt("pagewick.example", "site"), "--input", "claim=77aa01bc", "--input", "site=brackwater");

/** Runs the program, does something with the address it shows, and waits for its end. */
async function withPage(
  folder: string,
  argv: readonly string[],
  act: (link: string) => Promise<unknown>,
  more: Readonly<Record<string, string>> = {},
) {
  const env = { ...process.env, DISPLAY: ":0", ...lab.env, NO_COLOR: "1", ...more };
  const child = spawn(process.execPath, [PROGRAM, ...argv], { cwd: folder, env });
  let [out, err] = ["", ""];
  let acted: Promise<unknown> | undefined;
  child.stdout.on("data", (data) => {
    out += data;
  });
  child.stderr.on("data", (data) => {
    err += data;
    const link = /^(http:\/\/\S+)$/m.exec(err)?.[1];
    if (link !== undefined) acted ??= act(link);
  });
  const exit = await new Promise<number | null>((resolve) => child.on("close", resolve));
  await acted;
  return { exit, out, err, json: argv.includes("--json") ? JSON.parse(out) : undefined };
}

describe("by a link", () => {
  test("a site builder's four records: shown, clicked once, there, and nothing else is changed", async () => {
    const folder = await workspace();
    const saved = await pagewick(folder);
    expect(saved).toMatchObject({ exit: 0, err: "" });
    expect(readFileSync(join(folder, "domains/brackwater.example.yaml"), "utf8")).toContain("group: site");
    // The parked page is in the way, and only goes by its name.
    expect((await run(folder, "publish")).exit).toBe(1);
    let seen = "";
    const published = await withPage(folder, ["publish", "--replace", "@", "--replace", "www", "--json"], async (link) => {
      seen = await (await fetch(link)).text();
      expect(new URL(link).searchParams.get("groupId")).toBe("claim,site");
      return lab.approvals.decide(link);
    });
    expect(published.err).toMatch(/Approve it on the page of Nettlehost, which is at 127\.0\.0\.1:\d+/);
    expect(published.err).toMatch(
      /publishes .*A of www\.brackwater\.example.*removes these records: .*CNAME of www\.brackwater\.example/,
    );
    expect(published).toMatchObject({ exit: 0, json: { published: [{ way: "approval", changed: 5, sheet: [] }] } });
    expect(seen).toContain("removes CNAME www.brackwater.example");
    expect(inZone()).toEqual(
      expect.arrayContaining([
        '_pagewick.brackwater.example. 3600 IN TXT "pagewick-claim:77aa01bc"',
        "brackwater.example. 3600 IN A 127.53.0.21",
        "www.brackwater.example. 3600 IN A 127.53.0.21",
        '_wick.brackwater.example. 3600 IN TXT "pagewick-site=brackwater"',
      ]),
    );
    lab.clock.leap(60_000);
    for (const ask of (await run(folder, "status", "--json")).json.domains[0].asks)
      expect(ask.state).toMatch(/^(spreading|settled)$/);
    // Taken back by hand: an approval by link has no way back of its own.
    const undone = await run(folder, "undo", "brackwater.example", "--json");
    expect(undone.json.undone.sheet.length).toBeGreaterThan(3);
  });

  test.each<[string, (link: string) => Promise<unknown>, RegExp, Lab["approvals"]["mode"]?]>([
    ["refused on the page", (link) => lab.approvals.decide(link, "refuse"), /it was not approved/],
    ["refused by the host", (link) => lab.approvals.decide(link), /it was not approved/, "refuses"],
    [
      "a host that only says it did it",
      (link) => lab.approvals.decide(link),
      /said yes, and 5 of 5 changes did not come/,
      "lies",
    ],
  ])("%s: one sentence, and a sheet of what is left", async (_, act, expected, mode = "works") => {
    const folder = await workspace();
    await pagewick(folder);
    lab.approvals.mode = mode;
    const published = await withPage(folder, ["publish", "--replace", "@", "--replace", "www", "--json"], act);
    expect(published.exit).toBe(1);
    const [only] = published.json.published;
    expect(only).toMatchObject({ failed: true });
    expect(only.because).toMatch(expected);
    expect(only.sheet.filter(({ action }: { action: string }) => action === "enter").length).toBeGreaterThan(1);
    // Nothing is lost: it is one publication, and status says how it goes on.
    expect((await run(folder, "status", "--json")).json.domains[0].asks[0].next).toBe(
      "zandrel publish brackwater.example --check",
    );
  });

  test("approved on a telephone: nobody comes back, and the zone says it", async () => {
    const folder = await workspace();
    await pagewick(folder);
    // The other browser cannot reach the address that waits for it here.
    const published = await withPage(folder, ["publish", "--replace", "@", "--replace", "www", "--json"], (link) =>
      lab.approvals.decide(link, "approve", false),
    );
    expect(published).toMatchObject({
      exit: 0,
      json: { published: [{ way: "approval", changed: 5, sheet: [], failed: false }] },
    });
  });

  test.each<[string, Readonly<Record<string, string>>, string | undefined]>([
    ["over SSH", { SSH_CONNECTION: "192.0.2.1 1 192.0.2.2 22" }, undefined],
    ["without a display", { DISPLAY: "" }, undefined],
    ["where the template leads elsewhere only", {}, "pagewick.example"],
    ["where the template may lead here", {}, "pagewick.example, 127.0.0.1"],
  ])("%s: the page leads back only where that can be, and the zone says it otherwise", async (_, env, places) => {
    const folder = await workspace();
    const template = lab.approvals.templates.get("pagewick.example site");
    const { syncRedirectDomain: _own, ...plain } = template!;
    lab.approvals.templates.set("pagewick.example site", places === undefined ? plain : { ...plain, syncRedirectDomain: places });
    await pagewick(folder);
    let seen = "";
    const argv = ["publish", "--replace", "@", "--replace", "www", "--json"];
    const published = await withPage(
      folder,
      argv,
      (link) => {
        seen = link;
        return lab.approvals.decide(link);
      },
      env,
    );
    lab.approvals.templates.set("pagewick.example site", template!);
    expect(new URL(seen).searchParams.has("redirect_uri")).toBe(places?.includes("127.0.0.1") === true);
    expect(published).toMatchObject({ exit: 0, json: { published: [{ sheet: [], failed: false, pages: [] }] } });
  });

  test("half of it comes: the rest is a sheet, and all of it one publication until it is entered", async () => {
    const folder = await workspace();
    await pagewick(folder);
    lab.approvals.mode = "applies-half";
    const published = await withPage(folder, ["publish", "--replace", "@", "--replace", "www", "--json"], (link) =>
      lab.approvals.decide(link),
    );
    const [only] = published.json.published;
    expect(only.because).toMatch(/^3 of 5 changes came by approval; Nettlehost said yes, and 2 of 5 changes did not come/);
    expect((await run(folder, "publish", "--check")).exit).toBe(1);
    lab.approvals.mode = "works";
    for (const [label, type, data] of [
      ["www", "A", { address: "127.53.0.21" }],
      ["_wick", "TXT", { strings: ["pagewick-site=brackwater"] }],
    ] as const) {
      lab.nettlehost.remove(apex, name(label, apex), "CNAME");
      lab.nettlehost.put(apex, { name: name(label, apex), type, ttl: 3600, data: [data] });
    }
    lab.clock.leap(60_000);
    expect(await run(folder, "publish", "--check")).toMatchObject({ exit: 0 });
  });

  test("what no template brings is left to a sheet, in the same publication", async () => {
    const folder = await workspace();
    await pagewick(folder);
    await run(folder, "intake", "--service", "seekmere", "--type", "TXT", "--host", "_seek", "--value", "k=1");
    const published = await withPage(folder, ["publish", "--replace", "@", "--replace", "www", "--json"], (link) =>
      lab.approvals.decide(link),
    );
    const [only] = published.json.published;
    expect(only.because).toMatch(/^5 of 6 changes came by approval; the others are to be entered at Nettlehost/);
    expect(only.sheet).toMatchObject([{ action: "enter", host: "_seek", value: "k=1" }]);
  });

  test("what the host would take away by itself is refused, unless it was named", async () => {
    lab.nettlehost.put(apex, { name: name("_wick", apex), type: "TXT", ttl: 60, data: [{ strings: ["somebody else's"] }] });
    lab.clock.leap(60_000);
    const folder = await workspace();
    await pagewick(folder);
    const refused = await run(folder, "publish", "--replace", "@", "--replace", "www");
    expect(refused.exit).toBe(1);
    expect(refused.err).toMatch(/Nettlehost would remove the TXT record of _wick\.brackwater\.example/);
    const agreed = await withPage(
      folder,
      ["publish", "--replace", "@", "--replace", "www", "--replace", "_wick", "--json"],
      (link) => lab.approvals.decide(link),
    );
    expect(agreed.json.published).toMatchObject([{ sheet: [] }]);
    expect(inZone().filter((line) => line.startsWith("_wick"))).toEqual([
      '_wick.brackwater.example. 3600 IN TXT "pagewick-site=brackwater"',
    ]);
  });

  test("what a host would take away beside a part that is there already is refused, too", async () => {
    const folder = await workspace();
    await pagewick(folder);
    lab.nettlehost.put(apex, { name: apex, type: "A", ttl: 3600, data: [{ address: "127.53.0.21" }] });
    lab.nettlehost.put(apex, { name: apex, type: "AAAA", ttl: 3600, data: [{ address: "2001:db8::7" }] });
    lab.clock.leap(60_000);
    const refused = await run(folder, "publish", "--replace", "www");
    expect([refused.exit, refused.err]).toEqual([
      1,
      expect.stringMatching(/brackwater\.example also has an AAAA record \(2001:db8::7\) that leads elsewhere/),
    ]);
    const argv = ["publish", "--replace", "www", "--replace", "@", "--json"];
    const agreed = await withPage(folder, argv, (link) => lab.approvals.decide(link));
    expect(agreed.json.published).toMatchObject([{ sheet: [] }]);
    expect(inZone().filter((line) => / AAAA /.test(line))).toEqual([]);
  });

  test("a template that wants its links signed: with the service's key, and refused without it", async () => {
    const folder = await workspace();
    await run(folder, "intake", "--kit", kitAt("heronpost.example", "sending"), "--input", "account=brackwater");
    const signed = await withPage(folder, ["publish", "--json"], (link) => lab.approvals.decide(link));
    expect(signed.json.published).toMatchObject([{ sheet: [] }]);
    expect(inZone().find((line) => line.includes("v=spf1"))).toContain(
      "include:spf.heronpost.example include:spf.inglemail.example",
    );
    const settings = join(folder, "zandrel.yaml");
    writeFileSync(settings, readFileSync(settings, "utf8").replace(/^ {4}signing: .*\n/m, ""));
    lab.nettlehost.remove(apex, name("bounce", apex), "CNAME");
    lab.clock.leap(60_000);
    const unsigned = await run(folder, "publish", "--json");
    expect(unsigned.json.published[0].because).toMatch(/links for heronpost\.example have to be signed/);
  });

  test("a host that changes more than was approved is told, and what is gone is named", async () => {
    const folder = await workspace();
    await pagewick(folder);
    lab.approvals.mode = "meddles";
    const argv = ["publish", "--replace", "@", "--replace", "www", "--json"];
    const published = await withPage(folder, argv, (link) => lab.approvals.decide(link));
    expect(published.json.published[0].because).toMatch(
      /it also changed brackwater\.example MX and brackwater\.example AAAA, which nobody approved/,
    );
    const checked = await run(folder, "publish", "--check", "--json");
    expect(checked).toMatchObject({ exit: 1, json: { lost: [{ name: "brackwater.example.", type: "MX" }] } });
  });

  test("what cannot be looked at after the approval is not taken for done", async () => {
    const folder = await workspace();
    await pagewick(folder);
    const argv = ["publish", "--replace", "@", "--replace", "www", "--timeout", "8", "--json"];
    const published = await withPage(folder, argv, async (link) => {
      lab.nettlehost.isDown = true;
      return lab.approvals.decide(link);
    });
    expect(published.json.published[0].because).toMatch(
      /Nettlehost approved the changes, but we could not check whether (\d) of \1 arrived/,
    );
    expect(published.json.published[0].sheet.length).toBeGreaterThan(0);
    expect(inZone()).toContain('_wick.brackwater.example. 3600 IN TXT "pagewick-site=brackwater"');
  });

  test("a template that may only be applied by a grant is not linked to", async () => {
    const [template] = [...lab.approvals.templates.values()].filter(({ providerId }) => providerId === "pagewick.example");
    lab.approvals.templates.set("pagewick.example strict", { ...template!, serviceId: "strict", syncBlock: true });
    const folder = await workspace();
    await run(folder, "intake", "--kit", kitAt("pagewick.example", "strict"), "--input", "claim=77aa01bc", "--input", "site=b");
    const replace = ["--replace", "@", "--replace", "www", "--json"];
    const refused = await run(folder, "publish", ...replace);
    expect(refused.json.published[0].because).toMatch(/may only be applied by a grant; run zandrel host approve first/);
    await withPage(folder, ["host", "approve", "nettlehost", "brackwater.example"], (link) => lab.approvals.decide(link));
    expect((await run(folder, "publish", ...replace)).json.published).toMatchObject([{ sheet: [] }]);
    // What was granted is taken back by the host itself.
    lab.clock.leap(60_000);
    const undone = await run(folder, "undo", "brackwater.example", "--json");
    expect(undone).toMatchObject({ exit: 0, json: { undone: { way: "approval", sheet: [] } } });
    expect(inZone()).toContain("www.brackwater.example. 3600 IN CNAME parked.nettlehost.example.");
  });

  test("a template that the host does not know leaves its records to the sheet", async () => {
    const folder = await workspace();
    await pagewick(folder);
    const known = lab.approvals.templates.get("pagewick.example site");
    lab.approvals.templates.delete("pagewick.example site");
    const published = await run(folder, "publish", "--replace", "@", "--replace", "www", "--json");
    lab.approvals.templates.set("pagewick.example site", known!);
    expect(published.json.published[0].because).toMatch(
      /it does not know the template site of pagewick\.example; these records are to be entered/,
    );
    expect(published.json.published[0].sheet.length).toBeGreaterThan(3);
  });

  test("nobody waits: the address is printed, and the sheet is there as well", async () => {
    const folder = await workspace();
    await pagewick(folder);
    const published = await run(folder, "publish", "--replace", "@", "--replace", "www", "--link-only", "--json");
    expect(published.err).toMatch(/Nobody waits here for it/);
    const link = /^(http:\/\/\S+)$/m.exec(published.err)?.[1] as string;
    expect(new URL(link).searchParams.has("redirect_uri")).toBe(false);
    expect(published.json.published[0].pages).toEqual([link]);
    await lab.approvals.decide(link);
    lab.clock.leap(60_000);
    expect(await run(folder, "publish", "--check")).toMatchObject({ exit: 0 });
  });

  test.each<[Lab["approvals"]["mode"], RegExp]>([
    ["down", /takes no approval \(it answered with HTTP status 503\)/],
    ["hangs", /takes no approval \(it did not answer within 8 s\)/],
  ])("a host that is %s leaves the sheet", async (mode, expected) => {
    const folder = await workspace();
    await pagewick(folder);
    lab.approvals.mode = mode;
    const published = await run(folder, "publish", "--replace", "@", "--replace", "www", "--timeout", "8", "--json");
    expect(published.json.published[0].because).toMatch(expected);
    expect(published.json.published[0].sheet.length).toBeGreaterThan(3);
  });
});

describe("by a grant", () => {
  test("approved once, published without a click, renewed, taken back, and given back", async () => {
    const folder = await workspace();
    expect((await run(folder, "host", "approve", "nettlehost", "brackwater.example")).err).toMatch(
      /nothing to approve at Nettlehost/,
    );
    await pagewick(folder);
    const approved = await withPage(folder, ["host", "approve", "nettlehost", "brackwater.example", "--json"], (link) => {
      expect(new URL(link).searchParams.get("code_challenge_method")).toBe("S256");
      return lab.approvals.decide(link);
    });
    expect(approved).toMatchObject({
      exit: 0,
      json: { granted: [{ provider: "pagewick.example", services: ["site"], renewable: true }] },
    });
    const kept = join(folder, "keys/approvals/nettlehost/brackwater.example.json");
    expect(statSync(kept).mode & 0o777).toBe(0o600);
    const { grants } = JSON.parse(readFileSync(kept, "utf8"));
    for (const text of [approved.out, approved.err]) expect(text).not.toContain(grants[0].token);
    // The token has ended, and the other one renews it.
    writeFileSync(kept, JSON.stringify({ version: 1, grants: [{ ...grants[0], token: "stale", until: 1 }] }));
    const published = await run(folder, "publish", "--replace", "@", "--replace", "www", "--json");
    expect(published).toMatchObject({ exit: 0, json: { published: [{ way: "approval", sheet: [] }] } });
    expect(inZone()).toContain("www.brackwater.example. 3600 IN A 127.53.0.21");
    // Once more changes nothing.
    expect((await run(folder, "publish", "--json")).json.published[0].changed).toBe(0);
    const forgotten = await run(folder, "host", "forget", "nettlehost", "brackwater.example", "--json");
    expect(forgotten).toMatchObject({ exit: 0, json: { forgotten: 1, revoked: 1, because: [] } });
    expect(existsSync(kept)).toBe(false);
  });
  test("a grant is for the host that gave it: another one that the zone points to now is not told", async () => {
    const folder = await workspace();
    await pagewick(folder);
    await withPage(folder, ["host", "approve", "nettlehost", "brackwater.example"], (link) => lab.approvals.decide(link));
    const asked: string[] = [];
    const elsewhere = createServer(({ url, headers }, response) => {
      asked.push(`${url} ${headers.authorization ?? ""}`);
      const place = `http://${headers.host}`;
      response.end(
        JSON.stringify({ providerId: "sly.example", providerName: "Sly", urlSyncUX: place, urlAsyncUX: place, urlAPI: place }),
      );
    });
    await new Promise<void>((resolve) => elsewhere.listen(0, "127.0.0.1", resolve));
    const at = name("_domainconnect", apex);
    const place = `127.0.0.1:${(elsewhere.address() as AddressInfo).port}`;
    lab.nettlehost.put(apex, { name: at, type: "TXT", ttl: 60, data: [{ strings: [place] }] });
    lab.clock.leap(86_400_000);
    const argv = ["publish", "--replace", "@", "--replace", "www", "--link-only", "--json"];
    const { json } = await run(folder, ...argv);
    elsewhere.close();
    expect(json.published[0].because).toMatch(/open the link and approve it at Nettlehost/);
    expect(asked.map((one) => one.split(" ")[1])).toEqual(asked.map(() => ""));
    expect(asked.length).toBeGreaterThan(1);
    lab.clock.leap(86_400_000);
  });
  test("a secret is told to the place it is for, and to no other", async () => {
    const folder = await workspace();
    await pagewick(folder);
    const settings = join(folder, "zandrel.yaml");
    const written = readFileSync(settings, "utf8");
    writeFileSync(join(folder, "client.secret"), "hush\n", { mode: 0o600 });
    const set = (client: string) =>
      writeFileSync(settings, written.replace(/way: approval/, `way: approval\n      client: { ${client} }`));
    set("id: theatre, secret: file:client.secret");
    expect(await run(folder, "host", "approve", "nettlehost", "brackwater.example")).toMatchObject({
      exit: 2,
      err: expect.stringMatching(/expected at: with the place that is told the secret/),
    });
    set("id: theatre, secret: file:client.secret, at: api.nettlehost.example");
    expect(await run(folder, "host", "approve", "nettlehost", "brackwater.example")).toMatchObject({
      exit: 1,
      err: expect.stringMatching(/gives grants at api\.nettlehost\.example, and the domain leads to 127\.0\.0\.1:\d+/),
    });
    set(`id: theatre, secret: file:client.secret, at: "${lab.approvals.place}"`);
    const argv = ["host", "approve", "nettlehost", "brackwater.example", "--json"];
    const approved = await withPage(folder, argv, (link) => lab.approvals.decide(link));
    expect(approved).toMatchObject({ exit: 0, json: { granted: [{ provider: "pagewick.example" }] } });
  });
  test("a person who says no is told from a host that does", async () => {
    const folder = await workspace();
    await pagewick(folder);
    const refused = await withPage(folder, ["host", "approve", "nettlehost", "brackwater.example"], (link) =>
      lab.approvals.decide(link, "refuse"),
    );
    expect(refused).toMatchObject({
      exit: 1,
      err: expect.stringMatching(/nothing of pagewick\.example was approved at Nettlehost: it says access_denied/),
    });
  });
});

describe("who serves a domain", () => {
  test("a host without approvals is said to have none", async () => {
    const folder = folderWith({ "lab.yaml": lab.settings });
    await run(folder, "init", "brackwater-post.example", "--settings", "lab.yaml", "--dns-host", "zonemarrow");
    const { json } = await run(folder, "host", "find", "brackwater-post.example", "--json");
    expect(json).toMatchObject({
      host: { key: "zonemarrow", known: true, way: "helper" },
      next: "zandrel draft brackwater-post.example",
    });
    expect(json.offers[0]).toEqual({ way: "approval", offered: false, because: "it does not say that it takes approvals" });
    const text = await run(
      folder,
      "intake",
      "--kit",
      kitAt("pagewick.example", "site"),
      "--input",
      "claim=77aa01bc",
      "--input",
      "site=b",
    );
    expect(text.out).toContain("zandrel host find brackwater-post.example says whether yours does");
  });
  test("host find names the host and what it offers, and writes it down", async () => {
    const hosts = lab.settings.indexOf("  nettlehost:");
    const settings = `${lab.settings.slice(0, hosts)}${lab.settings.slice(lab.settings.indexOf("  zonemarrow:"))}`;
    const folder = folderWith({ "lab.yaml": settings });
    const begun = await run(folder, "init", "brackwater.example", "--settings", "lab.yaml");
    expect(begun.out.replace(/\s+/g, " ")).toContain("which takes approvals: publish sends you to its page, and you click once");
    await run(folder, "host", "set", "nettlehost", "--way", "by-hand");
    const found = await run(folder, "host", "find", "brackwater.example", "--json");
    expect(found).toMatchObject({
      exit: 0,
      json: { host: { key: "nettlehost", title: "Nettlehost", known: true, way: "by-hand" }, written: false },
    });
    expect(Object.fromEntries(found.json.offers.map((one: { way: string; offered: boolean }) => [one.way, one.offered]))).toEqual(
      {
        approval: true,
        update: true,
        transfer: false,
        "by-hand": true,
      },
    );
    const written = await run(folder, "host", "find", "brackwater.example", "--write");
    // A way that somebody chose is not changed by writing down what is known.
    expect(written.out).toContain("Next: zandrel host set nettlehost --way approval");
    expect(readFileSync(join(folder, "zandrel.yaml"), "utf8")).toContain("way: by-hand");
    expect(await run(folder, "host", "set", "nettlehost", "--way", "approval")).toMatchObject({ exit: 0 });
    expect(readFileSync(join(folder, "zandrel.yaml"), "utf8")).toMatch(
      /nettlehost:\n\s+title: Nettlehost\n\s+nameServers:(?:.*\n)*.*way: approval/,
    );
  });
});
