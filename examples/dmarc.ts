// The policy of a domain, read and found as receivers find it.
import assert from "node:assert/strict";
import { discoverByWalk, name, readDmarcRecord, readZone, zoneLookup, zonesOf } from "zandrel";

const record = readDmarcRecord("v=DMARC1; p=quarantine; rua=mailto:dmarc@brackwater.example");
assert.equal(record.ok, true);
if (record.ok) assert.equal(record.value.policy, "quarantine");

const origin = name("brackwater.example");
const zone = readZone('@ 1h SOA ns1 h 1 2h 15m 2w 15m\n_dmarc 1h TXT "v=DMARC1; p=reject"\n', { origin });
// A subdomain without a record of its own uses the one further up.
const found = await discoverByWalk(name("news.brackwater.example"), zoneLookup(zonesOf(zone)));
assert.equal(found.at, origin);
assert.equal(found.record?.policy, "reject");
