import { createHmac } from "node:crypto";
import { createSocket } from "node:dgram";
import { createServer, type ServerResponse } from "node:http";
import { afterEach, describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { systemClock } from "../clock.ts";
import { name } from "../core/name/index.ts";
import { printData, toSets } from "../core/record/index.ts";
import { readRecords, type SetChange } from "../core/zone/index.ts";
import { AuthorityHost } from "../lab/authority.ts";
import { type Handler, listenDns } from "../lab/dns-server.ts";
import { allInWords } from "../present/clauses/index.ts";
import {
  CLASS,
  DnsClient,
  decodeMessage,
  emptyMessage,
  encodeMessage,
  type Message,
  parseServerAddress,
  RCODE,
  type ServerAddress,
  serverText,
  signMessage,
  TSIG_ERROR,
  type TsigKey,
  TsigStream,
  verifyMessage,
  type WireRecord,
} from "./index.ts";
import { UdpChannel } from "./transport.ts";
import { sendUpdate, updateMessage } from "./update.ts";

const apex = name("brackwater.example");
const closing: (() => unknown)[] = [];
afterEach(async () => {
  for (const close of closing.splice(0)) await close();
});

const client = (options = {}) => {
  const made = new DnsClient({ timeout: 20_000, ...options });
  closing.push(() => made.close());
  return made;
};
const serve = async (handle: Handler): Promise<ServerAddress> => {
  const server = await listenDns("127.0.0.1", 0, handle);
  closing.push(() => server.close());
  return { address: "127.0.0.1", port: server.port };
};
const txt = (text: string): WireRecord => ({ name: apex, type: "TXT", class: CLASS.IN, ttl: 60, data: { strings: [text] } });
/** What shows that a server knows EDNS. */
const EDNS = { edns: { payload: 1232, dnssecOk: false } } as const;
const reply = (request: Buffer, more: Partial<Message>): Buffer => {
  const query = decodeMessage(request);
  if (!query.ok) throw new Error(query.error.clause);
  return encodeMessage({
    ...emptyMessage,
    id: query.value.id,
    response: true,
    authoritative: true,
    questions: query.value.questions,
    ...more,
  });
};
const soa: WireRecord = {
  name: apex,
  type: "SOA",
  class: CLASS.IN,
  ttl: 900,
  data: { primary: apex, contact: apex, serial: 1, refresh: 1, retry: 1, expire: 1, minimum: 60 },
};

test("a channel that is retired brings home what was asked, and ends with the last answer", async () => {
  const server = createSocket("udp4");
  await new Promise<void>((resolve) => server.bind(0, "127.0.0.1", resolve));
  closing.push(() => server.close());
  const asked: { port: number; request: Buffer }[] = [];
  const arrived = new Promise<void>((resolve) =>
    server.on("message", (request, { port }) => {
      asked.push({ port, request });
      if (asked.length === 2) resolve();
    }),
  );
  const channel = new UdpChannel({ address: "127.0.0.1", port: server.address().port });
  const answers = [1, 2].map(() => channel.exchange(Buffer.alloc(12), () => true, 20_000));
  await arrived;
  channel.retire();
  for (const { port, request } of asked) {
    server.send(request, port, "127.0.0.1");
    await answers[asked.findIndex((one) => one.request === request)];
  }
  expect((await Promise.all(answers)).map(({ ok }) => ok)).toEqual([true, true]);
  // Nobody listens there any more: the port can be had.
  const { port } = asked[0] as { port: number };
  const after = createSocket("udp4");
  closing.push(() => after.close());
  await new Promise<void>((resolve, reject) => after.once("error", reject).bind(port, "127.0.0.1", resolve));
});

describe("the client", () => {
  test.each<[string, Partial<Message>, object]>([
    ["an answer", { answers: [txt("hi")] }, { kind: "found", set: { data: [{ strings: ["hi"] }], ttl: 60 } }],
    ["no such record", { authority: [soa] }, { kind: "nodata", soa: { ttl: 900 } }],
    ["no such name", { rcode: RCODE.NXDOMAIN, authority: [soa] }, { kind: "nxdomain" }],
    ["SERVFAIL", { rcode: RCODE.SERVFAIL }, { kind: "failed", why: "servfail" }],
    ["REFUSED", { rcode: RCODE.REFUSED }, { kind: "failed", why: "refused" }],
    [
      "a referral",
      { authoritative: false, authority: [{ ...soa, type: "NS", data: { target: name("ns1.test") } }] },
      { kind: "failed", why: "delegated", delegation: { ns: { data: [{ target: "ns1.test." }] } } },
    ],
    [
      "an alias that leads out",
      { answers: [{ ...soa, type: "CNAME", data: { target: name("x.test") } }] },
      { kind: "failed", why: "outside", chain: [{}] },
    ],
    ["neither answer nor referral (lame)", { authoritative: false }, { kind: "failed", why: "refused" }],
    [
      "aliases that form a loop",
      { answers: [{ ...soa, type: "CNAME", data: { target: apex } }] },
      { kind: "failed", why: "loop" },
    ],
  ])("%s", async (_, more, expected) => {
    const server = await serve(async (request) => reply(request, more));
    expect(await client().at(server, { recursive: false }).ask(apex, "TXT")).toMatchObject(expected);
  });

  test("silence is a time-out, after trying again, within the limit", async () => {
    let asked = 0;
    const server = await serve(async () => {
      asked += 1;
      return undefined;
    });
    expect(await client({ timeout: 4000 }).at(server, { recursive: true }).ask(apex, "TXT")).toMatchObject({
      kind: "failed",
      why: "timeout",
    });
    // How often depends on how busy the machine is; once is never enough.
    expect(asked).toBeGreaterThan(1);
  });
  test("a lost answer is asked for again", async () => {
    let asked = 0;
    const server = await serve(async (request) => (asked++ === 0 ? undefined : reply(request, { answers: [txt("hi")] })));
    // The first third of the time is given to the question that is lost.
    expect((await client({ timeout: 6000 }).at(server, { recursive: true }).ask(apex, "TXT")).kind).toBe("found");
  });
  test("a port where nobody listens is unreachable, not missing", async () => {
    const server = { address: "127.0.0.1", port: 9 };
    expect(await client().at(server, { recursive: true }).ask(apex, "TXT")).toMatchObject({
      kind: "failed",
      why: "unreachable",
      detail: { clause: "answer-unreachable", why: "ECONNREFUSED" },
    });
  });
  /** A failure with the code of an extended error (RFC 8914). */
  const extended = (request: Buffer, code: number): Buffer => {
    const failure = Buffer.from(reply(request, { rcode: RCODE.SERVFAIL, edns: { payload: 1232 } }) as Buffer);
    failure.writeUInt16BE(6, failure.length - 2);
    return Buffer.concat([failure, Buffer.from([0, 15, 0, 2, 0, code])]);
  };
  const unchecked = (request: Buffer): boolean => (request.readUInt16BE(2) & 0x0010) !== 0;
  test("a resolver that refuses for signatures is told from one that fails, in the words of its extended error", async () => {
    const checking = await serve(async (request) =>
      unchecked(request) ? reply(request, { answers: [txt("hi")] }) : extended(request, 7),
    );
    expect(await client().at(checking, { recursive: true }).ask(apex, "TXT")).toMatchObject({
      kind: "failed",
      why: "bogus",
      detail: { clause: "answer-bogus", name: apex, says: ["signature expired"] },
    });
    expect((await client().at(checking, { recursive: true, unchecked: true }).ask(apex, "TXT")).kind).toBe("found");
    const edns = { payload: 1232, dnssecOk: true };
    const signing = await serve(async (request) => reply(request, { answers: [txt("hi")], edns }));
    expect(await client().signedAt(signing).askSigned(apex, "TXT")).toMatchObject({ kind: "answer", exists: true });
    // Whoever does not know the question for signatures has none to show, which says nothing about the zone.
    for (const known of [undefined, { payload: 1232 }]) {
      const old = await serve(async (request) => reply(request, { answers: [txt("hi")], ...(known && { edns: known }) }));
      expect(await client().signedAt(old).askSigned(apex, "TXT")).toEqual({
        kind: "failed",
        detail: expect.objectContaining({ clause: "answer-without-signatures" }),
      });
    }
    const failing = await serve(async (request) => extended(request, 22));
    expect(await client().at(failing, { recursive: true }).ask(apex, "TXT")).toMatchObject({
      kind: "failed",
      why: "servfail",
      detail: { clause: "answer-code", code: "SERVFAIL", says: ["no reachable authority"] },
    });
    expect(await client().signedAt(failing).askSigned(apex, "TXT")).toMatchObject({ kind: "failed" });
  });
  test("whether a server answers over TCP", async () => {
    const both = await serve(async (request) => reply(request, {}));
    expect("port" in both && (await client().takesTcp(both, apex))).toBe(true);
    expect(await client().takesTcp({ address: "127.0.0.1", port: 9 }, apex)).toBe(false);
  });
  test("a cut answer comes again over TCP, whole", async () => {
    const via: string[] = [];
    const long = Array.from({ length: 20 }, (_, i) => txt(`${i}${"x".repeat(200)}`));
    const server = await serve(async (request, transport) => {
      via.push(transport);
      return reply(request, { answers: long });
    });
    expect(await client().at(server, { recursive: true }).ask(apex, "TXT")).toMatchObject({
      kind: "found",
      set: { data: { length: 20 } },
    });
    expect(via).toEqual(["udp", "tcp"]);
  });
  const other = { questions: [{ name: name("other.test"), type: "TXT" as const, class: CLASS.IN }] };
  test("an answer to another question over TCP is not an answer", async () => {
    const server = await serve(async (request, via) =>
      reply(request, via === "udp" ? { truncated: true } : { ...other, answers: [txt("of another")] }),
    );
    expect(await client().at(server, { recursive: true }).ask(apex, "TXT")).toMatchObject({ kind: "failed", why: "malformed" });
  });
  test("an answer to another question over HTTPS is not an answer", async () => {
    const web = createServer((request, response) => {
      const chunks: Buffer[] = [];
      request.on("data", (chunk) => chunks.push(chunk));
      request.on("end", () => {
        response.writeHead(200, { "content-type": "application/dns-message" });
        response.end(reply(Buffer.concat(chunks), { ...other, answers: [txt("of another")] }));
      });
    });
    await new Promise<void>((resolve) => web.listen(0, "127.0.0.1", resolve));
    closing.push(() => web.close());
    const url = `http://127.0.0.1:${(web.address() as { port: number }).port}/dns-query`;
    expect(await client().at({ url }, { recursive: true }).ask(apex, "TXT")).toMatchObject({ kind: "failed", why: "malformed" });
  });
  test("a name that does not exist and has a record is neither: no answer", async () => {
    const server = await serve(async (request) => reply(request, { rcode: RCODE.NXDOMAIN, answers: [txt("hi")] }));
    expect(await client().at(server, { recursive: true }).ask(apex, "TXT")).toMatchObject({ kind: "failed", why: "malformed" });
  });
  test("a server that kept silent is not asked again; one that answers at times is, until it is silent twice", async () => {
    let asked = 0;
    const mute = await serve(async () => void asked++);
    const lookup = client({ tries: 2, timeout: 4000 }).at(mute, { recursive: true });
    for (const label of ["a", "b", "c"])
      expect(await lookup.ask(name(`${label}.test`), "TXT")).toMatchObject({ kind: "failed", why: "timeout" });
    expect(asked).toBe(2);
    let answers = true;
    const moody = await serve(async (request) => {
      asked += 1;
      return answers ? reply(request, { answers: [] }) : undefined;
    });
    const again = client({ tries: 1, timeout: 3000 }).at(moody, { recursive: true });
    asked = 0;
    for (const [label, speaks] of [
      ["a", true],
      ["b", false],
      ["c", true],
      ["d", false],
      ["e", false],
      ["f", true],
    ] as const) {
      answers = speaks;
      await again.ask(name(`${label}.test`), "TXT");
    }
    expect(asked).toBe(5);
  });
  test.each<[string, (response: ServerResponse) => void, string]>([
    [
      "has no end",
      (response) => {
        const more = (): void => void (response.destroyed || response.write(Buffer.alloc(8192), more));
        more();
      },
      "malformed",
    ],
    ["stalls", (response) => void response.write("x"), "timeout"],
    ["breaks off", (response) => void response.write("x", () => response.destroy()), "unreachable"],
    ["is not a DNS message", (response) => void response.end("hello"), "malformed"],
  ])("an answer over HTTPS that %s is not an answer", async (_, answer, why) => {
    const web = createServer((_request, response) => {
      response.writeHead(200, { "content-type": "application/dns-message" });
      answer(response);
    });
    await new Promise<void>((resolve) => web.listen(0, "127.0.0.1", resolve));
    closing.push(
      () => web.closeAllConnections(),
      () => web.close(),
    );
    const url = `http://127.0.0.1:${(web.address() as { port: number }).port}/dns-query`;
    // Only where nothing else ends it is it a matter of time.
    const asking = client(why === "timeout" ? { timeout: 400 } : {});
    expect(await asking.at({ url }, { recursive: true }).ask(apex, "TXT")).toMatchObject({ kind: "failed", why });
  });
  test("a server that cuts its answer and does not speak TCP could not be asked", async () => {
    const socket = createSocket("udp4");
    await new Promise<void>((resolve) => socket.bind(0, "127.0.0.1", resolve));
    closing.push(() => socket.close());
    socket.on("message", (request, from) => socket.send(reply(request, { truncated: true }), from.port, from.address));
    expect(
      await client().at({ address: "127.0.0.1", port: socket.address().port }, { recursive: true }).ask(apex, "TXT"),
    ).toMatchObject({ kind: "failed", why: "unreachable" });
  });
  test.each(["FORMERR", "NOTIMP"] as const)("a server that answers %s to EDNS is asked without it", async (code) => {
    const seen: boolean[] = [];
    const server = await serve(async (request) => {
      const query = decodeMessage(request);
      const edns = query.ok && query.value.edns !== undefined;
      seen.push(edns);
      return edns ? reply(request, { rcode: RCODE[code] }) : reply(request, { answers: [txt("old")] });
    });
    const asking = client();
    expect((await asking.at(server, { recursive: true }).ask(apex, "TXT")).kind).toBe("found");
    expect(seen).toEqual([true, false]);
    expect(await asking.takesEdns(server, apex)).toBe(false);
    // It is known by now.
    expect((await asking.at(server, { recursive: true }).ask(apex, "TXT")).kind).toBe("found");
    expect(seen).toEqual([true, false, false]);
  });
  test("a server that leaves EDNS unanswered is found out, and one that only lost a datagram is not accused", async () => {
    const hasEdns = (request: Buffer) => {
      const query = decodeMessage(request);
      return query.ok && query.value.edns !== undefined;
    };
    const dropping = await serve(async (request) => (hasEdns(request) ? undefined : reply(request, { answers: [txt("old")] })));
    // Each server has two thirds of the time to lose questions in, and a third to answer.
    const asking = client({ timeout: 6000 });
    expect((await asking.at(dropping, { recursive: true }).ask(apex, "TXT")).kind).toBe("found");
    expect(await asking.takesEdns(dropping, apex)).toBe(false);
    let lost = 2;
    const losing = await serve(async (request) => (lost-- > 0 ? undefined : reply(request, { answers: [txt("hi")], ...EDNS })));
    expect((await asking.at(losing, { recursive: true }).ask(apex, "TXT")).kind).toBe("found");
    expect(await asking.takesEdns(losing, apex)).toBe(true);
    // An answer without it comes from a server that passes it over (RFC 6891 sections 6.1.1 and 7).
    const ignoring = await serve(async (request) => reply(request, { answers: [txt("hi")] }));
    expect((await asking.at(ignoring, { recursive: true }).ask(apex, "TXT")).kind).toBe("found");
    expect(await asking.takesEdns(ignoring, apex)).toBe(false);
  });
  test("forged answers are ignored: wrong id, wrong question, wrong source, not a response", async () => {
    const socket = createSocket("udp4");
    const thirdParty = createSocket("udp4");
    await new Promise<void>((resolve) => socket.bind(0, "127.0.0.1", resolve));
    closing.push(
      () => socket.close(),
      () => thirdParty.close(),
    );
    const forged = (request: Buffer, more: Partial<Message>) => reply(request, { answers: [txt("forged")], ...more });
    socket.on("message", (request, from) => {
      const wrongId = forged(request, {});
      wrongId.writeUInt16BE((wrongId.readUInt16BE(0) + 1) % 0x10000, 0);
      socket.send(wrongId, from.port, from.address);
      socket.send(
        forged(request, { questions: [{ name: name("other.test"), type: "TXT", class: CLASS.IN }] }),
        from.port,
        from.address,
      );
      socket.send(forged(request, { response: false }), from.port, from.address);
      socket.send(Buffer.from("short"), from.port, from.address);
      thirdParty.send(forged(request, {}), from.port, from.address, () =>
        setTimeout(() => socket.send(reply(request, { answers: [txt("true")] }), from.port, from.address), 30),
      );
    });
    expect(
      await client().at({ address: "127.0.0.1", port: socket.address().port }, { recursive: true }).ask(apex, "TXT"),
    ).toMatchObject({ set: { data: [{ strings: ["true"] }] } });
  });
  test("an answer that breaks off in the middle is malformed", async () => {
    const server = await serve(async (request) => reply(request, { answers: [txt("hello")] }).subarray(0, -3));
    expect(await client().at(server, { recursive: true }).ask(apex, "TXT")).toMatchObject({ kind: "failed", why: "malformed" });
  });
  test("one server gets no more questions at a time than allowed", async () => {
    let open = 0;
    let most = 0;
    const server = await serve(async (request) => {
      most = Math.max(most, ++open);
      await new Promise((resolve) => setTimeout(resolve, 5));
      open -= 1;
      return reply(request, { authority: [soa] });
    });
    const lookup = client({ timeout: 5000, concurrency: 4 }).at(server, { recursive: true });
    await Promise.all(Array.from({ length: 40 }, (_, i) => lookup.ask(name(`n${i}`, apex), "TXT")));
    expect(most).toBe(4);
  });
  test("ids and ports change from question to question", async () => {
    const ids = new Set<number>();
    const ports = new Set<number>();
    const socket = createSocket("udp4");
    await new Promise<void>((resolve) => socket.bind(0, "127.0.0.1", resolve));
    closing.push(() => socket.close());
    socket.on("message", (request, from) => {
      ids.add(request.readUInt16BE(0));
      ports.add(from.port);
      socket.send(reply(request, { authority: [soa] }), from.port, from.address);
    });
    const lookup = client().at({ address: "127.0.0.1", port: socket.address().port }, { recursive: true });
    for (let i = 0; i < 60; i++) await lookup.ask(name(`n${i}`, apex), "TXT");
    expect(ids.size).toBeGreaterThan(50);
    expect(ports.size).toBeGreaterThan(5);
  });
  test("DNS over HTTPS (RFC 8484), and what else such a server may say", async () => {
    let status = 200;
    let type = "application/dns-message";
    const web = createServer((request, response) => {
      const chunks: Buffer[] = [];
      request.on("data", (chunk) => chunks.push(chunk));
      request.on("end", () => {
        const query = Buffer.concat(chunks);
        expect(query.readUInt16BE(0)).toBe(0);
        response.writeHead(status, { "content-type": type });
        response.end(reply(query, { answers: [txt("over https")] }));
      });
    });
    await new Promise<void>((resolve) => web.listen(0, "127.0.0.1", resolve));
    closing.push(() => web.close());
    const lookup = client().at(
      { url: `http://127.0.0.1:${(web.address() as { port: number }).port}/dns-query` },
      { recursive: true },
    );
    expect(await lookup.ask(apex, "TXT")).toMatchObject({ kind: "found", set: { data: [{ strings: ["over https"] }] } });
    status = 503;
    expect(await lookup.ask(apex, "TXT")).toMatchObject({ kind: "failed", why: "refused" });
    status = 200;
    type = "text/html";
    expect(await lookup.ask(apex, "TXT")).toMatchObject({ kind: "failed", why: "malformed" });
  });
});

describe("addresses of servers", () => {
  test.each([
    ["192.0.2.53", "192.0.2.53"],
    ["192.0.2.53:5300", "192.0.2.53:5300"],
    ["2001:db8::53", "2001:db8::53"],
    ["[2001:db8::53]:5300", "[2001:db8::53]:5300"],
    ["https://dns.example/q", "https://dns.example/q"],
    ["http://127.0.0.1:80/q", "http://127.0.0.1:80/q"],
  ])("%s", (text, shown) => expect(serverText(parseServerAddress(text)!)).toBe(shown));
  test.each(["dns.example", "192.0.2.53:0", "192.0.2.53:70000", "http://dns.example/q", "", "[192.0.2.1"])("%j is none", (text) =>
    expect(parseServerAddress(text)).toBeUndefined(),
  );
});

const key: TsigKey = { name: name("brackwater-key"), algorithm: "hmac-sha256", secret: Buffer.from("a secret of enough octets") };

describe("signatures of an answer of several messages (RFC 8945 section 5.3.1)", () => {
  const key: TsigKey = { name: name("move-key"), algorithm: "hmac-sha256", secret: Buffer.from("a secret of some length") };
  const requestMac = Buffer.alloc(32, 7);
  const part = (text: string) => encodeMessage({ ...emptyMessage, id: 5, response: true, answers: [txt(text)] });
  const first = signMessage(part("1"), key, 1000, { requestMac });
  /** A later message, signed over the MAC before it, the unsigned messages between, itself and the time. */
  const later = (message: Buffer, before: Buffer, between: readonly Buffer[]): Buffer => {
    const length = Buffer.from([0, before.length]);
    const timers = Buffer.from([0, 0, 0, 0, 1000 >> 8, 1000 & 0xff, 300 >> 8, 300 & 0xff]);
    const hmac = createHmac("sha256", key.secret).update(length).update(before);
    for (const one of [...between, message, timers]) hmac.update(one);
    const { message: shaped, mac } = signMessage(message, key, 1000, { requestMac: before });
    const octets = Buffer.from(shaped);
    hmac.digest().copy(octets, octets.length - 6 - mac.length);
    return octets;
  };
  const second = part("2");
  const third = later(part("3"), first.mac, [second]);
  const taken = (...messages: Buffer[]) => {
    const stream = new TsigStream(key, 1000, requestMac);
    return [...messages.map((message) => stream.take(message)), stream.isComplete];
  };
  test("a message between two signed ones is covered by the second", () => {
    expect(taken(first.message, second, third)).toEqual([undefined, undefined, undefined, true]);
  });
  test.each<[string, Buffer[], unknown[]]>([
    ["the first is not signed", [second], ["unsigned", false]],
    ["the last is not signed", [first.message, second], [undefined, undefined, false]],
    ["one between was changed", [first.message, part("x"), third], [undefined, undefined, "forged", false]],
    ["one between is missing", [first.message, third], [undefined, "forged", true]],
    ["one was repeated", [first.message, second, second, third], [undefined, undefined, undefined, "forged", false]],
    ["the first comes twice", [first.message, first.message], [undefined, "forged", true]],
    [
      "a hundred in a row are not signed",
      [first.message, ...Array.from({ length: 100 }, () => second)],
      [undefined, ...Array.from({ length: 99 }, () => undefined), "unsigned", false],
    ],
  ])("%s", (_, messages, seen) => expect(taken(...messages)).toEqual(seen));
});

describe("TSIG (RFC 8945)", () => {
  const message = encodeMessage({ ...emptyMessage, id: 77, questions: [{ name: apex, type: "SOA", class: CLASS.IN }] });
  const signed = signMessage(message, key, 1000);
  test.each(["hmac-sha256", "hmac-sha384", "hmac-sha512"] as const)(
    "%s signs and verifies, request and response",
    (algorithm) => {
      const own = { ...key, algorithm };
      const request = signMessage(message, own, 1000);
      expect(verifyMessage(request.message, own, 1000)).toEqual({ ok: true, value: request.mac });
      const response = signMessage(message, own, 1000, { requestMac: request.mac });
      expect(verifyMessage(response.message, own, 1000, request.mac).ok).toBe(true);
      expect(verifyMessage(response.message, own, 1000, Buffer.alloc(32))).toMatchObject({
        ok: false,
        error: { code: "forged" },
      });
    },
  );
  test.each<[string, Buffer, TsigKey, number, string]>([
    ["no signature", message, key, 1000, "unsigned"],
    ["another secret", signed.message, { ...key, secret: Buffer.from("x") }, 1000, "forged"],
    ["another key name", signed.message, { ...key, name: name("other") }, 1000, "other-key"],
    ["another algorithm", signed.message, { ...key, algorithm: "hmac-sha512" }, 1000, "other-key"],
    ["five minutes and a second late", signed.message, key, 1301, "out-of-time"],
    ["five minutes and a second early", signed.message, key, 699, "out-of-time"],
    ["broken off", signed.message.subarray(0, -5), key, 1000, "malformed"],
    ["the server says BADKEY", signMessage(message, key, 1000, { error: TSIG_ERROR.BADKEY }).message, key, 1000, "bad-key"],
    ["the server says BADSIG", signMessage(message, key, 1000, { error: TSIG_ERROR.BADSIG }).message, key, 1000, "bad-signature"],
  ])("%s", (_, octets, own, now, code) => expect(verifyMessage(octets, own, now)).toMatchObject({ ok: false, error: { code } }));
  test("an answer that is bound to its request is believed, whatever its clock says", () => {
    const request = signMessage(message, key, 1000);
    const answer = signMessage(message, key, 9000, { requestMac: request.mac });
    expect(verifyMessage(answer.message, key, 1000, request.mac)).toMatchObject({ ok: true });
    const complaint = signMessage(message, key, 9000, { requestMac: request.mac, error: TSIG_ERROR.BADTIME });
    expect(verifyMessage(complaint.message, key, 1000, request.mac)).toMatchObject({ ok: false, error: { code: "bad-time" } });
  });
  test("five minutes off is still within the fudge", () => expect(verifyMessage(signed.message, key, 1300).ok).toBe(true));
  test("no octet of a signed message can be changed unnoticed", () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: signed.message.length - 1 }), fc.integer({ min: 1, max: 255 }), (at, flip) => {
        const changed = Buffer.from(signed.message);
        changed[at] = (changed[at] as number) ^ flip;
        const result = verifyMessage(changed, key, 1000);
        // The letters of names may change case, and the id of the message may be another (RFC 8945 section 4.3.1).
        const lower = Buffer.from(changed.toString("latin1").toLowerCase(), "latin1");
        const forgiven = at < 2 || lower.equals(Buffer.from(signed.message.toString("latin1").toLowerCase(), "latin1"));
        if (!forgiven) expect(result.ok).toBe(false);
      }),
    );
  });
});

describe("any octets are a message or malformed", () => {
  test("never another error", () => {
    fc.assert(fc.property(fc.uint8Array({ maxLength: 120 }), (octets) => void decodeMessage(Buffer.from(octets))));
    const start = reply(encodeMessage({ ...emptyMessage, questions: [{ name: apex, type: "TXT", class: CLASS.IN }] }), {
      answers: [txt("hello"), soa],
    });
    fc.assert(
      fc.property(fc.array(fc.tuple(fc.nat(start.length - 1), fc.nat(255)), { maxLength: 6 }), (edits) => {
        const changed = Buffer.from(start);
        for (const [at, octet] of edits) changed[at] = octet;
        decodeMessage(changed);
      }),
    );
  });
});

describe("dynamic update (RFC 2136)", () => {
  const ZONE = '$TTL 1h\n@ SOA ns1 h 1 2h 15m 2w 5m\n@ NS ns1\n@ TXT "old"\nbox A 192.0.2.20\n';
  const setOf = (lines: string) => toSets(readRecords(lines, { origin: apex, ttl: 3600 }).records)[0];
  const change = (of: string, type: string, before: string | undefined, after: string | undefined): SetChange => ({
    name: name(of, apex),
    type,
    before: before === undefined ? undefined : setOf(before),
    after: after === undefined ? undefined : setOf(after),
  });
  const host = async (keys: readonly TsigKey[] = [key]) => {
    const made = new AuthorityHost(systemClock, keys);
    made.serve(apex, ZONE);
    return { made, server: await serve(made.handler("ns1")) };
  };
  const now = () => Math.floor(Date.now() / 1000);
  const show = (made: AuthorityHost, of: string, type: string) =>
    made
      .zones()[0]
      ?.nodes.get(name(of, apex))
      ?.get(type)
      ?.data.map((data) => printData(type, data))
      .join(" ");

  test("all changes or none: add, extend, replace, remove in one message", async () => {
    const { made, server } = await host();
    const changes = [
      change("@", "TXT", '@ TXT "old"', '@ TXT "old"\n@ TXT "new"'),
      change("www", "CNAME", undefined, "www CNAME sites.pagewick.example."),
      change("box", "A", "box A 192.0.2.20", undefined),
    ];
    expect(await sendUpdate({ server, apex, key, changes, now: now(), timeout: 20_000 })).toEqual({ kind: "done" });
    expect(show(made, "@", "TXT")).toBe('"old" "new"');
    expect(show(made, "www", "CNAME")).toBe("sites.pagewick.example.");
    expect(show(made, "box", "A")).toBeUndefined();
    expect(made.zones()[0]?.soa?.data[0]).toMatchObject({ serial: 2 });
  });
  test.each<[string, SetChange]>([
    ["a set that has other data by now", change("@", "TXT", '@ TXT "older"', '@ TXT "new"')],
    ["a set that has come up since", change("box", "A", undefined, "box A 192.0.2.1")],
    ["a set that has gone", change("gone", "A", "gone A 192.0.2.1", undefined)],
    ["an alias where other data came up", change("box", "CNAME", undefined, "box CNAME x.test.")],
  ])("%s stops everything", async (_, wrong) => {
    const { made, server } = await host();
    const changes = [change("fresh", "TXT", undefined, 'fresh TXT "x"'), wrong];
    expect(await sendUpdate({ server, apex, key, changes, now: now(), timeout: 20_000 })).toMatchObject({ kind: "conflict" });
    expect(show(made, "fresh", "TXT")).toBeUndefined();
    expect(made.zones()[0]?.soa?.data[0]).toMatchObject({ serial: 1 });
  });
  const add = [change("fresh", "TXT", undefined, 'fresh TXT "x"')];
  test.each<[string, Partial<Parameters<typeof sendUpdate>[0]> & { skew?: number }, string, RegExp]>([
    [
      "a key the server does not know",
      { key: { ...key, name: name("other-key") } },
      "unauthenticated",
      /does not know the key other-key/,
    ],
    [
      "a wrong secret",
      { key: { ...key, secret: Buffer.from("wrong") } },
      "unauthenticated",
      /secret of the key brackwater-key is wrong/,
    ],
    ["a clock 20 minutes behind", { skew: -1200 }, "unauthenticated", /clock is 20 minutes behind/],
    ["a clock 20 minutes ahead", { skew: 1200 }, "unauthenticated", /clock is 20 minutes ahead/],
    ["a zone it does not have", { apex: name("other.example") }, "refused", /not the primary server of other.example/],
    ["a port where nobody listens", { server: { address: "127.0.0.1", port: 9 } }, "unreachable", /nothing listens/],
  ])("%s is told apart, and changes nothing", async (_, { skew = 0, ...more }, kind, detail) => {
    const { made, server } = await host();
    const outcome = await sendUpdate({ server, apex, key, changes: add, now: now() + skew, timeout: 20_000, ...more });
    expect(allInWords(outcome)).toMatchObject({ kind, detail: expect.stringMatching(detail), remedy: expect.any(String) });
    expect(show(made, "fresh", "TXT")).toBeUndefined();
  });
  test("an answer that is lost, unsigned or signed by somebody else leaves it open whether it was carried out", async () => {
    const hangUp = await serve(async () => undefined);
    expect(await sendUpdate({ server: hangUp, apex, key, changes: add, now: now(), timeout: 20_000 })).toMatchObject({
      kind: "unknown",
    });
    const unsigned = await serve(async (request) => reply(request, { opcode: 5 }));
    expect(await sendUpdate({ server: unsigned, apex, key, changes: add, now: now(), timeout: 20_000 })).toMatchObject({
      kind: "unknown",
      detail: { clause: "update-unsigned" },
    });
    const forged = await serve(
      async (request) => signMessage(reply(request, { opcode: 5 }), { ...key, secret: Buffer.from("forger") }, now()).message,
    );
    expect(await sendUpdate({ server: forged, apex, key, changes: add, now: now(), timeout: 20_000 })).toMatchObject({
      kind: "unknown",
    });
  });
  test.each<[string, (request: Buffer, mac: Buffer) => Buffer, string]>([
    ["an unsigned SERVFAIL", (request) => reply(request, { opcode: 5, rcode: RCODE.SERVFAIL }), "unknown"],
    ["an unsigned conflict", (request) => reply(request, { opcode: 5, rcode: RCODE.NXRRSET }), "unknown"],
    ["an unsigned refusal", (request) => reply(request, { opcode: 5, rcode: RCODE.REFUSED }), "refused"],
    [
      "another key's signature",
      (request) => signMessage(reply(request, { opcode: 5 }), { ...key, name: name("other-key") }, now()).message,
      "unknown",
    ],
    [
      "a refusal that another secret signed",
      (request) =>
        signMessage(reply(request, { opcode: 5, rcode: RCODE.NOTAUTH }), { ...key, secret: Buffer.from("forger") }, now())
          .message,
      "unknown",
    ],
    [
      "a signed SERVFAIL",
      (request, requestMac) =>
        signMessage(reply(request, { opcode: 5, rcode: RCODE.SERVFAIL }), key, now(), { requestMac }).message,
      "refused",
    ],
    [
      "a signed conflict",
      (request, requestMac) =>
        signMessage(reply(request, { opcode: 5, rcode: RCODE.NXRRSET }), key, now(), { requestMac }).message,
      "conflict",
    ],
  ])("%s is what it is worth", async (_, answer, kind) => {
    const server = await serve(async (request) => {
      const signed = verifyMessage(request, key, now());
      return answer(request, signed.ok ? signed.value : Buffer.alloc(0));
    });
    expect(await sendUpdate({ server, apex, key, changes: add, now: now(), timeout: 20_000 })).toMatchObject({ kind });
  });
  test("only what changes travels, and every set is required to be as it was seen", () => {
    const message = updateMessage(apex, [change("@", "TXT", '@ TXT "old"', '@ TXT "old"\n@ TXT "new"')], 1);
    expect(message.authority.map((record) => record.data)).toEqual([{ strings: ["new"] }]);
    expect(message.answers).toMatchObject([
      { type: "TXT", class: CLASS.IN, ttl: 0 },
      { type: "CNAME", class: CLASS.NONE },
    ]);
  });
});
