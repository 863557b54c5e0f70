/** What all parts of the reliability suite use: the program started, what was tried counted, and servers of one's own. */
import { spawn } from "node:child_process";
import { createSocket } from "node:dgram";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { parseArgs } from "node:util";
import { randomFrom } from "../random.mjs";

export const PROGRAM = new URL("../../dist/zandrel.cjs", import.meta.url).pathname;
export const { values: given } = parseArgs({
  options: { part: { type: "string" }, times: { type: "string", default: "300" }, seed: { type: "string" } },
});
export const seed = Number(given.seed ?? Date.now() % 2 ** 31);
export const { random, below, pick } = randomFrom(seed);

const folders = [];
export const folder = () => {
  const made = mkdtempSync(join(tmpdir(), "zandrel-hard-"));
  folders.push(made);
  return made;
};
process.on("exit", () => {
  for (const made of folders) rmSync(made, { recursive: true, force: true });
});

const kept = new URL("../../node_modules/.cache/code", import.meta.url).pathname;
export const environment = { PATH: process.env.PATH, TZ: "UTC", NO_COLOR: "1", XDG_CACHE_HOME: kept };
/** Starts the program; `done` comes with its exit code, its output and how long it took. */
export function start(cwd, argv, { input = "", env = {} } = {}) {
  const child = spawn(process.execPath, [PROGRAM, ...argv], { cwd, env: { ...environment, HOME: cwd, ...env } });
  const begun = performance.now();
  let out = "";
  let err = "";
  child.stdout.on("data", (text) => (out += text));
  child.stderr.on("data", (text) => (err += text));
  child.stdin.on("error", () => undefined);
  child.stdin.end(input);
  const done = new Promise((resolve) =>
    child.on("close", (exit, signal) => resolve({ exit, signal, out, err, seconds: (performance.now() - begun) / 1000 })),
  );
  return { child, done };
}
export const run = (cwd, argv, how) => start(cwd, argv, how).done;

export const table = [];
/** Counts one thing tried; `held` is true, or says what was wrong. */
export function note(part, held, what) {
  let row = table.find((one) => one.part === part);
  if (row === undefined) table.push((row = { part, tried: 0, survived: 0 }));
  row.tried += 1;
  if (held === true) row.survived += 1;
  else console.error(`${part}: ${what}: ${held}`);
}
/** Every end is a sentence with an exit code of ours, never a crash and never silence. */
export const sentence = ({ exit, err, signal }) =>
  signal !== null
    ? `ended by ${signal}`
    : ![0, 1, 2, 3].includes(exit)
      ? `exit ${exit}`
      : /\n\s+at |TypeError|RangeError|node:internal/.test(err)
        ? err.slice(0, 300)
        : true;

export const ZONE =
  '$ORIGIN brackwater.example.\n$TTL 3600\n; by hand, and to stay\n@ SOA ns1 host 1 3600 900 604800 300\n@ NS ns1\nns1 A 192.0.2.1\n@ TXT "v=spf1 -all"\n';

export const questionOf = (message) => {
  let at = 12;
  while (message[at] !== 0) at += message[at] + 1;
  return message.subarray(0, at + 5);
};
/** Listens for datagrams and answers each, or not. */
export async function listenUdp(answerTo) {
  const socket = createSocket("udp4");
  await new Promise((resolve) => socket.bind(0, "127.0.0.1", () => resolve(undefined)));
  socket.on("message", (message, from) => {
    const answer = answerTo(message);
    if (answer !== undefined) socket.send(answer, from.port, from.address);
  });
  return { address: `127.0.0.1:${socket.address().port}`, close: () => socket.close() };
}

/** Listens for connections; gives back the port. */
export const listenTcp = (server) =>
  new Promise((resolve) => server.listen({ port: 0, host: "127.0.0.1" }, () => resolve(server.address().port)));

/** A name server in whose world every name has the address of this machine, and nothing else. */
export function everythingHere(message) {
  const head = Buffer.from(questionOf(message));
  const isA = head.readUInt16BE(head.length - 4) === 1;
  head[2] = 0x84 | (message[2] & 0x79);
  head[3] = 0x80;
  for (const at of [6, 8, 10]) head.writeUInt16BE(0, at);
  if (isA) head.writeUInt16BE(1, 6);
  return isA ? Buffer.concat([head, Buffer.from([0xc0, 12, 0, 1, 0, 1, 0, 0, 0, 60, 0, 4, 127, 0, 0, 1])]) : head;
}

/** A name as it stands in a message (RFC 1035 section 3.1). */
const wire = (name) =>
  Buffer.concat([...name.split(".").flatMap((label) => [Buffer.from([label.length]), Buffer.from(label)]), Buffer.from([0])]);
export const DOMAIN = "brackwater.example";
const [A, NS, SOA, TXT] = [1, 2, 6, 16];
const text = Buffer.from("quaylet=1");
/** What is at which name, by type. */
const SERVED = {
  example: { [NS]: wire(`ns1.${DOMAIN}`) },
  [DOMAIN]: {
    [NS]: wire(`ns1.${DOMAIN}`),
    [SOA]: Buffer.concat([wire(`ns1.${DOMAIN}`), wire(`host.${DOMAIN}`), Buffer.alloc(20, 1)]),
  },
  [`ns1.${DOMAIN}`]: { [A]: Buffer.from([127, 0, 0, 1]) },
  [`mail.${DOMAIN}`]: { [A]: Buffer.from([127, 0, 0, 1]) },
  [`_quaylet.${DOMAIN}`]: { [TXT]: Buffer.from([text.length, ...text]) },
};

/** A name server that has a token, or not, and counts what it was asked for it. */
export async function tokenServer() {
  const state = { isThere: true, asked: 0 };
  const server = await listenUdp((message) => {
    const question = Buffer.from(questionOf(message));
    const type = question.readUInt16BE(question.length - 4);
    const name = Object.keys(SERVED).find((known) => question.subarray(12, -4).equals(wire(known)));
    const isToken = name?.startsWith("_quaylet") === true && type === TXT;
    if (isToken) state.asked += 1;
    const data = isToken && !state.isThere ? undefined : SERVED[name]?.[type];
    question[2] = 0x84 | (message[2] & 0x79);
    question[3] = 0x80;
    for (const [at, count] of [
      [6, data === undefined ? 0 : 1],
      [8, 0],
      [10, 0],
    ])
      question.writeUInt16BE(count, at);
    if (data === undefined) return question;
    const head = Buffer.from([0xc0, 12, 0, type, 0, 1, 0, 0, 0, 60, 0, data.length]);
    return Buffer.concat([question, head, data]);
  });
  return { state, ...server };
}
