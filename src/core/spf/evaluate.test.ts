import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { allInWords } from "../../present/clauses/index.ts";
import { verbatim } from "../clause/index.ts";
import { failed, type Lookup, zoneLookup } from "../lookup/index.ts";
import { readZone, zonesOf } from "../zone/index.ts";
import { checkSpf, expandMacros, fitName, type MacroContext } from "./index.ts";

/** The zone of RFC 7208 appendix A, and names for everything the sections below say. */
const ZONE = `$ORIGIN example.com.
$TTL 60
@ SOA a b 1 1 1 1 60
@ MX 10 mail-a
@ MX 20 mail-b
@ A 192.0.2.10
@ A 192.0.2.11
amy A 192.0.2.65
bob A 192.0.2.66
mail-a A 192.0.2.129
mail-b A 192.0.2.130
www CNAME example.com.
`;
const PTR = `$ORIGIN 2.0.192.in-addr.arpa.
$TTL 60
@ SOA a b 1 1 1 1 60
10 PTR example.com.
65 PTR amy.example.com.
66 PTR bob.example.com.
129 PTR mail-a.example.com.
130 PTR mail-b.example.com.
`;
const ORG = "$ORIGIN example.org.\n$TTL 60\n@ SOA a b 1 1 1 1 60\n@ MX 10 mail-c\nmail-c A 192.0.2.140\n";
const world = (records: string): Lookup =>
  zoneLookup([
    ...zonesOf(readZone(`${ZONE}${records}\n`)),
    ...zonesOf(readZone(PTR)),
    ...zonesOf(readZone(ORG)),
    ...zonesOf(readZone("$TTL 60\n. SOA a b 1 1 1 1 60\n")),
  ]);
const check = (record: string, ip: string, more: { records?: string; from?: string; helo?: string } = {}) =>
  checkSpf(
    { ip, from: more.from ?? "strong-bad@example.com", helo: more.helo ?? "mx.example.com" },
    world(`@ TXT "${record}"\n${more.records ?? ""}`),
  );

describe("RFC 7208 appendix A.1", () => {
  test.each<[string, string, string]>([
    ["v=spf1 +all", "203.0.113.9", "pass"],
    ["v=spf1 a -all", "192.0.2.10", "pass"],
    ["v=spf1 a -all", "192.0.2.11", "pass"],
    ["v=spf1 a -all", "192.0.2.65", "fail"],
    ["v=spf1 a:example.org -all", "192.0.2.10", "fail"],
    ["v=spf1 mx -all", "192.0.2.129", "pass"],
    ["v=spf1 mx -all", "192.0.2.130", "pass"],
    ["v=spf1 mx -all", "192.0.2.10", "fail"],
    ["v=spf1 mx:example.org -all", "192.0.2.140", "pass"],
    ["v=spf1 mx mx:example.org -all", "192.0.2.140", "pass"],
    ["v=spf1 mx/30 mx:example.org/30 -all", "192.0.2.131", "pass"],
    ["v=spf1 mx/30 mx:example.org/30 -all", "192.0.2.143", "pass"],
    ["v=spf1 mx/30 mx:example.org/30 -all", "192.0.2.144", "fail"],
    ["v=spf1 ptr -all", "192.0.2.10", "pass"],
    ["v=spf1 ptr -all", "192.0.2.65", "pass"],
    ["v=spf1 ptr -all", "192.0.2.140", "fail"],
    ["v=spf1 ip4:192.0.2.128/28 -all", "192.0.2.65", "fail"],
    ["v=spf1 ip4:192.0.2.128/28 -all", "192.0.2.129", "pass"],
  ])("%s from %s: %s", async (record, ip, result) => expect(allInWords((await check(record, ip)).result)).toBe(result));
});

describe("results, terms and limits (sections 2.6, 4 and 5)", () => {
  test.each<[string, string, { records?: string; from?: string; helo?: string }, string]>([
    ["v=spf1 ?all", "192.0.2.1", {}, "neutral"],
    ["v=spf1 ~all", "192.0.2.1", {}, "softfail"],
    ["v=spf1 ip4:192.0.2.1", "192.0.2.2", {}, "neutral"],
    ["v=spf1", "192.0.2.2", {}, "neutral"],
    ["v=spf1 ip4:192.0.2.0/0 -all", "203.0.113.1", {}, "pass"],
    ["v=spf1 ip4:192.0.2.1 -all", "::ffff:192.0.2.1", {}, "pass"],
    ["v=spf1 ip6:2001:db8::/32 -all", "2001:db8::1", {}, "pass"],
    ["v=spf1 ip6:2001:db8::/32 -all", "192.0.2.1", {}, "fail"],
    ["v=spf1 a:six.example.com//64 -all", "2001:db8:1::77", { records: "six AAAA 2001:db8:1::1" }, "pass"],
    ["v=spf1 a:six.example.com -all", "192.0.2.1", { records: "six AAAA 2001:db8:1::1" }, "fail"],
    ["v=spf1 ip4:192.0.2.1 ipv4:x -all", "192.0.2.1", {}, "permerror"],
    ["v=spf1 include:i.example.com -all", "192.0.2.1", { records: 'i TXT "v=spf1 ip4:192.0.2.1 -all"' }, "pass"],
    ["v=spf1 include:i.example.com ~all", "192.0.2.2", { records: 'i TXT "v=spf1 ip4:192.0.2.1 -all"' }, "softfail"],
    ["v=spf1 include:none.example.com -all", "192.0.2.2", {}, "permerror"],
    ["v=spf1 include:i.example.com -all", "192.0.2.2", { records: 'i TXT "v=spf1 foo -all"' }, "permerror"],
    ["v=spf1 redirect=r.example.com", "192.0.2.1", { records: 'r TXT "v=spf1 ip4:192.0.2.1 -all"' }, "pass"],
    ["v=spf1 redirect=r.example.com", "192.0.2.2", { records: 'r TXT "v=spf1 ip4:192.0.2.1 -all"' }, "fail"],
    ["v=spf1 redirect=none.example.com", "192.0.2.2", {}, "permerror"],
    ["v=spf1 redirect=r.example.com ?all", "192.0.2.2", { records: 'r TXT "v=spf1 -all"' }, "neutral"],
    ["v=spf1 exists:%{l}.e.example.com -all", "192.0.2.2", { records: "strong-bad.e A 127.0.0.2" }, "pass"],
    [
      "v=spf1 exists:%{ir}.e.example.com -all",
      "2001:db8::1",
      { records: `${[..."20010db8000000000000000000000001"].reverse().join(".")}.e A 127.0.0.2` },
      "pass",
    ],
    ["v=spf1 exists:%{d2}.e.example.com -all", "192.0.2.2", { records: "example.com.e A 127.0.0.2" }, "pass"],
    ["v=spf1 a:www.example.com -all", "192.0.2.10", {}, "pass"],
    [
      "v=spf1 mx:many.example.com -all",
      "192.0.2.2",
      { records: Array.from({ length: 10 }, (_, i) => `many MX ${i} amy`).join("\n") },
      "fail",
    ],
    [
      "v=spf1 mx:many.example.com -all",
      "192.0.2.2",
      { records: Array.from({ length: 11 }, (_, i) => `many MX ${i} h${i}\nh${i} A 192.0.2.${100 + i}`).join("\n") },
      "permerror",
    ],
    ["v=spf1 a:v1.example.com a:v2.example.com -all", "192.0.2.2", {}, "fail"],
    ["v=spf1 a:v1.example.com a:v2.example.com a:v3.example.com -all", "192.0.2.2", {}, "permerror"],
    [`v=spf1 ${Array.from({ length: 10 }, () => "a:amy.example.com").join(" ")} -all`, "192.0.2.2", {}, "fail"],
    [`v=spf1 ${Array.from({ length: 11 }, () => "a:amy.example.com").join(" ")} -all`, "192.0.2.2", {}, "permerror"],
    [`v=spf1 ${Array.from({ length: 11 }, () => "a:amy.example.com").join(" ")} -all`, "192.0.2.65", {}, "pass"],
    [
      "v=spf1 include:ring.example.com -all",
      "192.0.2.2",
      { records: 'ring TXT "v=spf1 include:ring.example.com -all"' },
      "permerror",
    ],
    ["v=spf1 -all", "192.0.2.2", { from: "", helo: "h.example.com", records: 'h TXT "v=spf1 ip4:192.0.2.2 -all"' }, "pass"],
    ["v=spf1 -all", "192.0.2.2", { from: "x@nothing.example.com" }, "none"],
    ["v=spf1 -all", "192.0.2.2", { from: "x@localhost" }, "none"],
    ["v=spf1 -all", "192.0.2.2", { from: `x@${"a".repeat(64)}.example.com` }, "none"],
    ["v=spf1 -all", "192.0.2.2", { records: '@ TXT "v=spf1 +all"' }, "permerror"],
    ["v=spf1 -all", "192.0.2.2", { records: '@ TXT "v=spf10 +all"' }, "fail"],
  ])("%s from %s %j: %s", async (record, ip, more, result) =>
    expect(allInWords((await check(record, ip, more)).result)).toBe(result),
  );

  test("a failing DNS is a temperror, kept apart from a permerror", async () => {
    const base = world('@ TXT "v=spf1 include:late.example.com -all"');
    const lookup: Lookup = {
      ask: async (name, type) => (name.startsWith("late.") ? failed("timeout", verbatim("late")) : base.ask(name, type)),
    };
    expect(allInWords(await checkSpf({ ip: "192.0.2.1", from: "a@example.com", helo: "h" }, lookup))).toMatchObject({
      result: "temperror",
      because: "late",
    });
  });
  test("counts, the deciding term and the way there", async () => {
    const verdict = await check("v=spf1 a:v1.example.com include:i.example.com -all", "192.0.2.1", {
      records: 'i TXT "v=spf1 mx ip4:192.0.2.1 -all"',
    });
    expect(allInWords(verdict)).toMatchObject({ result: "pass", mechanism: "include:i.example.com", lookups: 3, voidLookups: 2 });
    expect(allInWords(verdict.trace.map((step) => `${step.depth} ${step.term} ${step.outcome}`))).toEqual([
      "0 a:v1.example.com no-match",
      "1 mx no-match",
      "1 ip4:192.0.2.1 matches",
      "0 include:i.example.com matches",
    ]);
  });
});

describe("explanations (section 6.2)", () => {
  test.each<[string, string, string | undefined]>([
    [
      "v=spf1 -all exp=e.example.com",
      'e TXT "%{i} is not %{d}s, ask %{r} %% %_"',
      "192.0.2.9 is not example.coms, ask unknown %  ",
    ],
    ["v=spf1 ~all exp=e.example.com", 'e TXT "x"', undefined],
    ["v=spf1 -all exp=e.example.com", 'e TXT "a"\ne TXT "b"', undefined],
    ["v=spf1 -all exp=e.example.com", 'e TXT "caf\\195\\169"', undefined],
    ["v=spf1 -all exp=none.example.com", "", undefined],
    ["v=spf1 -all exp=e.example.com", 'e TXT "half %{i"', undefined],
    ["v=spf1 -all exp=e.example.com", 'e TXT "%{d0}"', undefined],
    ["v=spf1 -all exp=e.example.com", 'e TXT "100 % sure"', undefined],
    ["v=spf1 -all exp=e.example.com", 'e TXT "%%{d}"', "%{d}"],
    [
      "v=spf1 include:i.example.com -all exp=e.example.com",
      'i TXT "v=spf1 -all exp=j.example.com"\nj TXT "inner"\ne TXT "outer"',
      "outer",
    ],
    [
      "v=spf1 redirect=i.example.com exp=e.example.com",
      'i TXT "v=spf1 -all exp=j.example.com"\nj TXT "inner"\ne TXT "outer"',
      "inner",
    ],
  ])("%s, %j: %s", async (record, records, explanation) =>
    expect(allInWords((await check(record, "192.0.2.9", { records })).explanation)).toBe(explanation),
  );
});

describe("macros (section 7.4)", () => {
  const context = (version: 4 | 6): MacroContext => ({
    local: "strong-bad",
    senderDomain: "email.example.com",
    domain: "email.example.com",
    helo: "mx.example.com",
    ip:
      version === 4
        ? { version: 4, text: "192.0.2.3", nibbles: "c0000203" }
        : { version: 6, text: "2001:db8::cb01", nibbles: "20010db800000000000000000000cb01" },
    validated: async () => "unknown",
  });
  test.each<[string, string]>([
    ["%{s}", "strong-bad@email.example.com"],
    ["%{o}", "email.example.com"],
    ["%{d}", "email.example.com"],
    ["%{d4}", "email.example.com"],
    ["%{d3}", "email.example.com"],
    ["%{d2}", "example.com"],
    ["%{d1}", "com"],
    ["%{dr}", "com.example.email"],
    ["%{d2r}", "example.email"],
    ["%{l}", "strong-bad"],
    ["%{l-}", "strong.bad"],
    ["%{lr}", "strong-bad"],
    ["%{lr-}", "bad.strong"],
    ["%{l1r-}", "strong"],
    ["%{ir}.%{v}._spf.%{d2}", "3.2.0.192.in-addr._spf.example.com"],
    ["%{lr-}.lp._spf.%{d2}", "bad.strong.lp._spf.example.com"],
    ["%{lr-}.lp.%{ir}.%{v}._spf.%{d2}", "bad.strong.lp.3.2.0.192.in-addr._spf.example.com"],
    ["%{ir}.%{v}.%{l1r-}.lp._spf.%{d2}", "3.2.0.192.in-addr.strong.lp._spf.example.com"],
    ["%{d2}.trusted-domains.example.net", "example.com.trusted-domains.example.net"],
    ["%{p}", "unknown"],
    ["%{S}%%%_%-", "strong-bad%40email.example.com% %20"],
  ])("%s is %s", async (text, expanded) => expect(allInWords(await expandMacros(text, context(4)))).toBe(expanded));
  test("an IPv6 address in nibbles", async () => {
    expect(allInWords(await expandMacros("%{ir}.%{v}._spf.%{d2}", context(6)))).toBe(
      "1.0.b.c.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.8.b.d.0.1.0.0.2.ip6._spf.example.com",
    );
  });
  test("expansion never throws, and a fitted name never has more than 253 characters", async () => {
    const word = fc.constantFrom("%{s}", "%{l9r+-./}", "%{d0}", "%{", "}", "%", "%%", "%{i}", "a", ".", "%{H1}", "é");
    await fc.assert(
      fc.asyncProperty(fc.array(word, { maxLength: 80 }), async (words) => {
        expect(allInWords(fitName(await expandMacros(words.join(""), context(4))).length)).toBeLessThanOrEqual(253);
      }),
    );
    expect(allInWords(fitName(`${"a.".repeat(200)}end`).length)).toBeLessThanOrEqual(253);
  });
});
