// What a service shows, understood; what would change in the zone; when everyone sees it.
import assert from "node:assert/strict";
import {
  type Ask,
  cacheWindowOf,
  clause,
  liveAt,
  makeDraft,
  name,
  pending,
  readZone,
  understand,
  visibleBy,
  wantsOf,
  zoneLookup,
  zonesOf,
} from "zandrel";

const domain = name("brackwater.example");
const paste = "Type: TXT\nHost: @\nValue: seekmere-owner=4f1d0c77a2";
const read = understand({ text: paste, domain, ttl: 3600, choices: new Map() });
assert.equal(read.records.length, 1);

const ask: Ask = {
  id: "seekmere-ownership",
  service: "seekmere",
  purpose: "ownership",
  domain,
  after: [],
  wants: wantsOf(read.records.map(({ record }) => record)),
};
const zone = readZone("@ 1h SOA ns1 h 1 2h 15m 2w 15m\n@ 1h NS ns1\nns1 1h A 192.0.2.53\n", { origin: domain });
const lookup = zoneLookup(zonesOf(zone));
const draft = await makeDraft({
  domain,
  asks: [ask],
  lookup,
  world: lookup,
  replace: new Set(),
  provenanceOf: () => clause("change-by-somebody"),
});
assert.deepEqual(draft.clashes, []);
assert.deepEqual(
  pending(draft).map(({ action, type }) => [action, type]),
  [["add", "TXT"]],
);

// There is no TXT record yet, so “no such record” may be remembered for as long as the zone's SOA says.
const window = cacheWindowOf(await liveAt(lookup, domain, domain, "TXT"));
assert.equal(window?.seconds, 900);
if (window !== undefined)
  console.log(`everyone sees it by ${new Date(visibleBy(Date.UTC(2026, 2, 2, 9), window)).toISOString()}`);
