// A message is signed, and checked with the key that is published.
import assert from "node:assert/strict";
import { generateKeyPairSync } from "node:crypto";
import {
  name,
  readKeyRecord,
  readZone,
  Signatures,
  scanMessage,
  signedMessage,
  verifySignatures,
  zoneLookup,
  zonesOf,
} from "zandrel";

const { privateKey, publicKey } = generateKeyPairSync("ed25519");
const octets = publicKey.export({ type: "spki", format: "der" }).subarray(-32).toString("base64");
const key = readKeyRecord([`v=DKIM1; k=ed25519; p=${octets}`]);
assert.equal(key.problem, undefined);

const message = Buffer.from(
  "From: Box office <box@brackwater.example>\r\nTo: guest@mallowmail.example\r\nSubject: Your tickets\r\n\r\nSee you on Friday.\r\n",
);
const domain = name("brackwater.example");
const signed = await signedMessage(message, {
  domain,
  selector: "k1",
  key: privateKey,
  header: "relaxed",
  body: "relaxed",
  signedAt: 1_772_442_000,
});
assert.ok(signed);

const zone = readZone(`@ 1h SOA ns1 h 1 2h 15m 2w 15m\nk1._domainkey 1h TXT "v=DKIM1; k=ed25519; p=${octets}"\n`, {
  origin: domain,
});
let signatures: Signatures | undefined;
const source = {
  async *chunks() {
    yield signed as Buffer;
  },
};
const header = await scanMessage(source, (found) => (signatures = new Signatures(found)).sinks);
assert.equal(header.ok, true);
if (header.ok && signatures !== undefined) {
  const [verdict] = await verifySignatures(signatures, header.value, zoneLookup(zonesOf(zone)), 1_772_442_060);
  assert.equal(verdict?.result, "pass");
}
