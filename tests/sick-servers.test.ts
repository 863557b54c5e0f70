import { generateKeyPairSync } from "node:crypto";
import { mkdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { name } from "../src/core/name/index.ts";
import { splitCharacterStrings } from "../src/core/record/index.ts";
import type { Sickness } from "../src/lab/authority.ts";
import { startLab } from "../src/lab/index.ts";
import { folderWith, zandrel } from "./zandrel.ts";

/** A signed domain one of whose two name servers is sick, in every way: what the other shows counts, and the sick one is named. */
const apex = name("brackwater.example");
/** A key of 2,048 bits of RSA, as a service publishes it. */
const KEY = `v=DKIM1; k=rsa; p=${generateKeyPairSync("rsa", { modulusLength: 2048 }).publicKey.export({ type: "spki", format: "der" }).toString("base64")}`;
const SICK = "ns2.nettlehost.example";
let lab: Awaited<ReturnType<typeof startLab>>;
let folder: string;
const run = (...argv: string[]) => zandrel(folder, argv, { env: lab.env });

beforeAll(async () => {
  lab = await startLab({ start: Date.parse("2026-03-02T09:00:00Z"), port: 0, signed: true });
  folder = folderWith({ "zandrel.yaml": lab.settings });
  mkdirSync(join(folder, "domains"));
  const ask = '  - id: own\n    service: seekmere\n    purpose: ownership\n    records: |\n      _proof TXT "there"\n';
  writeFileSync(join(folder, "domains/brackwater.example.yaml"), `domain: brackwater.example\nhost: nettlehost\nasks:\n${ask}`);
  lab.nettlehost.preset(apex, { name: name("_proof", apex), type: "TXT", ttl: 60, data: [{ strings: ["there"] }] });
});
afterAll(() => lab.close());

const CASES: readonly { readonly sickness: Sickness; readonly findings: readonly string[]; readonly isSilent: boolean }[] = [
  { sickness: "lame", findings: ["server-lame"], isSilent: true },
  { sickness: "failing", findings: ["server-silent"], isSilent: true },
  { sickness: "silent", findings: ["server-silent"], isSilent: true },
  { sickness: "before-edns", findings: ["server-no-edns"], isSilent: false },
  { sickness: "passes-edns-over", findings: ["server-no-edns"], isSilent: false },
  { sickness: "unsigned", findings: ["dnssec-server-differs"], isSilent: false },
];

describe.each(CASES)("the second server is $sickness", ({ sickness, findings, isSilent }) => {
  beforeAll(() => void lab.nettlehost.sick.set("ns2.nettlehost", sickness));
  afterAll(() => void lab.nettlehost.sick.clear());

  test("the ask is found all the same, and the server is a cause of its own where it does not answer", async () => {
    const proof = await run("prove", "own", "--json", "--timeout", "5");
    const [ask] = proof.json.asks;
    expect(ask).toMatchObject({ verdict: "found", state: "settled" });
    expect(ask.causes.map(({ kind, at }: { kind: string; at: string }) => [kind, at])).toEqual(
      isSilent ? [["sick-server", SICK]] : [],
    );
    const said = await run("prove", "own", "--timeout", "5");
    if (isSilent) expect(said.out).toMatch(new RegExp(`${SICK} .*does not answer`));
    else expect(said.out).not.toContain(SICK);
  });

  test("the audit names the server, and nothing else that is wrong because of it", async () => {
    const audited = await run("audit", "brackwater.example", "--json", "--timeout", "5");
    const about = audited.json.domains[0].findings.filter(
      ({ id, severity }: { id: string; severity: string }) =>
        /^(server|dnssec|ds-|delegation|answers)/.test(id) && severity !== "note",
    );
    expect(about.map(({ id }: { id: string }) => id)).toEqual(findings);
    expect(JSON.stringify(about)).toContain(SICK);
  });

  test("what is missing at the other is still missing, and never unknown", async () => {
    writeFileSync(
      join(folder, "domains/puppetfest.example.yaml"),
      'domain: puppetfest.example\nhost: nettlehost\nasks:\n  - id: lacking\n    service: seekmere\n    purpose: ownership\n    records: |\n      _proof TXT "not there"\n',
    );
    const proof = await run("prove", "lacking", "--json", "--timeout", "5");
    expect(proof.json.asks[0]).toMatchObject({ verdict: "absent" });
  });
});

test("where both are lame, nothing is known", async () => {
  for (const server of ["ns1.nettlehost", "ns2.nettlehost"]) lab.nettlehost.sick.set(server, "lame");
  const proof = await run("prove", "own", "--json", "--timeout", "5");
  expect(proof).toMatchObject({ exit: 3 });
  expect(proof.json.asks[0].verdict).toBe("unknown");
  lab.nettlehost.sick.clear();
});

test("an alias to a service is followed to the service's own name servers, by the audit and by a sweep", async () => {
  const service = name("heronpost.example");
  const key = name("hpa._domainkey", apex);
  const target = name("key1.heronpost.example");
  lab.providers.heronpost.put(service, { name: target, type: "TXT", ttl: 60, data: [{ strings: splitCharacterStrings(KEY) }] });
  lab.nettlehost.put(apex, { name: key, type: "CNAME", ttl: 60, data: [{ target }] });
  const audited = await run("audit", "brackwater.example", "--selector", "hpa", "--json");
  const [domain] = audited.json.domains;
  expect(domain.unresolved).toEqual([]);
  expect(domain.findings.filter(({ id }: { id: string }) => /^dkim-(none|missing|broken)/.test(id))).toEqual([]);
  writeFileSync(join(folder, "list.txt"), "brackwater.example\n");
  const swept = await run("sweep", "list.txt", "--format", "ndjson");
  expect(swept.out).not.toContain("does not hold");
  expect(JSON.parse(swept.out.split("\n")[0] as string)).toMatchObject({ domain: "brackwater.example." });
});
