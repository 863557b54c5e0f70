// One look of the guard at 300 domains, on one machine with the servers: no question twice, and the time against asking the same
// questions bare.
import { createSocket } from "node:dgram";
import { writeFileSync } from "node:fs";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import * as packet from "dns-packet";
import { figure, inTurns, limit, wall } from "./measure.mjs";
import { localAuthority, PORT } from "./sweep.mjs";

const DOMAINS = 300;
const WINDOW = 32;
const program = fileURLToPath(new URL("../dist/zandrel.cjs", import.meta.url));

/** Asks questions as they were written down, some at a time; gives back milliseconds. */
async function askBare(lines) {
  const socket = createSocket("udp4");
  const waiting = new Map();
  socket.on("message", (message) => {
    const { id } = packet.decode(message);
    waiting.get(id)?.();
    waiting.delete(id);
  });
  const start = performance.now();
  let next = 0;
  const ask = (line, id) =>
    new Promise((resolve) => {
      const [server, name] = line.split(" ");
      waiting.set(id, resolve);
      const question = packet.encode({ type: "query", id, flags: packet.RECURSION_DESIRED, questions: [{ type: "TXT", name }] });
      socket.send(question, PORT, server.split(":")[0]);
    });
  await Promise.all(
    Array.from({ length: WINDOW }, async () => {
      while (next < lines.length) {
        const i = next++;
        await ask(lines[i], i & 0xffff);
      }
    }),
  );
  const taken = performance.now() - start;
  socket.close();
  return taken;
}

export default async function guard() {
  const authority = await localAuthority(DOMAINS);
  if (authority === undefined) return;
  const { folder, names, questionsOf } = authority;
  try {
    for (const name of names)
      writeFileSync(
        join(folder, "domains", `${name}.yaml`),
        `domain: ${name}\nrole: sending\nasks:\n  - { id: proof-${name.split(".")[0]}, service: seekmere, purpose: ownership, records: "www A 192.0.2.80" }\n`,
      );
    const argv = ["guard", "--once", "--json"];
    questionsOf(argv);
    const lines = questionsOf(argv);
    const twice = lines.length - new Set(lines).size;
    limit(`Guard, questions asked twice (of ${lines.length})`, twice, 0);
    const [own, bare] = await inTurns(
      5,
      () => wall([program, ...argv], { cwd: folder }),
      () => askBare(lines),
    );
    figure(
      `Guard, one look at ${DOMAINS} domains (${Math.round(own)} ms) against asking bare (${Math.round(bare)} ms)`,
      own / bare,
      20,
    );
  } finally {
    authority.close();
  }
}
