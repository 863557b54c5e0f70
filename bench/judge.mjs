// 10 000 small messages judged with a warm lookup: how much of the CPU time RSA verification itself takes.
import { createRequire, syncBuiltinESMExports } from "node:module";
import { internals } from "../internals.mjs";
import { figure, inTurns } from "./measure.mjs";

const { BodyHash, judgeMessage, keyRecordText, makeSignature, memoized, name, parseHeader, readZone, zoneLookup, zonesOf } =
  await internals(
    "core/dkim/index.ts",
    "core/lookup/index.ts",
    "core/message/index.ts",
    "core/name/index.ts",
    "core/verdict/index.ts",
    "core/zone/index.ts",
  );

const crypto = createRequire(import.meta.url)("node:crypto");
const MESSAGES = 10_000;

export default async function judge() {
  const pair = crypto.generateKeyPairSync("rsa", { modulusLength: 2048 });
  const text = keyRecordText(pair.publicKey);
  const lookup = memoized(
    zoneLookup(
      zonesOf(
        readZone(
          `$TTL 60\n. SOA a. b. 1 1 1 1 60\n$ORIGIN brackwater.example.\n@ TXT "v=spf1 ip4:192.0.2.24/29 -all"\n_dmarc TXT "v=DMARC1; p=reject"\nk1._domainkey TXT "${text.slice(0, 250)}" "${text.slice(250)}"\n`,
        ),
      ),
    ),
  );
  const messages = Array.from({ length: MESSAGES }, (_, i) => {
    const header = `From: Box office <box@brackwater.example>\r\nTo: friend-${i}@mallowmail.example\r\nSubject: Tickets for Saturday\r\nDate: Mon, 2 Mar 2026 09:00:00 +0000\r\nMessage-ID: <${i}@brackwater.example>\r\nMIME-Version: 1.0\r\nContent-Type: text/plain; charset=utf-8\r\n`;
    const content = `Dear friend,\r\n\r\nseat ${i} is yours.\r\n`;
    const body = new BodyHash("relaxed");
    body.write(Buffer.from(content));
    body.end();
    const signature = makeSignature(parseHeader(header), body, {
      domain: name("brackwater.example"),
      selector: "k1",
      key: pair.privateKey,
      header: "relaxed",
      body: "relaxed",
      signedAt: 1_772_441_000,
    });
    const octets = Buffer.from(`${signature.raw}\r\n${header}\r\n${content}`, "latin1");
    return { chunks: () => [octets] };
  });
  const envelope = { ip: "192.0.2.25", helo: "out.brackwater.example", mailFrom: "box@brackwater.example" };
  // The verification is timed where it happens: called from the very same code, on the very same messages.
  const plain = crypto.verify;
  let verifying = 0;
  crypto.verify = (...args) => {
    const start = process.hrtime.bigint();
    const result = plain(...args);
    verifying += Number(process.hrtime.bigint() - start);
    return result;
  };
  syncBuiltinESMExports();
  const shares = [];
  await inTurns(5, async () => {
    verifying = 0;
    const start = process.cpuUsage();
    for (const message of messages) {
      const judged = await judgeMessage(message, { envelope, lookup, now: 1_772_442_000 });
      if (!judged.ok || judged.value.dmarc.result !== "pass" || judged.value.dkim[0].result !== "pass")
        throw new Error("wrong verdict");
    }
    const { user, system } = process.cpuUsage(start);
    shares.push((user + system) / (verifying / 1000));
    return 0;
  });
  crypto.verify = plain;
  syncBuiltinESMExports();
  if (verifying === 0) throw new Error("no verification was seen");
  const whole = shares.sort((a, b) => a - b)[2];
  // At least 40 per cent means: the whole takes at most two and a half times as long as the verification.
  figure(
    `judging ${MESSAGES} messages against the RSA verification in it (${(100 / whole).toFixed(0)} % of the CPU time)`,
    whole,
    2.5,
  );
}
