// May this server send for the domain?
import assert from "node:assert/strict";
import { checkSpf, inWords, name, readSpfRecord, readZone, zoneLookup, zonesOf } from "zandrel";

const zone = readZone(
  '@ 1h SOA ns1 h 1 2h 15m 2w 15m\n@ 1h NS ns1\nns1 1h A 192.0.2.53\n@ 1h TXT "v=spf1 ip4:192.0.2.0/27 -all"\n',
  { origin: name("brackwater.example") },
);
const lookup = zoneLookup(zonesOf(zone));

const verdict = await checkSpf({ ip: "192.0.2.25", from: "box@brackwater.example", helo: "out.brackwater.example" }, lookup);
assert.equal(verdict.result, "pass");
assert.equal(verdict.mechanism, "ip4:192.0.2.0/27");

const stranger = await checkSpf({ ip: "198.51.100.9", from: "box@brackwater.example", helo: "" }, lookup);
assert.equal(stranger.result, "fail");

const record = readSpfRecord("v=spf1 inculde:spf.heronpost.example -all");
assert.equal(record.ok, false);
if (!record.ok) console.log(`${record.error[0]?.text}: ${inWords(record.error[0]?.message)}; meant ${record.error[0]?.meant}`);
