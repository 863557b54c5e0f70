// Preloaded into a run of the program, in all its threads: every question over UDP is answered here and now, and nothing is sent.
// The root, test, host.test, mailer.test and d0.test, d1.test, … are there, with the same records as in the zones of a local
// authority; other names are not. So the machine's cores belong to the program alone, as they do where name servers are elsewhere.
const dgram = require("node:dgram");
const packet = require("dns-packet");

const NAME_SERVERS = ["ns1.host.test", "ns2.host.test"];
const ZONE = {
  NS: NAME_SERVERS,
  A: ["192.0.2.80"],
  MX: [{ preference: 0, exchange: "mx.mailer.test" }],
  TXT: ["v=spf1 include:spf.mailer.test -all"],
};
const THERE = new Map([
  ["", { NS: NAME_SERVERS }],
  ["test", { NS: NAME_SERVERS }],
  ...NAME_SERVERS.map((name) => [name, { A: ["127.53.9.2"] }]),
  ["spf.mailer.test", { TXT: ["v=spf1 ip4:192.0.2.0/24 -all"] }],
  ["mx.mailer.test", { A: ["192.0.2.25"] }],
]);
const BELOW = new Map([
  ["", ZONE],
  ["www", { A: ZONE.A }],
  ["_dmarc", { TXT: ["v=DMARC1; p=none"] }],
]);

/** What is at a name, and the zone that it is in. */
function at(name) {
  const [, below = "", zone] = /^(?:(.*)\.)?(d\d+\.test)$/.exec(name) ?? [];
  return zone === undefined ? { zone: "test", there: THERE.get(name) } : { zone, there: BELOW.get(below) };
}

function answer(octets) {
  const { id, flags, questions } = packet.decode(octets);
  const [{ name, type }] = questions;
  const { zone, there } = at(name.toLowerCase());
  const data = there?.[type] ?? [];
  const soa = { mname: NAME_SERVERS[0], rname: "h.test", serial: 1, refresh: 3600, retry: 600, expire: 86400, minimum: 300 };
  const common = packet.AUTHORITATIVE_ANSWER | packet.RECURSION_AVAILABLE | (flags & packet.RECURSION_DESIRED);
  return packet.encode({
    type: "response",
    id,
    flags: common | (there === undefined ? 3 : 0),
    questions,
    answers: data.map((one) => ({ name, type, ttl: 3600, data: one })),
    authorities: data.length > 0 ? [] : [{ type: "SOA", name: zone, ttl: 300, data: soa }],
  });
}

dgram.Socket.prototype.send = function (question) {
  setImmediate(() => this.emit("message", answer(question)));
};
