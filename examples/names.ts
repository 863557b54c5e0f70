// Names: read as people write them, compared as the DNS compares them.
import assert from "node:assert/strict";
import { displayName, inWords, isBelow, name, organizationalDomain, parseName, relativeText } from "zandrel";

const www = name("WWW.Brackwater.example");
assert.equal(www, "www.brackwater.example.");
assert.equal(isBelow(www, name("brackwater.example")), true);
assert.equal(relativeText(www, name("brackwater.example")), "www");
assert.equal(displayName(name("bücher.example")), "bücher.example (xn--bcher-kva.example)");
assert.equal(organizationalDomain(name("news.brackwater.example")), "brackwater.example.");

// A mistake is a value, with its place.
const wrong = parseName("a..b");
assert.equal(wrong.ok, false);
if (!wrong.ok) console.log(`not a name: ${inWords(wrong.error.message)}`);
