import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { execa } from "execa";
import { ChainOfTrust, type Verdict } from "../src/core/dnssec/index.ts";
import { name } from "../src/core/name/index.ts";
import { type DataOf, isOfType, toSets } from "../src/core/record/index.ts";
import { readRecords } from "../src/core/zone/index.ts";
import { DnsClient } from "../src/net/index.ts";
import { answers, BINARIES, describeServers, missing, startKnot, startUnbound, stopServers } from "./real-servers.ts";
import { folderWith, freePort, zandrel } from "./zandrel.ts";

/**
 * Zones signed with BIND's tools, each with a fault of its own, served by knotd, seen through unbound, which checks signatures:
 * its verdict and Zandrel's agree, and Zandrel names the reason.
 */
const HOST = "127.62.0.1";
const RESOLVER = "127.62.0.2";
/** Where two of the domains are to move to; it signs nothing. */
const NEW_HOST = "127.62.0.3";
/** A second name server of the first domain; it keeps old signatures. */
const LAGGING = "127.62.0.4";

interface Fault {
  readonly title: string;
  /** The algorithm of the zone's keys. */
  readonly algorithm?: string;
  /** More options of the signer. */
  readonly sign?: readonly string[];
  /** Whether the zone is left unsigned. */
  readonly unsigned?: boolean;
  /** Changes the signed zone. */
  readonly edit?: (zone: string) => string;
  /** The DS records in the parent zone, from the right ones. */
  readonly ds?: (right: string) => string;
  readonly ask?: readonly [label: string, type: string];
  readonly kind: Verdict["kind"];
  readonly code?: string;
  /** More records of the zone. */
  readonly records?: string;
}

const days = (count: number): string => new Date(Date.now() + count * 86_400_000).toISOString().slice(0, 19).replace(/\D/g, "");
/** The zone without the lines of a record and of its signature. */
const without = (pattern: RegExp) => (zone: string) =>
  zone
    .split("\n")
    .filter((line) => !pattern.test(line))
    .join("\n");

const FAULTS: readonly Fault[] = [
  { title: "all is well, by ECDSA P-256", kind: "secure" },
  { title: "all is well, by ECDSA P-384", algorithm: "ECDSAP384SHA384", kind: "secure" },
  { title: "all is well, by Ed25519", algorithm: "ED25519", kind: "secure" },
  { title: "all is well, by RSA with SHA-256", algorithm: "RSASHA256", kind: "secure" },
  { title: "all is well, by RSA with SHA-512", algorithm: "RSASHA512", kind: "secure" },
  { title: "all is well, by RSA with SHA-1, which is outdated", algorithm: "RSASHA1", kind: "secure" },
  { title: "the same with NSEC3", algorithm: "NSEC3RSASHA1", sign: ["-3", "ab"], kind: "secure" },
  { title: "a name that is not there, by NSEC", ask: ["nothing", "TXT"], kind: "secure" },
  { title: "a name that is not there, by NSEC3", sign: ["-3", "ab"], ask: ["nothing", "TXT"], kind: "secure" },
  { title: "a type that is not there", ask: ["www", "MX"], kind: "secure" },
  { title: "a wildcard's answer", ask: ["x.wild", "TXT"], kind: "secure" },
  { title: "a wildcard's answer, by NSEC3", sign: ["-3", "ab"], ask: ["x.wild", "TXT"], kind: "secure" },
  { title: "an empty name between two others", ask: ["c", "TXT"], kind: "secure" },
  { title: "an alias within the zone", ask: ["alias", "A"], kind: "secure" },
  { title: "no DS at the parent", ds: () => "", kind: "insecure" },
  { title: "a zone that nobody signs, and no DS", unsigned: true, ds: () => "", kind: "insecure" },
  { title: "a DS of an unknown algorithm only", ds: (right) => right.replace(/ 13 2 /, " 200 2 "), kind: "insecure" },
  {
    title: "NSEC3 that repeats its hash as often as is still checked",
    sign: ["-3", "ab", "-H", "150"],
    ask: ["nothing", "TXT"],
    kind: "secure",
  },
  {
    title: "an unsigned zone below, with NSEC3 opt-out",
    sign: ["-3", "ab", "-A"],
    records: "sub NS ns.example.\n",
    ask: ["x.sub", "TXT"],
    kind: "insecure",
  },
  {
    title: "an unsigned zone below, by NSEC",
    records: "sub NS ns.example.\n",
    ask: ["x.sub", "TXT"],
    kind: "insecure",
  },
  {
    title: "a DNAME that leads to another part of the zone",
    records: "old DNAME c\n",
    ask: ["a.b.old", "TXT"],
    kind: "secure",
  },
  { title: "a second name server that does not serve the zone", records: "@ NS ns3.example.\n", kind: "secure" },
  {
    title: "a DS left over from another DNS host",
    ds: (right) => right.replace(/DS \d+ 13 2 \S+/, `DS 4711 13 2 ${"AB".repeat(32)}`),
    kind: "bogus",
    code: "ds-without-key",
  },
  {
    title: "a DS with a wrong digest",
    ds: (right) => right.replace(/(13 2 )../, "$100"),
    kind: "bogus",
    code: "ds-digest-wrong",
  },
  { title: "a zone that is not signed any more", unsigned: true, kind: "bogus", code: "keys-missing" },
  {
    title: "signatures that have ended",
    sign: ["-s", days(-30), "-e", days(-2)],
    kind: "bogus",
    code: "signature-expired",
  },
  {
    title: "signatures that have not begun",
    sign: ["-s", days(2), "-e", days(30)],
    kind: "bogus",
    code: "signature-early",
  },
  {
    title: "a record that was changed after signing",
    edit: (zone) => zone.replace('"v=spf1 -all"', '"v=spf1 ~all"'),
    kind: "bogus",
    code: "signature-wrong",
  },
  { title: "a record without its signature", edit: without(/\sRRSIG\sTXT\s/), kind: "bogus", code: "signature-missing" },
  {
    title: "keys without their signature",
    edit: without(/\sRRSIG\sDNSKEY\s/),
    kind: "bogus",
    code: "signature-missing",
  },
  {
    title: "nothing that proves a name away",
    edit: without(/\s(?:NSEC|RRSIG\sNSEC)\s/),
    ask: ["nothing", "TXT"],
    kind: "bogus",
    code: "denial-missing",
  },
  {
    title: "a key that was taken out too early",
    edit: (zone) => without(/\sDNSKEY\s256\s/)(zone),
    kind: "bogus",
    code: "signature-wrong",
  },
];

/** The zone of a domain before it is signed. */
const plainZone = (domain: string, more = ""): string =>
  `$TTL 60\n$ORIGIN ${domain}.\n@ SOA ns.example. h.example. 1 60 60 600 5\n@ NS ns.example.\n${domain === domainOf(0) ? "@ NS ns2.example.\n" : ""}@ TXT "v=spf1 -all"\nwww A 192.0.2.80\nalias CNAME www\n*.wild TXT "w"\na.b.c TXT "deep"\n${more}`;

const domainOf = (i: number): string => `z${String(i).padStart(2, "0")}.example`;
const titled = (title: string): string => domainOf(FAULTS.findIndex((fault) => fault.title === title));

describeServers("chains of trust that real servers show", () => {
  let folder: string;
  let port: number;
  let anchor: DataOf["DS"];
  let client: DnsClient;

  const keygen = async (domain: string, algorithm: string, ksk: boolean) =>
    (
      await execa(
        BINARIES.keygen,
        ["-q", "-a", algorithm, ...(/RSA/.test(algorithm) ? ["-b", "1024"] : []), ...(ksk ? ["-f", "KSK"] : []), domain],
        {
          cwd: folder,
        },
      )
    ).stdout.trim();
  /** Signs a zone file; gives back its DS records as zone-file lines. */
  const sign = async (domain: string, { algorithm = "ECDSAP256SHA256", sign: more = [], edit }: Fault): Promise<string> => {
    const [ksk, zsk] = [await keygen(domain, algorithm, true), await keygen(domain, algorithm, false)];
    const file = `${domain}.zone`;
    for (const key of [ksk, zsk])
      writeFileSync(
        join(folder, file),
        `${readFileSync(join(folder, file), "utf8")}${readFileSync(join(folder, `${key}.key`), "utf8")}`,
      );
    const unsigned = readFileSync(join(folder, file), "utf8");
    await execa(BINARIES.signzone, ["-P", "-q", "-x", "-O", "full", "-o", domain, ...more, "-f", file, "-k", ksk, file, zsk], {
      cwd: folder,
    });
    if (domain === domainOf(0)) {
      const old = ["-s", days(-30), "-e", days(-2), "-f", `${domain}.old`];
      writeFileSync(join(folder, `${domain}.unsigned`), unsigned);
      await execa(
        BINARIES.signzone,
        ["-P", "-q", "-x", "-O", "full", "-o", domain, ...old, "-k", ksk, `${domain}.unsigned`, zsk],
        {
          cwd: folder,
        },
      );
    }
    const signed = readFileSync(join(folder, file), "utf8");
    // Each record on a line of its own, its fields apart by one space.
    const plain = signed.replace(/[\t ]+/g, " ");
    writeFileSync(join(folder, file), edit === undefined ? plain : edit(plain));
    return (await execa(BINARIES.dsfromkey, ["-2", `${ksk}.key`], { cwd: folder })).stdout.trim();
  };

  beforeAll(async () => {
    expect(missing).toEqual([]);
    port = await freePort();
    folder = folderWith({});
    const zones: Record<string, string> = {};
    let delegations = "";
    await Promise.all(
      FAULTS.map(async (fault, i) => {
        const domain = domainOf(i);
        zones[domain] = `${domain}.zone`;
        writeFileSync(join(folder, `${domain}.zone`), plainZone(domain, fault.records));
        if (fault.records?.startsWith("sub ") === true) {
          zones[`sub.${domain}`] = `sub.${domain}.zone`;
          writeFileSync(join(folder, `sub.${domain}.zone`), plainZone(`sub.${domain}`, 'x TXT "below"\n'));
        }
        const right = fault.unsigned ? `${domain}. IN DS 4711 13 2 ${"AB".repeat(32)}` : await sign(domain, fault);
        delegations += `${domain}. NS ns.example.\n${fault.ds === undefined ? right : fault.ds(right)}\n`;
      }),
    );
    writeFileSync(
      join(folder, "example.zone"),
      `$TTL 60\n$ORIGIN example.\n@ SOA ns.example. h.example. 1 60 60 600 5\n@ NS ns.example.\nns A ${HOST}\nns2 A ${LAGGING}\nns3 A ${NEW_HOST}\n${delegations}`,
    );
    const example = await sign("example", FAULTS[0] as Fault);
    writeFileSync(
      join(folder, "..zone"),
      `$TTL 60\n. SOA ns.example. h.example. 1 60 60 600 5\n. NS ns.example.\nexample. NS ns.example.\nns.example. A ${HOST}\n${example}\n`,
    );
    const root = await sign(".", FAULTS[0] as Fault);
    const [set] = toSets(readRecords(root, { origin: name("."), ttl: 60 }).records);
    anchor = (set !== undefined && isOfType(set, "DS") ? set.data[0] : undefined) as DataOf["DS"];
    startKnot(folder, { listen: `${HOST}@${port}`, zones: { ".": "..zone", "example.": "example.zone", ...zones } });
    const bare = (domain: string) => {
      writeFileSync(join(folder, `${domain}.bare`), plainZone(domain));
      return [domain, `${domain}.bare`] as const;
    };
    const leaving = [domainOf(0), titled("a zone that nobody signs, and no DS")];
    startKnot(folder, { listen: `${NEW_HOST}@${port}`, zones: Object.fromEntries(leaving.map(bare)) });
    startKnot(folder, { listen: `${LAGGING}@${port}`, zones: { [domainOf(0)]: `${domainOf(0)}.old` } });
    await answers(LAGGING, port, domainOf(0), "SOA");
    const stubs = Object.fromEntries([".", "example", ...Object.keys(zones)].map((zone) => [zone, HOST]));
    startUnbound(folder, RESOLVER, port, stubs, root);
    await answers(HOST, port, domainOf(0), "SOA");
    await answers(RESOLVER, port, domainOf(0), "SOA");
    client = new DnsClient();
  });
  afterAll(() => {
    client?.close();
    stopServers();
  });

  test.each(FAULTS.map((fault, i) => [fault.title, fault, domainOf(i)] as const))("%s", async (_, fault, domain) => {
    const [label = "", type = "TXT"] = fault.ask ?? [];
    const of = label === "" ? domain : `${label}.${domain}`;
    const { stdout } = await execa(BINARIES.dig, [
      `@${RESOLVER}`,
      "-p",
      String(port),
      of,
      type,
      "+dnssec",
      "+time=5",
      "+tries=1",
    ]);
    const theirs = /status: SERVFAIL/.test(stdout) ? "bogus" : /flags:[^;]*\bad\b/.test(stdout) ? "secure" : "insecure";
    const chain = new ChainOfTrust(
      client.signedAt({ address: RESOLVER, port }),
      [{ zone: name("."), ds: [anchor] }],
      Math.floor(Date.now() / 1000),
    );
    const ours = await chain.judge(name(of), type);
    expect({ theirs, ours: ours.kind, code: ours.kind === "bogus" ? ours.flaw.code : undefined }).toEqual({
      theirs: fault.kind,
      ours: fault.kind,
      code: fault.code,
    });
  });

  /** A workspace for one of the zones, seen through the checking resolver. */
  const workspace = (domain: string): string => {
    const here = folderWith({
      "zandrel.yaml": `version: 1\norganisation: Brackwater\nvantages:\n  - { name: Quay Street, resolver: "${RESOLVER}:${port}" }\nhosts:\n  nettlehost: { title: Nettlehost, publish: { way: by-hand } }\nservices:\n  seekmere: { title: Seekmere }\nanchors: |\n  . DS ${anchor.keyTag} ${anchor.algorithm} ${anchor.digestType} ${anchor.digest}\ndefaults: { ttl: 60, authorityPort: ${port} }\n`,
    });
    mkdirSync(join(here, "domains"));
    writeFileSync(
      join(here, "domains/own.yaml"),
      `domain: ${domain}\nrole: sending\nhost: nettlehost\nasks:\n  - id: proof\n    service: seekmere\n    purpose: ownership\n    records: |\n      www A 192.0.2.80\n`,
    );
    return here;
  };

  test("after a move the DS is left over: status, prove and the audit say so, and nothing else", async () => {
    const domain = titled("a DS left over from another DNS host");
    const here = workspace(domain);
    const status = await zandrel(here, ["status"]);
    expect(status.out).toMatch(/the DNSSEC record at the registrar \(DS, key 4711\) does not fit the key of z\d\d\.example/);
    expect(status.out).toMatch(/at the registrar, delete that DS record; resolvers forget the old one within 1 minute/);
    expect((await zandrel(here, ["prove", "--json"])).json.asks[0].causes[0]).toMatchObject({ kind: "dnssec-ds-without-key" });
    const audited = (await zandrel(here, ["audit", "--json"])).json.domains[0];
    const ids = audited.findings
      .filter((one: { area: string }) => one.area === "delegation")
      .map((one: { id: string }) => one.id);
    expect(ids).toContain("dnssec-ds-foreign");
    expect(ids).not.toContain("server-unfound");
    expect(ids).not.toContain("delegation-unanswered");
  });
  test("signatures that have ended are named with their day", async () => {
    const here = workspace(titled("signatures that have ended"));
    expect((await zandrel(here, ["status"])).out).toMatch(/ended on \d{4}-\d\d-\d\d at \d\d:\d\d UTC/);
    expect((await zandrel(here, ["audit", "--json"])).json.domains[0].findings.map((one: { id: string }) => one.id)).toContain(
      "dnssec-signature",
    );
  });
  test("a domain that is signed rightly is as well as any other", async () => {
    const here = workspace(domainOf(0));
    expect((await zandrel(here, ["status", "--json"])).json.domains[0].asks[0].state).toBe("settled");
    const { findings } = (await zandrel(here, ["audit", "--json"])).json.domains[0];
    // Only one of its two name servers is behind, which is found by asking each.
    expect(findings.filter(({ id }: { id: string }) => /dnssec|ds-/.test(id))).toMatchObject([
      { id: "dnssec-server-differs", evidence: expect.stringMatching(/^ns2\.example: the DNSSEC signature of .* ended on/) },
    ]);
  });
  test("a server that does not serve the zone is named, and nothing is wrong with the signatures", async () => {
    const here = workspace(titled("a second name server that does not serve the zone"));
    const { findings } = (await zandrel(here, ["audit", "--json"])).json.domains[0];
    expect(findings.filter(({ id }: { id: string }) => /dnssec|ds-|lame|silent/.test(id))).toMatchObject([
      { id: "server-lame", evidence: "ns3.example says it does not serve the domain" },
    ]);
  });
  test("a move to a DNS host that does not sign: what would break is said before it does", async () => {
    const domain = domainOf(0);
    const here = workspace(domain);
    const settings = join(here, "zandrel.yaml");
    const added = `  reedhost: { title: Reed Host, servers: ["${NEW_HOST}:${port}"], publish: { way: by-hand } }\n`;
    writeFileSync(settings, readFileSync(settings, "utf8").replace("services:\n", `${added}services:\n`));
    const compared = await zandrel(here, ["relocate", "compare", domain, "--new-host", "reedhost"]);
    expect(compared.exit).toBe(1);
    expect(compared.out.replace(/\s+/g, " ")).toMatch(
      /does not fit the new host, which has no keys: if the name servers changed now, every resolver that checks signatures would refuse z00\.example\. Delete that DS record at the registrar first, and wait 1 minute/,
    );
    expect(compared.out).toContain("mind the DNSSEC record first");
    // Where there is no DS record, nothing stands in the way.
    const unsigned = titled("a zone that nobody signs, and no DS");
    const other = workspace(unsigned);
    const own = join(other, "zandrel.yaml");
    writeFileSync(own, readFileSync(own, "utf8").replace("services:\n", `${added}services:\n`));
    const ready = await zandrel(other, ["relocate", "compare", unsigned, "--new-host", "reedhost", "--json"]);
    expect(ready.json).toMatchObject({ signatures: { state: "unsigned" }, compare: { ready: true } });
  });
  test("a signed zone lists its names, so that a capture misses none", async () => {
    const domain = domainOf(1);
    const here = workspace(domain);
    const captured = await zandrel(here, ["relocate", "capture", domain, "--json"]);
    expect(captured.json.capture).toMatchObject({ whole: true, because: expect.stringContaining("(NSEC) was followed") });
    const zone = readFileSync(join(here, `${domain}.zone`), "utf8");
    for (const line of ["a.b.c\t60\tIN\tTXT", "*.wild\t60\tIN\tTXT", "alias\t60\tIN\tCNAME", "www\t60\tIN\tA"])
      expect(zone).toContain(line);
    expect(zone.replace(/^;.*$/gm, "")).not.toMatch(/RRSIG|NSEC|DNSKEY/);
  });
});
