import { createSocket } from "node:dgram";
import { mkdirSync, writeFileSync } from "node:fs";
import { connect, createServer } from "node:net";
import { join } from "node:path";
import { afterAll, afterEach, beforeAll, expect, test } from "@jest/globals";
import { decodeMessage, emptyMessage, encodeMessage, encodeQuery, RCODE } from "../src/net/index.ts";
import { answers, describeServers, signVersions, startKnot, startNamed, startUnbound, stopServers } from "./real-servers.ts";
import { folderWith, freePort, zandrel } from "./zandrel.ts";

/**
 * A signed domain with two real name servers, named and knotd in either order, of which the second is sick in eleven ways; looked at
 * through a real resolver that checks signatures. What the sound one shows counts, and the sick one is named with what it has.
 */
const AT = {
  parents: "127.62.0.9",
  first: "127.62.0.1",
  second: "127.62.0.2",
  knotd: "127.62.0.3",
  odd: "127.62.0.4",
  named: "127.0.0.1",
};
const VANTAGE = "127.62.0.11";
const SICK = "ns2.nettlehost.example";

type Answerer = (request: Buffer, ask: (request: Buffer) => Promise<Buffer>) => Promise<Buffer | undefined>;

const saying =
  (rcode: number): Answerer =>
  async (request) => {
    const query = decodeMessage(request);
    if (!query.ok) return undefined;
    return encodeMessage({ ...emptyMessage, id: query.value.id, response: true, questions: query.value.questions, rcode });
  };
const isEdns = (request: Buffer): boolean => {
  const query = decodeMessage(request);
  return query.ok && query.value.edns !== undefined;
};
/** The same question without EDNS. */
const plain = (request: Buffer): Buffer => {
  const query = decodeMessage(request);
  const [question] = query.ok ? query.value.questions : [];
  if (!query.ok || question === undefined) return request;
  const bare = encodeQuery(question, false, false);
  bare.writeUInt16BE(query.value.id, 0);
  return bare;
};
const passing: Answerer = (request, ask) => ask(request);

/** A name server in front of a real one, which is asked for what it passes on. */
async function front(address: string, port: number, backend: string, answer: Answerer, tcp = true): Promise<() => void> {
  const socket = createSocket("udp4");
  const ask = (request: Buffer): Promise<Buffer> =>
    new Promise((resolve) => {
      const out = createSocket("udp4");
      out.once("message", (reply) => {
        out.close();
        resolve(reply);
      });
      out.send(request, port, backend);
    });
  socket.on("message", (request, from) => {
    void answer(request, ask).then((reply) => reply !== undefined && socket.send(reply, from.port, from.address));
  });
  await new Promise<void>((resolve) => socket.bind(port, address, resolve));
  const server = createServer((client) => {
    const behind = connect(port, backend);
    client.on("error", () => behind.destroy());
    behind.on("error", () => client.destroy());
    client.pipe(behind).pipe(client);
  });
  if (tcp) await new Promise<void>((resolve) => server.listen(port, address, resolve));
  return () => {
    socket.close();
    if (tcp) server.close();
  };
}

interface Sickness {
  readonly title: string;
  readonly answer?: Answerer;
  /** Not listening at all. */
  readonly closed?: true;
  readonly tcp?: false;
  /** Another server that it passes questions on to. */
  readonly backend?: string;
  readonly findings: readonly string[];
  /** Whether it answers, so that it is no cause of its own. */
  readonly answers?: true;
}

const SICKNESSES: readonly Sickness[] = [
  { title: "refuses", answer: saying(RCODE.REFUSED), findings: ["server-lame"] },
  { title: "fails", answer: saying(RCODE.SERVFAIL), findings: ["server-silent"] },
  { title: "is silent", answer: async () => undefined, findings: ["server-silent"] },
  { title: "has its port closed", closed: true, findings: ["server-silent"] },
  { title: "takes no TCP", tcp: false, findings: ["server-no-tcp"], answers: true },
  {
    title: "says FORMERR to EDNS",
    answer: (request, ask) => (isEdns(request) ? saying(RCODE.FORMERR)(request, ask) : ask(request)),
    findings: ["server-no-edns"],
    answers: true,
  },
  { title: "passes EDNS over", answer: (request, ask) => ask(plain(request)), findings: ["server-no-edns"], answers: true },
  { title: "has an old version", backend: "old", findings: ["serial-differs"], answers: true },
  { title: "has a version without signatures", backend: "unsigned", findings: ["dnssec-server-differs"], answers: true },
  { title: "has another zone", backend: "other", findings: ["server-lame"] },
];

describeServers.each(["named", "knotd"] as const)("the second server is %s", (software) => {
  let folder: string;
  let port: number;
  const closing: (() => void)[] = [];
  const backends: Record<string, string> = { old: "127.62.0.5", unsigned: "127.62.0.6", other: "127.62.0.7" };
  const run = (...argv: string[]) => zandrel(folder, argv);

  beforeAll(async () => {
    port = await freePort();
    folder = folderWith({});
    const zone = (serial: number) =>
      `$TTL 60\n$ORIGIN brackwater.example.\n@ SOA ns1.nettlehost.example. h.nettlehost.example. ${serial} 7200 900 1209600 60\n@ NS ns1.nettlehost.example.\n@ NS ns2.nettlehost.example.\n@ A 192.0.2.10\n@ MX 10 mx1.inglemail.example.\n@ TXT "v=spf1 -all"\n_proof TXT "there"\n`;
    const ds = await signVersions(folder, "brackwater.example", { "good.zone": zone(2), "old.zone": zone(1) });
    writeFileSync(join(folder, "plain.zone"), zone(2));
    writeFileSync(join(folder, "other.zone"), zone(2).replaceAll("brackwater", "puppetfest"));
    const example = `$TTL 60\n$ORIGIN example.\n@ SOA ns h 1 60 60 600 5\n@ NS ns\nns A ${AT.parents}\nbrackwater NS ns1.nettlehost\nbrackwater NS ns2.nettlehost\n${ds}\nns1.nettlehost A ${AT.first}\nns2.nettlehost A ${AT.second}\nmx1.inglemail A 192.0.2.30\n`;
    const exampleDs = await signVersions(folder, "example", { "example.zone": example });
    const root = `$TTL 60\n. SOA ns.example. h.example. 1 60 60 600 5\n. NS ns.example.\nexample. NS ns.example.\nns.example. A ${AT.parents}\n${exampleDs}\n`;
    const anchor = await signVersions(folder, ".", { "root.zone": root });
    startKnot(folder, { listen: `${AT.parents}@${port}`, zones: { ".": "root.zone", "example.": "example.zone" } });
    startKnot(folder, { listen: `${AT.knotd}@${port}`, zones: { "brackwater.example.": "good.zone" } });
    startNamed(folder, { address: AT.named, port, zones: { "brackwater.example": "good.zone" } });
    for (const [kind, file] of [
      ["old", "old.zone"],
      ["unsigned", "plain.zone"],
    ] as const)
      startKnot(folder, { listen: `${backends[kind]}@${port}`, zones: { "brackwater.example.": file } });
    startKnot(folder, { listen: `${backends.other}@${port}`, zones: { "puppetfest.example.": "other.zone" } });
    closing.push(await front(AT.first, port, software === "named" ? AT.knotd : AT.named, passing));
    // The resolver is told of the sound server alone, so that what it says depends on nothing but that.
    const stubs = { ".": AT.parents, example: AT.parents, "brackwater.example": AT.first };
    startUnbound(folder, VANTAGE, port, stubs, anchor);
    for (const [address, of] of [
      [AT.parents, "example"],
      [AT.knotd, "brackwater.example"],
      [AT.named, "brackwater.example"],
      [backends.old as string, "brackwater.example"],
      [backends.unsigned as string, "brackwater.example"],
      [backends.other as string, "puppetfest.example"],
      [VANTAGE, "brackwater.example"],
    ] as const)
      await answers(address, port, of, "SOA");
    const [, key = ""] = /DS (.*)$/.exec(anchor) ?? [];
    writeFileSync(
      join(folder, "zandrel.yaml"),
      `version: 1\norganisation: Brackwater\nvantages:\n  - { name: Quay Street, resolver: "${VANTAGE}:${port}" }\nhosts:\n  nettlehost: { title: Nettlehost, publish: { way: by-hand } }\nservices:\n  seekmere: { title: Seekmere }\nanchors: |\n  . DS ${key}\ndefaults: { ttl: 60, authorityPort: ${port} }\n`,
    );
    mkdirSync(join(folder, "domains"));
    writeFileSync(
      join(folder, "domains/brackwater.example.yaml"),
      'domain: brackwater.example\nhost: nettlehost\nasks:\n  - id: own\n    service: seekmere\n    purpose: ownership\n    records: |\n      _proof TXT "there"\n',
    );
  });
  let sick: (() => void) | undefined;
  afterEach(() => {
    sick?.();
    sick = undefined;
  });
  afterAll(() => {
    for (const close of closing.splice(0)) close();
    stopServers();
  });

  test.each(SICKNESSES.map((one) => [one.title, one] as const))("and %s", async (_, sickness) => {
    const own = software === "named" ? AT.named : AT.knotd;
    const backend = sickness.backend === undefined ? own : (backends[sickness.backend] as string);
    if (sickness.closed !== true)
      sick = await front(AT.second, port, backend, sickness.answer ?? passing, sickness.tcp !== false);
    const proof = await run("prove", "own", "--json", "--timeout", "5");
    const [ask] = proof.json.asks;
    expect(ask).toMatchObject({ verdict: "found", state: "settled" });
    expect(ask.causes.map(({ kind, at }: { kind: string; at: string }) => [kind, at])).toEqual(
      sickness.answers === true ? [] : [["sick-server", SICK]],
    );
    const audited = await run("audit", "brackwater.example", "--json", "--timeout", "5");
    const about = audited.json.domains[0].findings.filter(
      ({ id, severity }: { id: string; severity: string }) =>
        /^(server|dnssec|ds-|delegation|answers|serial)/.test(id) && severity !== "note",
    );
    expect(about.map(({ id }: { id: string }) => id)).toEqual(sickness.findings);
    expect(JSON.stringify(about)).toContain(SICK);
  });

  test("and its address at the parent is another machine's", async () => {
    // Nobody listens there at all.
    const proof = await run("prove", "own", "--json", "--timeout", "5");
    expect(proof.json.asks[0]).toMatchObject({ verdict: "found", causes: [{ kind: "sick-server", at: SICK }] });
  });
});
