import { describe, expect, test } from "@jest/globals";
import { allInWords } from "../../present/clauses/index.ts";
import { memoized, zoneLookup } from "../lookup/index.ts";
import { readZone, zonesOf } from "../zone/index.ts";
import { checkSpf } from "./index.ts";

const BASE = `$TTL 60
. SOA a. b. 1 1 1 1 60
$ORIGIN brackwater.example.
@ A 192.0.2.10
@ AAAA 2001:db8::10
@ MX 10 mail
@ MX 20 mail6
mail A 192.0.2.20
mail6 AAAA 2001:db8::20
alias CNAME mail
nullmx MX 0 .
2.0.192.in-addr.arpa. TXT "x"
30.2.0.192.in-addr.arpa. PTR host.brackwater.example.
host A 192.0.2.30
31.2.0.192.in-addr.arpa. PTR liar.brackwater.example.
liar A 192.0.2.99
`;
const check = (record: string, ip: string, records = "", more: { from?: string; helo?: string } = {}) =>
  checkSpf(
    { ip, from: more.from ?? "box@brackwater.example", helo: more.helo ?? "mx.brackwater.example" },
    memoized(zoneLookup(zonesOf(readZone(`${BASE}@ TXT "${record}"\n${records}\n`)))),
  );
type Row = [record: string, ip: string, result: string, records?: string];
const rows = (title: string, cases: Row[]) =>
  describe(title, () => {
    test.each(cases)("%s from %s: %s", async (record, ip, result, ...[records]) =>
      expect(allInWords((await check(record, ip, records)).result)).toBe(result),
    );
  });

rows("qualifiers (section 4.6.2)", [
  ["v=spf1 +ip4:192.0.2.1", "192.0.2.1", "pass"],
  ["v=spf1 ip4:192.0.2.1", "192.0.2.1", "pass"],
  ["v=spf1 -ip4:192.0.2.1 +all", "192.0.2.1", "fail"],
  ["v=spf1 ~ip4:192.0.2.1 +all", "192.0.2.1", "softfail"],
  ["v=spf1 ?ip4:192.0.2.1 +all", "192.0.2.1", "neutral"],
  ["v=spf1 -a ~mx ?all", "192.0.2.10", "fail"],
  ["v=spf1 -a ~mx ?all", "192.0.2.20", "softfail"],
  ["v=spf1 -a ~mx ?all", "192.0.2.21", "neutral"],
]);

rows("ip4 and ip6 with lengths (section 5.6)", [
  ["v=spf1 ip4:192.0.2.128/25 -all", "192.0.2.128", "pass"],
  ["v=spf1 ip4:192.0.2.128/25 -all", "192.0.2.127", "fail"],
  ["v=spf1 ip4:192.0.2.130/25 -all", "192.0.2.255", "pass"],
  ["v=spf1 ip4:192.0.2.1/32 -all", "192.0.2.1", "pass"],
  ["v=spf1 ip4:192.0.2.1/31 -all", "192.0.2.0", "pass"],
  ["v=spf1 ip4:192.0.2.1/31 -all", "192.0.2.2", "fail"],
  ["v=spf1 ip4:0.0.0.0/1 -all", "127.255.255.255", "pass"],
  ["v=spf1 ip4:0.0.0.0/1 -all", "128.0.0.0", "fail"],
  ["v=spf1 ip4:192.0.2.1/0 -all", "203.0.113.1", "pass"],
  ["v=spf1 ip4:192.0.2.0/24 -all", "::ffff:192.0.2.9", "pass"],
  ["v=spf1 ip6:2001:db8::/33 -all", "2001:db8:7fff::1", "pass"],
  ["v=spf1 ip6:2001:db8::/33 -all", "2001:db8:8000::1", "fail"],
  ["v=spf1 ip6:2001:db8::1 -all", "2001:0DB8:0:0::1", "pass"],
  ["v=spf1 ip6:::/0 -all", "2001:db8::1", "pass"],
  ["v=spf1 ip6:::/0 -all", "192.0.2.1", "fail"],
  ["v=spf1 ip6:::ffff:192.0.2.1 -all", "192.0.2.1", "fail"],
]);

rows("a and mx with lengths and families (sections 5.3 and 5.4)", [
  ["v=spf1 a -all", "2001:db8::10", "pass"],
  ["v=spf1 a/24 -all", "192.0.2.200", "pass"],
  ["v=spf1 a/24 -all", "2001:db8::11", "fail"],
  ["v=spf1 a//64 -all", "2001:db8::ffff", "pass"],
  ["v=spf1 a//64 -all", "192.0.2.11", "fail"],
  ["v=spf1 a/24//64 -all", "192.0.2.99", "pass"],
  ["v=spf1 a/24//64 -all", "2001:db8::99", "pass"],
  ["v=spf1 a/0 -all", "203.0.113.1", "pass"],
  ["v=spf1 a:alias.brackwater.example -all", "192.0.2.20", "pass"],
  ["v=spf1 a:mail.brackwater.example/28 -all", "192.0.2.31", "pass"],
  ["v=spf1 a:%{d} -all", "192.0.2.10", "pass"],
  ["v=spf1 mx -all", "2001:db8::20", "pass"],
  ["v=spf1 mx/30 -all", "192.0.2.23", "pass"],
  ["v=spf1 mx//127 -all", "2001:db8::21", "pass"],
  ["v=spf1 mx:nullmx.brackwater.example -all", "192.0.2.20", "fail"],
  ["v=spf1 A MX -ALL", "192.0.2.20", "pass"],
]);

rows("ptr (section 5.5)", [
  ["v=spf1 ptr -all", "192.0.2.30", "pass"],
  ["v=spf1 ptr -all", "192.0.2.31", "fail"],
  ["v=spf1 ptr -all", "192.0.2.32", "fail"],
  ["v=spf1 ptr:host.brackwater.example -all", "192.0.2.30", "pass"],
  ["v=spf1 ptr:ost.brackwater.example -all", "192.0.2.30", "fail"],
  ["v=spf1 exists:%{p}.seen.brackwater.example -all", "192.0.2.30", "pass", "host.brackwater.example.seen A 127.0.0.2"],
  ["v=spf1 exists:%{p}.seen.brackwater.example -all", "192.0.2.31", "pass", "unknown.seen A 127.0.0.2"],
  // The domain itself comes before a name below it, in whatever order they are answered (section 7.3).
  [
    "v=spf1 exists:%{p}.seen.brackwater.example -all",
    "192.0.2.33",
    "pass",
    "33.2.0.192.in-addr.arpa. PTR below.brackwater.example.\n33.2.0.192.in-addr.arpa. PTR brackwater.example.\nbelow A 192.0.2.33\n@ A 192.0.2.33\nbrackwater.example.seen A 127.0.0.2",
  ],
]);

rows("include and redirect (sections 5.2 and 6.1)", [
  ["v=spf1 include:i.brackwater.example ?all", "192.0.2.1", "neutral", 'i TXT "v=spf1 -all"'],
  ["v=spf1 include:i.brackwater.example ?all", "192.0.2.1", "neutral", 'i TXT "v=spf1 ~all"'],
  ["v=spf1 include:i.brackwater.example -all", "192.0.2.1", "fail", 'i TXT "v=spf1 ?all"'],
  ["v=spf1 include:i.brackwater.example -all", "192.0.2.1", "fail", 'i TXT "v=spf1"'],
  ["v=spf1 -include:i.brackwater.example +all", "192.0.2.1", "fail", 'i TXT "v=spf1 +all"'],
  ["v=spf1 include:i.brackwater.example -all", "192.0.2.1", "permerror", 'i TXT "v=spf1 -all"\ni TXT "v=spf1 +all"'],
  [
    "v=spf1 include:i.brackwater.example -all",
    "192.0.2.1",
    "pass",
    'i TXT "v=spf1 redirect=j.brackwater.example"\nj TXT "v=spf1 +all"',
  ],
  ["v=spf1 redirect=i.brackwater.example", "192.0.2.1", "softfail", 'i TXT "v=spf1 ~all"'],
  ["v=spf1 redirect=i.brackwater.example", "192.0.2.1", "neutral", 'i TXT "v=spf1"'],
  ["v=spf1 redirect=i.brackwater.example", "192.0.2.1", "permerror", 'i TXT "hello"'],
  ["v=spf1 redirect=i.brackwater.example", "192.0.2.1", "permerror", 'i TXT "v=spf1 ipv4:x"'],
  ["v=spf1 redirect=i.brackwater.example ip4:192.0.2.1", "192.0.2.1", "pass", 'i TXT "v=spf1 -all"'],
  ["v=spf1 include:alias2.brackwater.example -all", "192.0.2.1", "pass", 'alias2 CNAME i\ni TXT "v=spf1 +all"'],
]);

rows("appendix A.2: several domains with one policy", [
  [
    "v=spf1 include:org.example include:net.example -all",
    "192.0.2.65",
    "pass",
    'org.example. TXT "v=spf1 ip4:192.0.2.64/28 -all"\nnet.example. TXT "v=spf1 ip4:203.0.113.0/24 -all"',
  ],
  [
    "v=spf1 include:org.example include:net.example -all",
    "203.0.113.9",
    "pass",
    'org.example. TXT "v=spf1 ip4:192.0.2.64/28 -all"\nnet.example. TXT "v=spf1 ip4:203.0.113.0/24 -all"',
  ],
  [
    "v=spf1 include:org.example include:net.example -all",
    "198.51.100.9",
    "fail",
    'org.example. TXT "v=spf1 ip4:192.0.2.64/28 -all"\nnet.example. TXT "v=spf1 ip4:203.0.113.0/24 -all"',
  ],
  ["v=spf1 redirect=org.example", "192.0.2.65", "pass", 'org.example. TXT "v=spf1 ip4:192.0.2.64/28 -all"'],
]);

rows("a mistake anywhere is a permerror at once (sections 4.6 and 12)", [
  ["v=spf1 ip4:192.0.2.1 ipv4:192.0.2.2 -all", "192.0.2.1", "permerror"],
  ["v=spf1 +all foo", "192.0.2.1", "permerror"],
  ["v=spf1 ip4 -all", "192.0.2.1", "permerror"],
  ["v=spf1 ip4: -all", "192.0.2.1", "permerror"],
  ["v=spf1 ip4:192.0.2 -all", "192.0.2.1", "permerror"],
  ["v=spf1 ip4:192.0.2.256 -all", "192.0.2.1", "permerror"],
  ["v=spf1 ip4:192.0.2.1/33 -all", "192.0.2.1", "permerror"],
  ["v=spf1 ip4:192.0.2.1/ -all", "192.0.2.1", "permerror"],
  ["v=spf1 ip4:192.0.2.1//32 -all", "192.0.2.1", "permerror"],
  ["v=spf1 ip4:192.0.2.1/024 -all", "192.0.2.1", "permerror"],
  ["v=spf1 ip6:2001:db8::/129 -all", "192.0.2.1", "permerror"],
  ["v=spf1 ip6:2001:db8::g -all", "192.0.2.1", "permerror"],
  ["v=spf1 include -all", "192.0.2.1", "permerror"],
  ["v=spf1 include: -all", "192.0.2.1", "permerror"],
  ["v=spf1 include:i.brackwater.example/24 -all", "192.0.2.1", "permerror"],
  ["v=spf1 exists -all", "192.0.2.1", "permerror"],
  ["v=spf1 all:x -all", "192.0.2.1", "permerror"],
  ["v=spf1 a/33 -all", "192.0.2.1", "permerror"],
  ["v=spf1 a//129 -all", "192.0.2.1", "permerror"],
  ["v=spf1 a:/24 -all", "192.0.2.1", "permerror"],
  ["v=spf1 ptr/24 -all", "192.0.2.1", "permerror"],
  ["v=spf1 a:%{x}.example -all", "192.0.2.1", "permerror"],
  ["v=spf1 a:%{d.example -all", "192.0.2.1", "permerror"],
  ["v=spf1 a:%.example -all", "192.0.2.1", "permerror"],
  ["v=spf1 exists:%{c}.brackwater.example -all", "192.0.2.1", "permerror"],
  ["v=spf1 redirect= -all", "192.0.2.1", "permerror"],
  ["v=spf1 redirect=a.example redirect=b.example", "192.0.2.1", "permerror"],
  ["v=spf1 exp=a.example exp=b.example -all", "192.0.2.1", "permerror"],
  ["v=spf1 -all.", "192.0.2.1", "permerror"],
  ["v=spf1 !all", "192.0.2.1", "permerror"],
  ["v=spf1 ++all", "192.0.2.1", "permerror"],
]);

rows("what is not a mistake (sections 4.5, 6 and 12)", [
  ["v=spf1 moo=%{l} -all", "192.0.2.1", "fail"],
  ["v=spf1 moo= -all", "192.0.2.1", "fail"],
  ["v=spf1    ip4:192.0.2.1   -all", "192.0.2.1", "pass"],
  ["V=SPF1 +all", "192.0.2.1", "pass"],
  ["v=spf1 ip4:192.0.2.1 -all ", "192.0.2.2", "fail"],
  ["v=spf1 a:brackwater.example. -all", "192.0.2.10", "pass"],
  ["v=spf1 a:no-such-name.brackwater.example -all", "192.0.2.10", "fail"],
  ["v=spf2.0/pra +all", "192.0.2.1", "none"],
  ["v=spf1", "192.0.2.1", "neutral"],
]);

describe("identities (sections 2.3, 2.4 and 4.3)", () => {
  test.each<[string, { from?: string; helo?: string }, string]>([
    ["no local part is postmaster", { from: "brackwater.example" }, "pass"],
    ["a final dot", { from: "box@brackwater.example." }, "none"],
    ["the empty reverse path asks HELO", { from: "", helo: "brackwater.example" }, "pass"],
    ["a HELO without a dot", { from: "", helo: "localhost" }, "none"],
    ["a HELO that is an address literal", { from: "", helo: "[192.0.2.1]" }, "none"],
    ["a domain with an empty label", { from: "box@brackwater..example" }, "none"],
    ["a domain with an escape", { from: "box@exam\\ple.com" }, "none"],
    ["a domain with a number as escape", { from: "box@\\101xample.com" }, "none"],
    ["a domain with a space", { from: "box@exam ple.com" }, "none"],
    ["an address literal", { from: "box@[192.0.2.1]" }, "none"],
    ["an address literal as HELO of the empty reverse path", { from: "", helo: "[192.0.2.1]" }, "none"],
    ["a domain that does not exist", { from: "box@nobody.example" }, "none"],
  ])("%s", async (_, more, result) =>
    expect(allInWords((await check("v=spf1 +all", "192.0.2.1", "", more)).result)).toBe(result),
  );
  test("%{l} of an identity without a local part is postmaster", async () =>
    expect(
      allInWords(
        (
          await check("v=spf1 exists:%{l}.seen.brackwater.example -all", "192.0.2.1", "postmaster.seen A 127.0.0.2", {
            from: "brackwater.example",
          })
        ).result,
      ),
    ).toBe("pass"));
});

describe("bounds (section 4.6.4 and 11.1)", () => {
  test("10 000 includes that form a loop stop at the limit", async () => {
    const ring = Array.from(
      { length: 10_000 },
      (_, i) => `r${i} TXT "v=spf1 include:r${(i + 1) % 10_000}.brackwater.example -all"`,
    ).join("\n");
    expect(allInWords(await check("v=spf1 include:r0.brackwater.example -all", "192.0.2.1", ring))).toMatchObject({
      result: "permerror",
      lookups: 11,
    });
  });
  test("a record of 60 000 octets is judged", async () => {
    const strings = Array.from({ length: 4000 }, (_, i) => `"ip4:10.${i >> 8}.${i & 255}.1 "`).join(" ");
    const lookup = zoneLookup(
      zonesOf(readZone(`$TTL 60\n. SOA a. b. 1 1 1 1 60\nbrackwater.example. TXT "v=spf1 " ${strings} "-all"\n`)),
    );
    expect(allInWords((await checkSpf({ ip: "10.15.159.1", from: "a@brackwater.example", helo: "" }, lookup)).result)).toBe(
      "pass",
    );
  });
  test("macros that expand to giants are cut from the left to a name", async () => {
    const giant = `%{l}.`.repeat(60);
    const verdict = await check(`v=spf1 exists:${giant}brackwater.example -all`, "192.0.2.1", "", {
      from: `${"a".repeat(60)}@brackwater.example`,
    });
    expect(allInWords(verdict)).toMatchObject({ result: "fail", voidLookups: 1 });
  });
});
