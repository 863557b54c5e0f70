// Everything that is wrong with a zone, before it is published.
import assert from "node:assert/strict";
import { audit, name, organizationalDomain, readZone, sayFinding, zoneLookup, zonesOf } from "zandrel";

const domain = name("brackwater.example");
const zone = readZone(
  [
    "@ 1h SOA ns1 hostmaster 2026030101 2h 15m 2w 15m",
    "@ 1h NS ns1",
    "@ 1h NS ns2",
    "ns1 1h A 192.0.2.53",
    "ns2 1h A 198.51.100.53",
    '@ 1h TXT "v=spf1 include:spf.heronpost.example -all"',
    '@ 1h TXT "v=spf1 mx -all"',
    "",
  ].join("\n"),
  { origin: domain },
);
const lookup = zoneLookup(zonesOf(zone));
const { findings } = await audit({
  domain,
  role: "main",
  lookup,
  world: lookup,
  authority: { kind: "delegated", apex: domain, servers: [], unreachable: [], ttl: 3600 },
  organizationalDomain,
  selectors: [],
  openKeyFiles: [],
  asks: [],
  wantedTexts: [],
  undelegatedHosts: [],
  hosts: [],
  issuers: [],
  flattened: [],
});
assert.ok(findings.some(({ id }) => id === "spf-several"));
for (const { severity, id, title, evidence } of findings.map(sayFinding))
  console.log(`${severity.padEnd(7)} ${id}: ${title} (${evidence})`);
