import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { execa } from "execa";
import { ChainOfTrust, dsFor } from "../src/core/dnssec/index.ts";
import { name } from "../src/core/name/index.ts";
import type { DataOf } from "../src/core/record/index.ts";
import { DnsClient } from "../src/net/index.ts";
import { answers, BINARIES, describeServers, missing, start, startKnot, startUnbound, stopServers } from "./real-servers.ts";
import { folderWith, freePort, zandrel } from "./zandrel.ts";

/** The built program against real servers on loopback: knotd and named as the DNS host, knotd as the registry, unbound as a caching vantage. */
const REGISTRY = "127.61.0.1";
const SECRET = "c2VjcmV0IHNlY3JldCBzZWNyZXQgc2VjcmV0IHNlY3JldA==";

/** One DNS host: the software, its address, whether it signs its zones by itself, and its configuration with a zone and a key. */
interface HostCase {
  readonly title: string;
  readonly software: "knotd" | "named";
  readonly signs: boolean;
  readonly address: string;
  readonly vantage: string;
  readonly algorithm: "hmac-sha256" | "hmac-sha512";
  start(folder: string, port: number): Promise<void>;
}
const knotd = (signs: boolean, address: string, vantage: string): HostCase => {
  const algorithm = "hmac-sha256";
  return {
    title: signs ? "knotd, which signs" : "knotd",
    software: "knotd",
    signs,
    address,
    vantage,
    algorithm,
    async start(folder, port) {
      startKnot(folder, {
        listen: `${address}@${port}`,
        more: `key:\n  - id: brackwater-key\n    algorithm: ${algorithm}\n    secret: ${SECRET}\nacl:\n  - id: update\n    key: brackwater-key\n    action: [update, transfer]\n${signs ? "policy:\n  - id: quick\n    algorithm: ecdsap256sha256\n    single-type-signing: on\n" : ""}`,
        zones: { "brackwater.example": "brackwater.zone" },
        zone: `    acl: update\n${signs ? "    dnssec-signing: on\n    dnssec-policy: quick\n" : ""}`,
      });
    },
  };
};
const named = (signs: boolean, vantage: string): HostCase => {
  // named only listens on addresses that an interface really has.
  const [address, algorithm] = ["127.0.0.1", "hmac-sha512"] as const;
  return {
    title: signs ? "named, which signs" : "named",
    software: "named",
    signs,
    address,
    vantage,
    algorithm,
    async start(folder, port) {
      writeFileSync(
        join(folder, "named.conf"),
        `key brackwater-key { algorithm ${algorithm}; secret "${SECRET}"; };\noptions { directory "${folder}"; listen-on port ${port} { ${address}; }; listen-on-v6 { none; }; pid-file "${folder}/named.pid"; session-keyfile "${folder}/session.key"; recursion no; dnssec-validation no; };\ncontrols { };\nzone "brackwater.example" { type primary; file "${folder}/brackwater.zone"; allow-update { key brackwater-key; };${signs ? " dnssec-policy default; inline-signing yes;" : ""} };\n`,
      );
      start(BINARIES.named, ["-f", "-c", join(folder, "named.conf")]);
    },
  };
};
const HOSTS = [
  knotd(false, "127.61.0.2", "127.61.0.12"),
  named(false, "127.61.0.13"),
  knotd(true, "127.61.0.4", "127.61.0.14"),
  named(true, "127.61.0.15"),
];

describeServers.each(HOSTS)("with $title as the DNS host", (host) => {
  const { software, signs, address, vantage, algorithm } = host;
  let port: number;
  let folder: string;
  const env = { TSIG: SECRET };
  const own = (argv: readonly string[], more: Record<string, string> = {}) => zandrel(folder, argv, { env: { ...env, ...more } });
  const dig = async (server: string, name: string, type: string): Promise<string> => {
    const tool = software === "knotd" ? BINARIES.kdig : BINARIES.dig;
    return (await execa(tool, [`@${server}`, "-p", String(port), name, type, "+short"], { reject: false })).stdout;
  };

  beforeAll(async () => {
    expect(missing).toEqual([]);
    port = await freePort();
    folder = folderWith({
      "root.zone": `$TTL 60\n. SOA ns.registry.example. r.registry.example. 1 60 60 60 5\n. NS ns.registry.example.\nexample. NS ns.registry.example.\nns.registry.example. A ${REGISTRY}\n`,
      "example.zone": `$TTL 60\n$ORIGIN example.\n@ SOA ns.registry r.registry 1 60 60 60 5\n@ NS ns.registry\nns.registry A ${REGISTRY}\nbrackwater NS ns1.nettlehost\nns1.nettlehost A ${address}\n`,
      "brackwater.zone": `$TTL 5\n$ORIGIN brackwater.example.\n@ SOA ns1.nettlehost.example. hostmaster 2026030101 60 60 600 4\n@ NS ns1.nettlehost.example.\n@ 6 TXT "v=spf1 -all"\nwww CNAME parked.nettlehost.example.\n`,
      "zandrel.yaml": "",
    });
    mkdirSync(join(folder, "domains"));
    writeFileSync(
      join(folder, "zandrel.yaml"),
      `version: 1\norganisation: Brackwater Puppet Theatre\nvantages:\n  - { name: Quay Street, resolver: "${vantage}:${port}" }\nhosts:\n  nettlehost:\n    title: Nettlehost\n    publish:\n      way: update\n      server: ${address}:${port}\n      key: { name: brackwater-key, algorithm: ${algorithm}, secret: env:TSIG }\nservices:\n  seekmere: { title: Seekmere }\ndefaults: { ttl: 60, authorityPort: ${port} }\n`,
    );
    writeFileSync(join(folder, "domains/brackwater.example.yaml"), "domain: brackwater.example\nhost: nettlehost\nasks: []\n");
    startKnot(folder, { listen: `${REGISTRY}@${port}`, zones: { ".": "root.zone", "example.": "example.zone" } });
    await host.start(folder, port);
    startUnbound(folder, vantage, port, { "brackwater.example": address, example: REGISTRY, ".": REGISTRY });
    await answers(REGISTRY, port, "example", "SOA");
    await answers(address, port, "brackwater.example", "SOA");
    await answers(vantage, port, "brackwater.example", "SOA");
  });
  afterAll(() => {
    stopServers();
  });

  /** Waits until the caching vantage shows a text, and gives back the moment. */
  /** When a text was first seen through the caching resolver, and when a look that did not see it had been begun last. */
  async function flips(name: string, text: string): Promise<{ seen: number; unseen: number }> {
    let unseen = 0;
    for (let i = 0; i < 200; i++) {
      const begun = Date.now();
      if ((await dig(vantage, name, "TXT")).includes(text)) return { seen: Date.now(), unseen };
      unseen = begun;
      await new Promise((resolve) => setTimeout(resolve, 100));
    }
    throw new Error(`${name} never showed ${text}`);
  }

  test("a token beside SPF: published, read back with the server's own tool, spread predicted", async () => {
    await own(["intake", "--service", "seekmere", "--host", "@", "--value", "seekmere-owner=1"]);
    const draft = await own(["draft", "--json"]);
    expect(draft).toMatchObject({ exit: 0, err: "" });
    expect(draft.json.changes).toMatchObject([{ action: "merge", before: [{ data: "v=spf1 -all", ttl: 6 }] }]);
    expect(await dig(vantage, "brackwater.example", "TXT")).toContain("v=spf1");
    const asked = Date.now();
    const published = await own(["publish", "--json"]);
    expect(published).toMatchObject({ exit: 0, err: "" });
    expect((await dig(address, "brackwater.example", "TXT")).split("\n").sort()).toEqual(['"seekmere-owner=1"', '"v=spf1 -all"']);
    expect(await dig(vantage, "brackwater.example", "TXT")).not.toContain("seekmere-owner");
    const spreading = (await own(["status", "--json"])).json.domains[0].asks[0];
    expect(spreading.state).toBe("spreading");
    const flipped = await flips("brackwater.example", "seekmere-owner");
    const predicted = Date.parse(spreading.visibleBy);
    // Kept for the old set's whole TTL, and not longer than predicted; a second for whole-second TTLs, half for polling.
    expect(flipped.seen).toBeGreaterThan(asked + 6000 - 1500);
    expect(flipped.unseen).toBeLessThan(predicted + 1500);
    expect((await own(["watch", "--for", "10s", "--json"])).exit).toBe(0);
    expect((await own(["prove", "seekmere-ownership", "--confirmed", "--json"])).json.asks).toMatchObject([
      { verdict: "proven" },
    ]);
    expect((await own(["status"])).exit).toBe(0);
  });

  test("a new name that somebody asked for too early: the remembered “no such record” is predicted", async () => {
    await own(["intake", "--service", "seekmere", "--id", "fresh", "--host", "_fresh", "--value", "k=2"]);
    expect(await dig(vantage, "_fresh.brackwater.example", "TXT")).toBe("");
    const asked = Date.now();
    expect(await own(["publish", "--json"])).toMatchObject({ exit: 0, err: "" });
    const { visibleBy, state } = (await own(["status", "--json"])).json.domains[0].asks.find(
      (ask: { id: string }) => ask.id === "fresh",
    );
    expect(state).toBe("spreading");
    const flipped = await flips("_fresh.brackwater.example", "k=2");
    // A busy machine looks late; what counts is that nothing old was seen once the promise was due.
    expect(flipped.seen).toBeGreaterThan(asked + 4000 - 1500);
    expect(flipped.unseen).toBeLessThan(Date.parse(visibleBy) + 1500);
  });

  test("somebody changed the zone since: nothing is done, and what changed is shown", async () => {
    const { sendUpdate } = await import("../src/net/update.ts");
    const key = { name: name("brackwater-key"), algorithm, secret: Buffer.from(SECRET, "base64") };
    const set = (text: string) => ({ name: name("_race.brackwater.example"), type: "TXT", ttl: 5, data: [{ strings: [text] }] });
    const request = {
      server: { address, port },
      apex: name("brackwater.example"),
      key,
      now: Math.floor(Date.now() / 1000),
      timeout: 3000,
    };
    const change = { name: name("_race.brackwater.example"), type: "TXT", before: undefined, after: set("first") };
    expect(await sendUpdate({ ...request, changes: [change] })).toEqual({ kind: "done" });
    expect(await sendUpdate({ ...request, changes: [{ ...change, after: set("second") }] })).toMatchObject({ kind: "conflict" });
    expect(await sendUpdate({ ...request, changes: [{ ...change, before: set("older"), after: set("second") }] })).toMatchObject({
      kind: "conflict",
    });
    expect(await dig(address, "_race.brackwater.example", "TXT")).toBe('"first"');
    expect(await sendUpdate({ ...request, changes: [{ ...change, before: set("first"), after: undefined }] })).toEqual({
      kind: "done",
    });
    expect(await dig(address, "_race.brackwater.example", "TXT")).toBe("");
  });

  test.each<[string, Record<string, string>, RegExp]>([
    ["a wrong secret", { TSIG: "d3Jvbmcgd3Jvbmcgd3Jvbmcgd3Jvbmcgd3Jvbmcgd3Jvbmc=" }, /secret of the key brackwater-key is wrong/],
  ])("%s is named", async (_, more, expected) => {
    await own(["intake", "--service", "seekmere", "--id", "refused", "--host", "_refused", "--value", "k=3"]);
    const refused = await own(["publish"], more);
    expect(refused).toMatchObject({ exit: 2, out: "", err: expect.stringMatching(expected) });
    expect(await dig(address, "_refused.brackwater.example", "TXT")).toBe("");
  });

  test("records of every type are published in one update, and undo takes all of them back", async () => {
    const file = join(folder, "domains/brackwater.example.yaml");
    const before = readFileSync(file, "utf8");
    const records = [
      "all A 192.0.2.7",
      "all AAAA 2001:db8::7",
      "all MX 10 mx1.inglemail.example.",
      '_all CAA 0 issue "sealbarrow.example"',
      "all SRV 0 1 993 imap.inglemail.example.",
      "_443._tcp.all TLSA 3 1 1 ABCD",
      "all TYPE65280 \\# 3 ABCDEF",
      "alias.all CNAME sites.pagewick.example.",
      "ptr.all PTR box.brackwater.example.",
      `long.all TXT "${"k".repeat(255)}" "${"m".repeat(200)}"`,
    ];
    writeFileSync(
      file,
      `domain: brackwater.example\nhost: nettlehost\nasks:\n  - id: all-types\n    service: seekmere\n    purpose: site\n    records: |\n${records.map((line) => `      ${line}\n`).join("")}`,
    );
    try {
      const published = await own(["publish", "--json"]);
      expect(published).toMatchObject({ exit: 0, err: "" });
      expect(published.json.published).toMatchObject([{ changed: 10 }]);
      expect(await dig(address, "all.brackwater.example", "MX")).toBe("10 mx1.inglemail.example.");
      expect(await dig(address, "all.brackwater.example", "TYPE65280")).toMatch(/\\# 3 ABCDEF/i);
      expect((await dig(address, "long.all.brackwater.example", "TXT")).replace(/["\s]/g, "")).toBe(
        `${"k".repeat(255)}${"m".repeat(200)}`,
      );
      expect(await own(["undo", "brackwater.example"])).toMatchObject({ exit: 0, err: "" });
      expect(await dig(address, "all.brackwater.example", "MX")).toBe("");
      expect((await own(["draft", "--json"])).json.changes.map((change: { action: string }) => change.action)).toEqual(
        Array(10).fill("add"),
      );
    } finally {
      writeFileSync(file, before);
    }
  });

  test("relocate captures the whole zone where the server hands it out, and says so where it does not", async () => {
    const captured = await own(["relocate", "capture", "brackwater.example", "--json"]);
    expect(captured).toMatchObject({ exit: 0, err: "" });
    expect(captured.json.capture).toMatchObject({ whole: true, because: "the server handed out the whole zone", unresolved: [] });
    expect(readFileSync(join(folder, "brackwater.example.zone"), "utf8")).not.toMatch(/RRSIG|NSEC|DNSKEY/);
    // Without the key knotd refuses; a signed zone shows its names all the same.
    const keyless = await own(["relocate", "capture", "brackwater.example", "--json", "--force"], { TSIG: "" });
    expect(keyless.json.capture).toMatchObject({
      whole: software === "named" || signs,
      because: expect.stringMatching(
        software === "named" ? /handed out the whole zone/ : signs ? /own list of names \(NSEC\)/ : /does not hand out/,
      ),
    });
  });

  if (signs)
    test("what was published is signed by the server, as a checking resolver wants it", async () => {
      const client = new DnsClient();
      try {
        const signed = client.signedAt({ address, port }, false);
        const apex = name("brackwater.example");
        const keys = await signed.askSigned(apex, "DNSKEY");
        const key = (keys.kind === "answer" ? keys.answer : []).find(({ type }) => type === "DNSKEY")?.data as DataOf["DNSKEY"];
        const ds = dsFor(apex, key) as DataOf["DS"];
        const chain = new ChainOfTrust(signed, [{ zone: apex, ds: [ds] }], Math.floor(Date.now() / 1000));
        for (const asked of [apex, name("_fresh.brackwater.example"), name("nothing.brackwater.example")])
          expect([asked, await chain.judge(asked, "TXT")]).toMatchObject([asked, { kind: "secure" }]);
      } finally {
        client.close();
      }
    });

  test("what is edited in a zone file is accepted by the servers' own checkers", async () => {
    const zone =
      "; mine\n$TTL 1h\n$ORIGIN brackwater.example.\n@ SOA ns1 hostmaster 2026030101 2h 15m 2w 5m\n@ NS ns1\nns1 A 192.0.2.53\n";
    writeFileSync(join(folder, "mine.zone"), zone);
    expect(await own(["publish", "--into", "mine.zone"])).toMatchObject({ exit: 0, err: "" });
    const checks = [
      [BINARIES.checkzone, "brackwater.example", join(folder, "mine.zone")],
      [BINARIES.kzonecheck, "-o", "brackwater.example", join(folder, "mine.zone")],
    ];
    for (const [program = "", ...argv] of checks) {
      const { exitCode, stderr, stdout } = await execa(program, argv, { reject: false });
      expect(`${program} ${exitCode} ${exitCode === 0 ? "" : stderr + stdout}`).toBe(`${program} 0 `);
    }
  });

  test("a clock 20 minutes off and an unknown key are told apart", async () => {
    const { sendUpdate } = await import("../src/net/update.ts");
    const key = { name: name("brackwater-key"), algorithm, secret: Buffer.from(SECRET, "base64") };
    const now = Math.floor(Date.now() / 1000);
    const set = { name: name("_x.brackwater.example"), type: "TXT", ttl: 5, data: [{ strings: ["x"] }] };
    const request = {
      server: { address, port },
      apex: name("brackwater.example"),
      key,
      now,
      timeout: 3000,
      changes: [{ name: set.name, type: "TXT", before: undefined, after: set }],
    };
    expect(await sendUpdate({ ...request, now: now - 1200 })).toMatchObject({
      kind: "unauthenticated",
      detail: { clause: "update-clock", minutes: -20 },
    });
    expect(await sendUpdate({ ...request, key: { ...key, name: name("stranger") } })).toMatchObject({
      kind: "unauthenticated",
      detail: { clause: "update-unknown-key", key: "stranger." },
    });
    expect(await sendUpdate({ ...request, apex: name("other.example") })).toMatchObject({ kind: "refused" });
  });

  test("a key and a policy published there; a message signed with it is judged through the caching resolver", async () => {
    const made = await own(["dkim", "new", "brackwater.example", "--selector", "r1", "--json"]);
    expect(made.exit).toBe(0);
    const compose = [
      "dmarc",
      "compose",
      "brackwater.example",
      "--policy",
      "reject",
      "--force",
      "--reports-to",
      "d@brackwater.example",
    ];
    expect((await own([...compose, "--write"])).exit).toBe(0);
    const only = ["--only", "own-mail-dkim-r1", "--only", "own-mail-dmarc"];
    expect(await own(["publish", "brackwater.example", ...only])).toMatchObject({ exit: 0 });
    await flips("_dmarc.brackwater.example", "p=reject");
    const sign = ["dkim", "sign", "-", "--domain", "brackwater.example", "--selector", "r1", "--key", made.json.keyFile];
    const message = "From: box@brackwater.example\r\nSubject: Tonight\r\n\r\nAll seats are taken.\r\n";
    const signed = (await zandrel(folder, sign, { env, input: message })).out;
    const judge = (input: string) =>
      zandrel(
        folder,
        [
          "message",
          "judge",
          "-",
          "--ip",
          "203.0.113.9",
          "--helo",
          "out.example",
          "--mail-from",
          "box@brackwater.example",
          "--json",
        ],
        { env, input },
      );
    const [sound, changed] = await Promise.all([judge(signed), judge(signed.replace("taken", "free"))]);
    expect([sound.exit, sound.json.spf.result, sound.json.dkim[0].result, sound.json.dmarc.result]).toEqual([
      0,
      "fail",
      "pass",
      "pass",
    ]);
    expect([changed.exit, changed.json.dkim[0].reason, changed.json.dmarc.disposition]).toEqual([1, "body-changed", "reject"]);
    const checked = await own(["dkim", "check", "brackwater.example", "--json"]);
    expect(checked.json.keys).toMatchObject([{ selector: "r1", state: "usable", bits: 2048 }]);
    const audited = (await own(["audit", "brackwater.example", "--json", "--fail-on", "never"])).json.domains[0];
    const ids = audited.findings.map((one: { id: string }) => one.id);
    expect(ids).toEqual(expect.arrayContaining(["one-server", "mx-missing"]));
    expect(ids.filter((id: string) => /^(dkim-(none|missing|cut)|dmarc-missing|spf-missing)$/.test(id))).toEqual([]);
  });
});

describeServers("a zone that several primaries hand out, to whoever has the key", () => {
  const [vantage, stale, fresh, registry] = ["127.61.0.31", "127.61.0.32", "127.61.0.33", "127.61.0.34"];
  let port: number;
  let folder: string;
  const acl = `key:\n  - id: move-key\n    algorithm: hmac-sha256\n    secret: ${SECRET}\nacl:\n  - id: hand-out\n    key: move-key\n    action: transfer\n`;
  const zone = (serial: number, more: string) =>
    `$TTL 60\n$ORIGIN brackwater.example.\n@ SOA ns h ${serial} 60 60 600 5\n@ NS ns\nns A ${stale}\n${more}`;
  const capture = (secret = SECRET) =>
    zandrel(folder, ["relocate", "capture", "brackwater.example", "--json", "--force"], { env: { MOVE: secret } });

  beforeAll(async () => {
    expect(missing).toEqual([]);
    port = await freePort();
    // More than one message of a transfer holds.
    const many = Array.from({ length: 4000 }, (_, i) => `odd-${i} TXT "${"x".repeat(40)}${i}"\n`).join("");
    folder = folderWith({
      "root.zone": `$TTL 60\n. SOA ns.example. r.example. 1 60 60 60 5\n. NS ns.example.\nns.example. A ${registry}\nbrackwater.example. NS ns.brackwater.example.\nns.brackwater.example. A ${stale}\n`,
      "stale.zone": zone(7, ""),
      "fresh.zone": zone(8, many),
      "zandrel.yaml": `version: 1\norganisation: Brackwater\nvantages:\n  - { name: Quay Street, resolver: "${vantage}:${port}" }\nhosts:\n  nettlehost: { title: Nettlehost }\nservices: {}\ndefaults: { authorityPort: ${port} }\n`,
    });
    mkdirSync(join(folder, "domains"));
    writeFileSync(join(folder, "domains/own.yaml"), "domain: brackwater.example\nhost: nettlehost\nasks: []\n");
    const own = "brackwater.example";
    startKnot(folder, { listen: `${stale}@${port}`, zones: { [own]: "stale.zone" }, more: acl, zone: "    acl: hand-out\n" });
    startKnot(folder, { listen: `${fresh}@${port}`, zones: { [own]: "fresh.zone" }, more: acl, zone: "    acl: hand-out\n" });
    startKnot(folder, { listen: `${registry}@${port}`, zones: { ".": "root.zone" } });
    startUnbound(folder, vantage, port, { [own]: stale, ".": registry });
    for (const address of [stale, fresh, vantage]) await answers(address, port, own, "SOA");
    await answers(registry, port, "example", "SOA");
  });
  afterAll(() => stopServers());

  test("host set names them, and the newest version is taken, whole and signed", async () => {
    const set = await zandrel(folder, [
      "host",
      "set",
      "nettlehost",
      ...["--transfer-server", `${fresh}:${port}`, "--transfer-key", "move-key", "--transfer-secret", "env:MOVE"],
    ]);
    expect(set).toMatchObject({ exit: 0, err: "" });
    const captured = await capture();
    expect(captured).toMatchObject({ exit: 0, err: "" });
    expect(captured.json.capture).toMatchObject({
      whole: true,
      records: 4001,
      because: `the server handed out the whole zone (${fresh}:${port} has version 8)`,
    });
  });
  test("a secret that does not fit is told, and the zone is asked name by name instead", async () => {
    const captured = await capture(Buffer.from("another secret").toString("base64"));
    expect(captured.json.capture).toMatchObject({
      whole: false,
      because: expect.stringMatching(/does not hand out the whole zone: it does not accept the key's secret/),
    });
  });
  test("half a key is refused", async () => {
    const half = await zandrel(folder, ["host", "set", "reedhost", "--title", "Reed Host", "--transfer-key", "k"]);
    expect(half).toMatchObject({ exit: 2, err: expect.stringMatching(/only one of them was given/) });
  });
});
