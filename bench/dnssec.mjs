// DNSSEC: a chain of four zones validated again and again, against the signature checks in it; and what an audit of a signed
// domain asks, against that of an unsigned one.
import { spawn } from "node:child_process";
import { createPublicKey, verify } from "node:crypto";
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { internals } from "../internals.mjs";
import { figure, inTurns } from "./measure.mjs";

const ROUNDS = 300;
const program = fileURLToPath(new URL("../dist/zandrel.cjs", import.meta.url));
const hook = fileURLToPath(new URL("questions.cjs", import.meta.url));

const { ChainOfTrust, keyTag, ZoneSigner, name, signedOctets } = await internals(
  "core/dnssec/index.ts",
  "core/name/index.ts",
  "lab/zone-signer.ts",
);

/** The zones of a chain, each signed, and a lookup that answers from them as they are. */
function chainOfFour() {
  const clock = { now: () => Date.now() };
  const zones = [".", "example.", "brackwater.example.", "news.brackwater.example."].map((apex) => ({
    signer: new ZoneSigner(name(apex), clock),
    apex: name(apex),
  }));
  const answers = new Map();
  const answer = (signer, set) => {
    const records = set.data.map((data) => ({ ...set, data }));
    answers.set(`${set.name} ${set.type}`, {
      kind: "answer",
      exists: true,
      answer: [...records, signer.signatureOf(set)],
      authority: [],
    });
  };
  for (const [i, { signer, apex }] of zones.entries()) {
    answer(signer, { name: apex, type: "DNSKEY", ttl: 3600, data: [signer.key] });
    if (i > 0) answer(zones[i - 1].signer, { name: apex, type: "DS", ttl: 3600, data: [signer.ds] });
  }
  const last = zones[3];
  answer(last.signer, { name: last.apex, type: "TXT", ttl: 60, data: [{ strings: ["v=spf1 -all"] }] });
  return {
    lookup: { askSigned: async (of, type) => answers.get(`${of} ${type}`) ?? { kind: "failed", detail: "not asked" } },
    anchors: [{ zone: name("."), ds: [zones[0].signer.ds] }],
    name: last.apex,
    answers: [...answers.values()],
    keys: new Map(zones.map(({ apex, signer }) => [apex, signer.key])),
  };
}

/** Checks every signature of the chain with `node:crypto` alone. */
function floorOf({ answers, keys }) {
  const checks = answers.map(({ answer }) => {
    const { data: rrsig } = answer.at(-1);
    const set = { ...answer[0], data: answer.slice(0, -1).map(({ data }) => data) };
    const octets = Buffer.from(keys.get(rrsig.signer).key, "hex");
    const [x, y] = [octets.subarray(0, 32), octets.subarray(32)].map((part) => part.toString("base64url"));
    const key = createPublicKey({ format: "jwk", key: { kty: "EC", crv: "P-256", x, y } });
    return { key, octets: signedOctets(set, rrsig), signature: Buffer.from(rrsig.signature, "hex") };
  });
  return () => {
    for (const { key, octets, signature } of checks)
      if (!verify("sha256", octets, { key, dsaEncoding: "ieee-p1363" }, signature))
        throw new Error("a signature does not verify");
  };
}

/** A zone of the same chain whose keys and DS records are a thousand each, all of one tag: what only costs the reader time. */
function hostile({ lookup, anchors, name: last }) {
  const keys = Array.from({ length: 1000 }, (_, i) => {
    const octets = Buffer.alloc(66);
    octets.writeUInt32BE(i, 0);
    // Two octets bring the sum that the tag is back to the same number.
    octets.writeUInt16BE(0xffff - (i & 0xffff), 64);
    return { flags: 257, protocol: 3, algorithm: 13, key: octets.subarray(2).toString("hex") };
  });
  const tag = keyTag(keys[0]);
  const ds = Array.from({ length: 1000 }, (_, i) => ({
    ...{ keyTag: tag, algorithm: 13, digestType: 2 },
    digest: i.toString(16).padStart(64, "0"),
  }));
  return async () => {
    const chain = new ChainOfTrust(
      {
        askSigned: async (of, type) => {
          const answer = await lookup.askSigned(of, type);
          if (of !== last || type !== "DNSKEY") return answer;
          return { ...answer, answer: keys.map((data) => ({ name: of, type, ttl: 60, data })) };
        },
      },
      [{ zone: last, ds }, ...anchors],
      Math.floor(Date.now() / 1000),
    );
    await chain.judge(last, "TXT");
  };
}

async function taken(work) {
  const start = process.cpuUsage();
  for (let i = 0; i < ROUNDS; i++) await work();
  const { user, system } = process.cpuUsage(start);
  return user + system;
}

/** How many questions an audit of the lab's main domain asks, and how many of them twice. */
async function questions(signed) {
  const { startLab } = await internals("lab/index.ts");
  const lab = await startLab({ start: Date.parse("2026-03-02T09:00:00Z"), speed: 1, port: 5790, signed });
  const folder = mkdtempSync(join(tmpdir(), "zandrel-bench-"));
  try {
    writeFileSync(join(folder, "lab.yaml"), lab.settings);
    const log = join(folder, "questions.txt");
    const run = (argv, env = {}) =>
      new Promise((resolve, reject) => {
        const child = spawn(process.execPath, [program, ...argv], {
          cwd: folder,
          stdio: "ignore",
          env: { ...process.env, ...lab.env, ...env },
        });
        child.on("error", reject);
        child.on("exit", resolve);
      });
    await run(["init", "brackwater.example", "--dns-host", "nettlehost", "--settings", "lab.yaml"]);
    await run(["audit"], { NODE_OPTIONS: `--require ${hook}`, QUESTIONS: log });
    const asked = readFileSync(log, "utf8").trimEnd().split("\n");
    return { asked: asked.length, twice: asked.length - new Set(asked).size };
  } finally {
    await lab.close();
    rmSync(folder, { recursive: true, force: true });
  }
}

export default async function dnssec() {
  const chain = chainOfFour();
  const now = Math.floor(Date.now() / 1000);
  const check = floorOf(chain);
  const [bare, own] = await inTurns(
    7,
    () => taken(check),
    () =>
      taken(async () => {
        const { kind } = await new ChainOfTrust(chain.lookup, chain.anchors, now).judge(chain.name, "TXT");
        if (kind !== "secure") throw new Error(`the chain is ${kind}`);
      }),
  );
  figure("DNSSEC, a warm chain of four zones against its signature checks, CPU", own / bare, 2);
  const attack = hostile(chain);
  const [sound, costly] = await inTurns(
    5,
    () => taken(async () => new ChainOfTrust(chain.lookup, chain.anchors, now).judge(chain.name, "TXT")),
    () => taken(attack),
  );
  figure("DNSSEC, a thousand DS and keys of one tag against a sound chain, CPU", costly / sound, 2);
  const [plain, signed] = [await questions(false), await questions(true)];
  figure("questions of an audit of a signed domain against an unsigned one", signed.asked / plain.asked, 1.4);
  figure("questions of it that were asked twice", signed.twice, 0);
}
