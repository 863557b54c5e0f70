// DKIM over a message of 50 MB, against reading it line by line and hashing it, each in its own process.

import { spawnSync } from "node:child_process";
import { generateKeyPairSync } from "node:crypto";
import { createWriteStream, mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { internals } from "../internals.mjs";
import { figure, inTurns, limit, measuring } from "./measure.mjs";

const { keyRecordText } = await internals("core/dkim/index.ts");

const program = fileURLToPath(new URL("../dist/zandrel.cjs", import.meta.url));
const OCTETS = 50 << 20;

/** Reads lines and hashes them, as simply as Node does it. */
const FLOOR = `
const { createHash } = require("node:crypto");
const { createReadStream } = require("node:fs");
const hash = createHash("sha256");
const lines = require("node:readline").createInterface({ input: createReadStream(process.argv[1]), crlfDelay: Infinity });
lines.on("line", (line) => { hash.update(line); hash.update("\\r\\n"); });
lines.on("close", () => console.error(hash.digest("hex")));
`;

export default async function dkim() {
  const folder = mkdtempSync(join(tmpdir(), "zandrel-bench-"));
  try {
    const run = measuring(folder);
    const pair = generateKeyPairSync("rsa", { modulusLength: 2048 });
    const key = join(folder, "k1.pem");
    writeFileSync(key, pair.privateKey.export({ type: "pkcs8", format: "pem" }));
    const zone = join(folder, "brackwater.example.zone");
    const text = keyRecordText(pair.publicKey);
    writeFileSync(zone, `$TTL 60\n@ SOA a b 1 1 1 1 60\nk1._domainkey TXT "${text.slice(0, 250)}" "${text.slice(250)}"\n`);
    const plain = join(folder, "plain.eml");
    const stream = createWriteStream(plain);
    stream.write("From: box@brackwater.example\r\nSubject: a large one\r\n\r\n");
    const line = "All seats are taken for tonight, and  tomorrow there are some left at the door.\r\n";
    const block = line.repeat(Math.ceil((1 << 20) / line.length));
    for (let i = 0; i < OCTETS; i += block.length) await new Promise((resolve) => stream.write(block, resolve));
    await new Promise((resolve) => stream.end(resolve));
    const signed = join(folder, "signed.eml");
    const signing = ["dkim", "sign", plain, "--domain", "brackwater.example", "--selector", "k1", "--key", key];
    const { stdout, status } = spawnSync(process.execPath, [program, ...signing], { maxBuffer: 1 << 28 });
    if (status !== 0) throw new Error("could not sign");
    writeFileSync(signed, stdout);

    const idle = run([program, "dkim", "verify", "--help"]).peak;
    const peaks = { verify: 0, sign: 0 };
    const [floor, verify, sign] = await inTurns(
      7,
      () => run(["-e", FLOOR, plain]).taken,
      () => {
        const { taken, peak } = run([program, "dkim", "verify", signed, "--zone-file", zone]);
        peaks.verify = Math.max(peaks.verify, peak);
        return taken;
      },
      () => {
        const { taken, peak } = run([program, ...signing]);
        peaks.sign = Math.max(peaks.sign, peak);
        return taken;
      },
    );
    figure("DKIM verify of 50 MB against reading lines and hashing", verify / floor, 1.6);
    figure("DKIM sign of 50 MB against reading lines and hashing", sign / floor, 1.6);
    limit("DKIM verify of 50 MB, memory above the idle process, MB", peaks.verify - idle, 40);
    limit("DKIM sign of 50 MB, memory above the idle process, MB", peaks.sign - idle, 40);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
