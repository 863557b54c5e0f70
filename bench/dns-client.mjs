// Questions a second to a local knotd: our client against a bare node:dgram loop over dns-packet.
import { spawn, spawnSync } from "node:child_process";
import { createSocket } from "node:dgram";
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import * as packet from "dns-packet";
import { build } from "esbuild";
import { figure, inTurns } from "./measure.mjs";

const QUESTIONS = 5000;
const WINDOW = 32;
const PORT = 5397;

/** Runs `ask` over all questions with a fixed number of them open at a time; gives back seconds. */
export async function timed(ask) {
  const start = performance.now();
  let next = 0;
  await Promise.all(
    Array.from({ length: WINDOW }, async () => {
      while (next < QUESTIONS) await ask(next++);
    }),
  );
  return (performance.now() - start) / 1000;
}

export function bareLoop() {
  const socket = createSocket("udp4");
  const waiting = new Map();
  socket.on("message", (message) => {
    const answer = packet.decode(message);
    waiting.get(answer.id)?.(answer);
    waiting.delete(answer.id);
  });
  const ask = (i) =>
    new Promise((resolve) => {
      waiting.set(i, resolve);
      socket.send(
        packet.encode({ type: "query", id: i, questions: [{ type: "TXT", name: `n${i % 1000}.bench.example` }] }),
        PORT,
        "127.0.0.1",
      );
    });
  return { ask, close: () => socket.close() };
}

export default async function dnsClient() {
  if (spawnSync("which", ["knotd"]).status !== 0) {
    console.log("--    DNS client: knotd is not installed, nothing measured");
    return;
  }
  const folder = mkdtempSync(join(tmpdir(), "zandrel-bench-"));
  mkdirSync(join(folder, "db"));
  writeFileSync(
    join(folder, "bench.zone"),
    `$TTL 60\n$ORIGIN bench.example.\n@ SOA ns h 1 60 60 60 60\n@ NS ns\nns A 127.0.0.1\n${Array.from({ length: 1000 }, (_, i) => `n${i} TXT "answer ${i}"\n`).join("")}`,
  );
  writeFileSync(
    join(folder, "knot.conf"),
    `server:\n  rundir: ${folder}\n  listen: 127.0.0.1@${PORT}\ndatabase:\n  storage: ${folder}/db\nzone:\n  - domain: bench.example\n    storage: ${folder}\n    file: bench.zone\n`,
  );
  const server = spawn("knotd", ["-c", join(folder, "knot.conf")], { stdio: "ignore" });
  try {
    await build({
      entryPoints: ["src/net/index.ts"],
      bundle: true,
      platform: "node",
      format: "esm",
      outfile: join(folder, "net.mjs"),
      logLevel: "error",
    });
    const { DnsClient } = await import(join(folder, "net.mjs"));
    await new Promise((resolve) => setTimeout(resolve, 1500));
    const [bare, own] = await inTurns(
      5,
      async () => {
        const loop = bareLoop();
        const seconds = await timed(loop.ask);
        loop.close();
        return seconds;
      },
      async () => {
        const client = new DnsClient();
        const lookup = client.at({ address: "127.0.0.1", port: PORT }, { recursive: false });
        const seconds = await timed(async (i) => {
          const answer = await lookup.ask(`n${i % 1000}.bench.example.`, "TXT");
          if (answer.kind !== "found") throw new Error(`n${i} ended with ${answer.kind}`);
        });
        client.close();
        return seconds;
      },
    );
    figure(
      `DNS client, questions a second (${Math.round(QUESTIONS / own)}) against a bare loop (${Math.round(QUESTIONS / bare)})`,
      bare / own,
      0.75,
      bare / own >= 0.75,
    );
  } finally {
    server.kill();
    rmSync(folder, { recursive: true, force: true });
  }
}
