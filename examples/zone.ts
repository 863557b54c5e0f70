// A zone file: read, asked like a name server, edited with every other line left as it was.
import assert from "node:assert/strict";
import { editZone, name, printRecord, readZone, recordsOf, zoneLookup, zonesOf } from "zandrel";

const text = `$ORIGIN brackwater.example.
$TTL 1h
@    SOA ns1 hostmaster 2026030101 2h 15m 2w 15m
     NS  ns1
ns1  A   192.0.2.53
www  A   192.0.2.80 ; the old site
`;
const origin = name("brackwater.example");
const document = readZone(text, { origin });
assert.deepEqual(document.issues, []);

const lookup = zoneLookup(zonesOf(document));
const answer = await lookup.ask(name("www.brackwater.example"), "A");
assert.equal(answer.kind, "found");
if (answer.kind === "found") console.log(recordsOf(answer.set).map(printRecord).join("\n"));

const before = answer.kind === "found" ? answer.set : undefined;
const change = {
  name: name("www.brackwater.example"),
  type: "A",
  before,
  after: before === undefined ? undefined : { ...before, data: [{ address: "192.0.2.90" }] },
};
const edited = editZone(document, [change], { origin }, "20260302");
assert.equal(edited.ok, true);
if (edited.ok) {
  assert.match(edited.value.text, /192\.0\.2\.90/);
  assert.match(edited.value.text, /2026030200/);
}
