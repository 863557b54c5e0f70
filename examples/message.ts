// A message, judged as a receiver judges it.
import assert from "node:assert/strict";
import { judgeMessage, name, readZone, zoneLookup, zonesOf } from "zandrel";

const message = Buffer.from(
  "From: news@brackwater.example\r\nTo: guest@mallowmail.example\r\nSubject: The new season\r\n\r\nCurtain up!\r\n",
);
const source = {
  async *chunks() {
    yield message;
  },
};
const zone = readZone(
  '@ 1h SOA ns1 h 1 2h 15m 2w 15m\n@ 1h TXT "v=spf1 ip4:192.0.2.25 -all"\n_dmarc 1h TXT "v=DMARC1; p=reject"\n',
  { origin: name("brackwater.example") },
);
const lookup = zoneLookup(zonesOf(zone));
const judge = (ip: string) =>
  judgeMessage(source, {
    envelope: { ip, helo: "out.brackwater.example", mailFrom: "news@brackwater.example" },
    lookup,
    now: 1_772_442_000,
  });

const real = await judge("192.0.2.25");
assert.equal(real.ok, true);
if (real.ok) {
  assert.equal(real.value.dmarc.result, "pass");
}
const forged = await judge("198.51.100.66");
assert.equal(forged.ok, true);
if (forged.ok) assert.equal(forged.value.dmarc.disposition, "reject");
