import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { join, resolve } from "node:path";
import { afterEach, expect, test } from "@jest/globals";
import { execa } from "execa";
import { type DomainName, name } from "../src/core/name/index.ts";
import type { DataOf } from "../src/core/record/index.ts";
import { startLab } from "../src/lab/index.ts";
import { answers, BINARIES, describeServers, startUnbound, stopServers } from "./real-servers.ts";
import { folderWith, freePort, started, zandrel } from "./zandrel.ts";

/** A signed domain moves from Nettlehost to Zonemarrow, each of which signs with a key of its own: wrongly, and rightly in two ways. */
type Lab = Awaited<ReturnType<typeof startLab>>;
const apex = name("brackwater.example");
const parent = name("example");
const HOUR = 3_600_000;

let lab: Lab;
afterEach(() => lab?.close());

/** A lab that signs, a workspace in it, and what the registrar, the old host and the new one do. */
async function signedLab(signed = true) {
  const port = await freePort();
  lab = await startLab({ start: Date.parse("2026-03-02T09:00:00Z"), port, signed });
  const folder = folderWith({ "zandrel.yaml": lab.settings });
  mkdirSync(join(folder, "domains"));
  const ask = "  - id: own\n    service: seekmere\n    purpose: ownership\n    records: |\n      box-office A 192.0.2.20\n";
  writeFileSync(join(folder, "domains/brackwater.example.yaml"), `domain: brackwater.example\nhost: nettlehost\nasks:\n${ask}`);
  const run = (...argv: string[]) => zandrel(folder, argv, { env: lab.env });
  const relocate = (step: string, ...more: string[]) =>
    run("relocate", step, "brackwater.example", "--json", "--new-host", "zonemarrow", ...more);
  /** The zone at the new host, which signs it. */
  const copy = async () => {
    expect((await run("relocate", "capture", "brackwater.example", "--force")).exit).toBe(0);
    const head =
      "@ SOA ns1.zonemarrow.example. h 1 2h 15m 2w 15m\n@ 3600 NS ns1.zonemarrow.example.\n@ 3600 NS ns2.zonemarrow.example.\n";
    lab.zonemarrow.serve(apex, `$TTL 1h\n${head}${readFileSync(join(folder, "brackwater.example.zone"), "utf8")}`);
    return lab.zonemarrow.sign(apex);
  };
  const delegate = (host: string) =>
    lab.registry.put(parent, {
      name: apex,
      type: "NS",
      ttl: 21_600,
      data: ["ns1", "ns2"].map((server) => ({ target: name(`${server}.${host}.example`) })),
    });
  const enterDs = (...ds: DataOf["DS"][]) => lab.registry.put(parent, { name: apex, type: "DS", ttl: 21_600, data: ds });
  /** What somebody sees who asks a checking resolver: `refused`, `unproven` or `secure`, the worst of all four. */
  const seen = async (of: DomainName = apex, type = "TXT"): Promise<string> => {
    const all = await Promise.all(
      Object.values(lab.vantages).map(async (vantage) => {
        const { answer, verdict } = await vantage.resolve(of, type, true);
        return answer.kind === "failed" ? "refused" : verdict?.kind === "secure" ? "secure" : "unproven";
      }),
    );
    return all.includes("refused") ? "refused" : all.includes("unproven") ? "unproven" : "secure";
  };
  return { port, folder, run, relocate, copy, delegate, enterDs, seen };
}

describeServers("what the lab signs", () => {
  test("is secure to a real checking resolver", async () => {
    const { port, folder } = await signedLab();
    const anchor = /\. DS .*/.exec(lab.settings)?.[0] as string;
    const stubs = {
      ".": "127.53.0.1",
      example: "127.53.0.1",
      "brackwater.example": "127.53.0.2",
      "pagewick.example": "127.53.0.6",
    };
    startUnbound(folder, "127.53.0.99", port, stubs, anchor, new Date(lab.clock.now()));
    try {
      await answers("127.53.0.99", port, "example", "SOA");
      const flags = async (of: string, type: string) => {
        const { stdout } = await execa(BINARIES.dig, ["@127.53.0.99", "-p", String(port), of, type, "+dnssec", "+time=5"]);
        return /status: (\w+)/.exec(stdout)?.[1] + (/flags:[^;]*\bad\b/.test(stdout) ? " secure" : "");
      };
      expect(await flags("brackwater.example", "TXT")).toBe("NOERROR secure");
      expect(await flags("brackwater.example", "CAA")).toBe("NOERROR secure");
      expect(await flags("nothing.brackwater.example", "TXT")).toBe("NXDOMAIN secure");
      // Pagewick's zone has no DS record, which its parent proves.
      expect(await flags("any.sites.pagewick.example", "A")).toBe("NOERROR");
    } finally {
      stopServers();
    }
  });
});

test("an audit of a signed domain asks each server each question once, and hardly more than of an unsigned one", async () => {
  const asked: string[][] = [];
  for (const signed of [false, true]) {
    const { folder } = await signedLab(signed);
    const log = join(folder, "questions.txt");
    const env = { ...lab.env, QUESTIONS: log, NODE_OPTIONS: `--require ${resolve("bench/questions.cjs")}` };
    const { json } = await started(folder, ["audit", "--json", "--timeout", "60"], { env });
    expect(json.domains[0].unresolved).toEqual([]);
    expect(json.domains[0].findings.filter(({ id }: { id: string }) => /dnssec|^ds-|differ/.test(id))).toEqual([]);
    asked.push(readFileSync(log, "utf8").trimEnd().split("\n"));
    if (!signed) await lab.close();
  }
  const [plain = [], own = []] = asked;
  for (const questions of asked) expect(questions.filter((one, i) => questions.indexOf(one) !== i)).toEqual([]);
  // Before signatures of every set that is relied on were judged, it was 140.
  expect(plain.length).toBeLessThan(154);
  expect(plain.length).toBeGreaterThan(80);
  expect(own.length).toBeGreaterThan(plain.length);
  expect(own.length / plain.length).toBeLessThan(1.4);
});

test("wrong: the name servers change and the DS record stands; the cause is said, and how long it lasts", async () => {
  const { run, relocate, copy, delegate, seen } = await signedLab();
  expect(await seen()).toBe("secure");
  await copy();
  const compared = await relocate("compare");
  expect(compared).toMatchObject({
    exit: 1,
    json: { signatures: { state: "breaks", ttl: 21_600 }, compare: { differences: [] } },
  });
  delegate("zonemarrow");
  lab.clock.leap(2 * HOUR);
  expect(await seen()).toBe("refused");
  const checked = await run("relocate", "check", "brackwater.example", "--new-host", "zonemarrow");
  expect(checked.exit).toBe(1);
  expect(checked.out.replace(/\s+/g, " ")).toMatch(
    /every resolver that checks signatures refuses brackwater\.example now\. Delete/,
  );
  const status = await run("status");
  expect(status.out.replace(/\s+/g, " ")).toMatch(/but that of Nettlehost, where the domain was before/);
  expect(status.out.replace(/\s+/g, " ")).toMatch(
    /does not fit the key of brackwater\.example .* resolvers forget the old one within 6 hours/,
  );
  // Mended at the registrar: some still remember the record, and it is said until when.
  lab.registry.remove(parent, apex, "DS");
  const waiting = (await run("status", "--json")).json.domains[0].asks[0];
  expect(Date.parse(waiting.visibleBy) - lab.clock.now()).toBeGreaterThan(5 * HOUR);
  expect(Date.parse(waiting.visibleBy) - lab.clock.now()).toBeLessThanOrEqual(6 * HOUR);
  lab.clock.leap(Date.parse(waiting.visibleBy) + 1000 - lab.clock.now());
  expect(await seen()).toBe("unproven");
  expect((await run("status", "--json")).json.domains[0].asks[0]).toMatchObject({ state: "settled" });
});

test("right: the DS record goes first and comes back last; nobody is refused at any time", async () => {
  const { relocate, run, copy, delegate, enterDs, seen } = await signedLab();
  const planned = (await relocate("plan")).json.plan;
  expect(planned.steps.map((one: { code: string }) => one.code)).toEqual([
    "lower-ttls",
    "copy",
    "delete-ds",
    "change-servers",
    "look",
    "switch-off",
  ]);
  const signer = await copy();
  expect((await relocate("plan")).json.plan.steps.map((one: { code: string }) => one.code)).toContain("enter-ds");
  expect(await seen()).toBe("secure");
  lab.registry.remove(parent, apex, "DS");
  const early = await run("relocate", "check", "brackwater.example", "--new-host", "zonemarrow");
  expect(early.out).toMatch(/may be remembered until .*change the name servers after that/s);
  expect(early.out).not.toContain("Change the name servers at the registrar, then look again");
  expect((await relocate("compare")).json).toMatchObject({ signatures: { state: "waiting" }, compare: { ready: false } });
  lab.clock.leap(6 * HOUR + 60_000);
  expect(await seen()).toBe("unproven");
  expect((await relocate("compare")).json).toMatchObject({ signatures: { state: "unsigned" }, compare: { ready: true } });
  delegate("zonemarrow");
  expect((await relocate("check", "--write")).json.check).toMatchObject({ state: "moved", host: "changed" });
  for (let passed = 0; passed < 8; passed++) {
    expect(await seen()).toBe("unproven");
    lab.clock.leap(HOUR);
  }
  enterDs(signer.ds);
  lab.clock.leap(6 * HOUR + 60_000);
  expect(await seen()).toBe("secure");
  expect((await run("status", "--json")).json.domains[0].asks[0]).toMatchObject({ state: "settled" });
});

test("right: signed all the time, by keys that both hosts publish", async () => {
  const { relocate, run, copy, delegate, enterDs, seen } = await signedLab();
  expect(await relocate("plan", "--stay-signed")).toMatchObject({ exit: 2, json: { error: { code: "new-host-unsigned" } } });
  const signer = await copy();
  const old = lab.nettlehost.set(apex, apex, "DNSKEY")?.data[0] as DataOf["DNSKEY"];
  const oldDs = lab.registry.set(parent, apex, "DS")?.data[0] as DataOf["DS"];
  const { plan } = (await relocate("plan", "--stay-signed")).json;
  const codes = ["lower-ttls", "copy", "share-keys", "add-ds", "change-servers", "look", "delete-old-ds", "switch-off"];
  expect(plan.steps.map((one: { code: string }) => one.code)).toEqual(codes);
  // The new DS record alone is not enough: whoever remembers the old host's keys would refuse what the new one signed.
  enterDs(oldDs, signer.ds);
  expect((await relocate("compare")).json).toMatchObject({
    signatures: { state: "apart", ttl: 3600 },
    compare: { ready: false, differences: [] },
  });
  const share = { name: apex, type: "DNSKEY", ttl: 3600, data: [old, signer.key] } as const;
  lab.nettlehost.put(apex, share);
  lab.zonemarrow.put(apex, share);
  lab.clock.leap(7 * HOUR);
  expect((await relocate("compare")).json).toMatchObject({ signatures: { state: "fits" }, compare: { ready: true } });
  expect(await seen()).toBe("secure");
  delegate("zonemarrow");
  for (let passed = 0; passed < 8; passed++) {
    expect(await seen()).toBe("secure");
    expect(await seen(name("nothing", apex))).toBe("secure");
    lab.clock.leap(HOUR / 2);
  }
  expect((await relocate("check", "--write")).json.check).toMatchObject({ state: "moved", host: "changed" });
  enterDs(signer.ds);
  lab.clock.leap(7 * HOUR);
  expect(await seen()).toBe("secure");
  expect((await run("status", "--json")).json.domains[0].asks[0]).toMatchObject({ state: "settled" });
});
