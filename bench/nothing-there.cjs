// A name server for the sweep's benchmark: it has the root and the zone test, and nothing below. argv: ADDRESS PORT
const { createSocket } = require("node:dgram");
const packet = require("dns-packet");

const [address, port] = process.argv.slice(2);
const socket = createSocket("udp4");
const soa = (name) => ({
  ...{ type: "SOA", name, ttl: 300 },
  data: { mname: "ns.test", rname: "h.test", serial: 1, refresh: 3600, retry: 600, expire: 86400, minimum: 300 },
});
socket.on("message", (octets, from) => {
  const { id, flags, questions } = packet.decode(octets);
  const [{ name, type }] = questions;
  const said = { type: "response", id, questions, answers: [], authorities: [] };
  const common = packet.AUTHORITATIVE_ANSWER | packet.RECURSION_AVAILABLE | (flags & packet.RECURSION_DESIRED);
  const exists = ["", ".", "test", "ns.test"].includes(name.toLowerCase());
  if (type === "NS" && exists && name !== "ns.test") said.answers = [{ type, name, ttl: 3600, data: "ns.test" }];
  else if (type === "A" && name === "ns.test") said.answers = [{ type, name, ttl: 3600, data: address }];
  else said.authorities = [soa(exists && name !== "ns.test" ? name || "." : "test")];
  socket.send(packet.encode({ ...said, flags: common | (exists ? 0 : 3) }), from.port, from.address);
});
socket.bind(Number(port), address, () => console.log("listening"));
