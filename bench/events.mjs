// Events: a flood on loopback, the receiver killed in the middle and started again, none lost and none counted twice.
import { spawn } from "node:child_process";
import { createHash, createHmac, randomBytes } from "node:crypto";
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { Agent, request } from "node:http";
import { createRequire } from "node:module";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { limit } from "./measure.mjs";

const program = fileURLToPath(new URL("../dist/zandrel.cjs", import.meta.url));
const Database = createRequire(import.meta.url)("libsql");

const RATE = 5000;
const SECONDS = 30;
/** Events in one request. */
const BATCH = 50;
const PORT = 8425;
const URL_ = `http://127.0.0.1:${PORT}/events`;
const SECRET = "a-secret-of-nobody-at-all";

const agent = new Agent({ keepAlive: true, maxSockets: 16 });

/** One signed request, as the contract has it; made by hand, so that the flood costs little. */
function post(body) {
  const digest = `sha-256=:${createHash("sha256").update(body).digest("base64")}:`;
  const params = `("@method" "@target-uri" "content-digest");created=${Math.floor(Date.now() / 1000)};keyid="feed-1";alg="hmac-sha256";nonce="${randomBytes(12).toString("hex")}"`;
  const base = `"@method": POST\n"@target-uri": ${URL_}\n"content-digest": ${digest}\n"@signature-params": ${params}`;
  const mac = createHmac("sha256", SECRET).update(base).digest("base64");
  return new Promise((resolve) => {
    const sent = request(
      URL_,
      {
        method: "POST",
        agent,
        headers: {
          "content-type": "application/json",
          "content-length": body.length,
          "content-digest": digest,
          "signature-input": `s=${params}`,
          signature: `s=:${mac}:`,
        },
      },
      (answer) => {
        answer.resume();
        answer.on("end", () => resolve(answer.statusCode));
      },
    );
    sent.on("error", () => resolve(0));
    sent.end(body);
  });
}

function startReceiver(folder) {
  const child = spawn(process.execPath, [program, "sender", "events", "--listen", `127.0.0.1:${PORT}`], {
    cwd: folder,
    stdio: ["ignore", "ignore", "pipe"],
    env: { ...process.env, FEED_SECRET: SECRET },
  });
  /** @type {Promise<void>} */
  const ready = new Promise((resolve, reject) => {
    let said = "";
    child.stderr.on("data", (chunk) => {
      said += chunk;
      if (said.includes("Listening")) resolve();
    });
    child.on("exit", () => reject(new Error(said)));
  });
  return { child, ready };
}

export default async function events() {
  const folder = mkdtempSync(join(tmpdir(), "zandrel-bench-"));
  try {
    mkdirSync(join(folder, "domains"));
    writeFileSync(
      join(folder, "zandrel.yaml"),
      "version: 1\norganisation: Brackwater\nservices:\n  swiftquill:\n    title: Swiftquill\n    events: { id: feed-1, secret: env:FEED_SECRET }\n",
    );
    writeFileSync(join(folder, "domains", "brackwater.example.yaml"), "domain: brackwater.example\n");
    let receiver = startReceiver(folder);
    await receiver.ready;
    const at = new Date().toISOString();
    let next = 0;
    const pending = new Set();
    /** Told until it is taken, with the same ids: what a service does. */
    const tell = async (body) => {
      for (;;) {
        const status = await post(body);
        if (status === 204 || status === 409) return;
        await new Promise((resolve) => setTimeout(resolve, 50));
      }
    };
    const started = performance.now();
    let killed = false;
    for (let request = 0; request < (RATE * SECONDS) / BATCH; request++) {
      const due = started + (request * BATCH * 1000) / RATE;
      if (due > performance.now()) await new Promise((resolve) => setTimeout(resolve, due - performance.now()));
      const list = Array.from({ length: BATCH }, () => {
        const id = next++;
        return {
          id: `e${id}`,
          kind: ["arrived", "shown", "followed", "returned"][id % 4],
          at,
          messageId: `m${id}@brackwater.example`,
          domain: "brackwater.example",
          to: "probe@mallowmail.example",
        };
      });
      const narration = tell(Buffer.from(JSON.stringify({ version: 1, events: list }))).finally(() => pending.delete(narration));
      pending.add(narration);
      // One in twenty is told twice, as happens when an answer gets lost.
      if (request % 20 === 0) {
        const twice = tell(Buffer.from(JSON.stringify({ version: 1, events: list }))).finally(() => pending.delete(twice));
        pending.add(twice);
      }
      if (!killed && request * BATCH > (RATE * SECONDS) / 2) {
        killed = true;
        receiver.child.removeAllListeners("exit");
        receiver.child.kill("SIGKILL");
        receiver = startReceiver(folder);
      }
    }
    await receiver.ready;
    await Promise.all(pending);
    const taken = (performance.now() - started) / 1000;
    receiver.child.removeAllListeners("exit");
    receiver.child.kill("SIGKILL");
    const database = new Database(join(folder, ".zandrel", "events.db"));
    const { n } = database.prepare("SELECT count(*) AS n FROM event").get();
    database.close();
    const rate = next / taken;
    console.log(
      `${rate >= RATE * 0.95 ? "ok  " : "OVER"}  events a second, kept on the disk, one kill -9 in the middle: ${Math.round(rate)} (wanted ${RATE})`,
    );
    if (rate < RATE * 0.95) process.exitCode = 1;
    limit(`events lost of ${next}`, next - n, 0);
    limit("events counted twice", n - next, 0);
  } finally {
    agent.destroy();
    rmSync(folder, { recursive: true, force: true });
  }
}
