import { describe, expect, test } from "@jest/globals";
import { allInWords } from "../../present/clauses/index.ts";
import { type Ask, absentOf, type DnsWant, dnsWants, look, type Want, wantsOf } from "../ask/index.ts";
import { verbatim } from "../clause/index.ts";
import { failed, type Lookup, zoneLookup } from "../lookup/index.ts";
import { name } from "../name/index.ts";
import { printData } from "../record/index.ts";
import { visibleBy } from "../spread/index.ts";
import { readRecords, readZone, zonesOf } from "../zone/index.ts";
import { draftCacheWindow, makeDraft, pending } from "./index.ts";

const apex = name("brackwater.example");
const LIVE = `$TTL 1h
@ SOA ns1 hostmaster 1 2h 15m 2w 5m
@ NS ns1
ns1 A 192.0.2.53
@ 30m TXT "v=spf1 -all"
@ MX 10 mx1.inglemail.example.
www CNAME parked.nettlehost.example.
box A 192.0.2.20
shop NS ns1.elsewhere.test.
led DNAME led.elsewhere.test.
*.tour 10m TXT "wild"
@ CAA 0 issue "sealbarrow.example"
old AAAA 2001:db8::80
silent MX 0 .
`;
const WORLD = zonesOf(
  readZone(
    `$TTL 60\n$ORIGIN example.\n@ SOA a b 1 1 1 1 1\nspf.heronpost TXT "v=spf1 ip4:192.0.2.0/24 -all"\nspf.dear TXT "v=spf1 ${"a:x.example ".repeat(9)}-all"\nmx1.inglemail A 192.0.2.25\nmx.alias CNAME mx1.inglemail\n`,
  ),
);
const live = (text = LIVE): Lookup => zoneLookup(zonesOf(readZone(text, { origin: apex })));
const ask = (id: string, records: string, ...wants: Want[]): Ask => ({
  id,
  service: "s",
  purpose: "site",
  domain: apex,
  after: [],
  wants: [...wantsOf(readRecords(records, { origin: apex, ttl: 3600 }).records), ...wants],
});
const draft = (asks: Ask[], more: { lookup?: Lookup; world?: Lookup; replace?: string[]; all?: Ask[]; own?: string[] } = {}) =>
  makeDraft({
    domain: apex,
    asks,
    lookup: more.lookup ?? live(),
    world: more.world ?? zoneLookup(WORLD),
    replace: new Set((more.replace ?? []).map((one) => name(one, apex))),
    provenanceOf: () => verbatim("somebody else"),
    ...(more.all === undefined ? {} : { all: more.all }),
    isOwn: (set) => set.data.length > 0 && set.data.every((data) => more.own?.includes(printData(set.type, data)) === true),
  });
const gone = (id: string, records: string, gone: string): Ask => ({
  ...ask(id, records),
  wants: [...ask(id, records).wants, ...absentOf(readRecords(gone, { origin: apex, ttl: 3600 }).records)],
});
/** The draft in one line a change: what happens to which set, and what it holds afterwards. */
const lines = ({ changes }: Awaited<ReturnType<typeof draft>>) =>
  changes.map(({ action, name: of, type, after }) =>
    `${action} ${of} ${type} ${after?.data.map((data) => printData(type, data)).join(", ") ?? ""}`.trim(),
  );

describe("what leads browsers and issuers elsewhere", () => {
  const at = (records: string) => live(`${LIVE}${records}\n`);
  const kinds = async (there: string, ...asked: Ask[]) =>
    (await draft(asked, { lookup: at(there) })).clashes.map(({ kind, contradicts }) => `${kind}${contradicts ? " met" : ""}`);

  test.each<[string, string, string, string[]]>([
    ["alias mode", "two A 192.0.2.2\ntwo HTTPS 0 old.elsewhere.test.", "two A 192.0.2.2", ["leads-elsewhere met"]],
    ["another target", "two HTTPS 1 old.elsewhere.test. alpn=h2", "two A 192.0.2.2", ["leads-elsewhere"]],
    ["a hint at the old address", "two HTTPS 1 . ipv4hint=192.0.2.9", "two A 192.0.2.2", ["leads-elsewhere"]],
    ["a hint at one old and one new", "two HTTPS 1 . ipv4hint=192.0.2.2,192.0.2.9", "two A 192.0.2.2", ["leads-elsewhere"]],
    [
      "hints at what is asked",
      "two HTTPS 1 . ipv4hint=192.0.2.2 ipv6hint=2001:db8::2",
      "two A 192.0.2.2\ntwo AAAA 2001:db8::2",
      [],
    ],
    ["itself by its name", "two HTTPS 1 two.brackwater.example. alpn=h2", "two A 192.0.2.2", []],
    ["no address at all", "two HTTPS 1 . alpn=h3", "two A 192.0.2.2", []],
    ["an alias where it stands", "two HTTPS 1 . alpn=h3", "two CNAME x.nettlehost.example.", ["alias-beside-data"]],
  ])("HTTPS with %s", async (_, there, asked, expected) => {
    expect(await kinds(there, ask("a", asked))).toEqual(expected);
  });

  test.each<[string, string, string, string[]]>([
    [
      "www has a set of its own",
      'www2 A 192.0.2.1\nwww.sub CAA 0 issue "other.example"',
      'sub CAA 0 issue "new.example"',
      ["issuer-forbidden"],
    ],
    ["that names the issuer too", 'www.sub CAA 0 issue "new.example"', 'sub CAA 0 issue "new.example"', []],
    [
      "although what is asked is there",
      'sub CAA 0 issue "new.example"\nwww.sub CAA 0 issue ";"',
      'sub CAA 0 issue "new.example"',
      ["issuer-forbidden met"],
    ],
    ["that only tells where to report", 'www.sub CAA 0 iodef "mailto:a@b.example"', 'sub CAA 0 issue "new.example"', []],
    ["a property nobody understands", 'sub CAA 128 tbs "x"', 'sub CAA 0 issue "new.example"', ["issuer-forbidden"]],
    ["nobody may, until now", 'sub CAA 0 issue ";"', 'sub CAA 0 issue "new.example"', []],
  ])("CAA where %s", async (_, there, asked, expected) => {
    expect(await kinds(there, ask("a", asked))).toEqual(expected);
  });

  test("a site that another ask wants counts as well", async () => {
    const there = 'shop2 CAA 0 issue "other.example"';
    const asks = [ask("caa", '@ CAA 0 issue "new.example"'), ask("shop", "shop2 A 192.0.2.1")];
    expect(await kinds(there, ...asks)).toEqual(["issuer-forbidden"]);
  });

  test.each<[string, string, string]>([
    ["CAA of the site", 'sub CAA 0 issue "new.example"', "www.sub.brackwater.example. CAA"],
    ["HTTPS", "two A 192.0.2.2", "two.brackwater.example. HTTPS"],
    ["an address of the other kind", "two A 192.0.2.2", "two.brackwater.example. AAAA"],
  ])("%s that could not be asked about is not taken for missing", async (_, asked, silent) => {
    const zone = live();
    const lookup: Lookup = {
      ask: async (of, type) => (`${of} ${type}` === silent ? failed("unreachable", verbatim("silence")) : zone.ask(of, type)),
    };
    const { changes, undetermined } = await draft([ask("a", asked)], { lookup });
    expect(changes).toEqual([]);
    expect(undetermined.map(({ asks }) => asks)).toEqual([["a"]]);
  });

  test("records nearer to a name say which ones counted until now", async () => {
    const { changes } = await draft([ask("a", 'sub CAA 0 issue "new.example"')]);
    // The domain itself has a CAA record, which counted below it.
    expect(allInWords(changes[0]?.because)).toContain("the CAA records of brackwater.example count for sub.brackwater.example");
  });

  test("the first issuer says whom it shuts out", async () => {
    const lookup = live(LIVE.replace(/^@ CAA.*\n/m, ""));
    const { changes } = await draft([ask("a", 'sub CAA 0 issue "new.example"')], { lookup });
    expect(allInWords(changes[0]?.because)).toContain("from then on only the ones named");
  });
});

describe("a wildcard that a new record ends", () => {
  const at = (records: string) => live(`${LIVE}${records}\n`);
  const wild = "*.w A 192.0.2.7\n*.w AAAA 2001:db8::7";

  test("what it did for the name is added beside the new record", async () => {
    const asks = [ask("site", "shop.w A 192.0.2.7"), ask("token", '_pw.shop.w TXT "t"')];
    expect(lines(await draft(asks, { lookup: at(wild) }))).toEqual([
      "add shop.w.brackwater.example. A 192.0.2.7",
      'add _pw.shop.w.brackwater.example. TXT "t"',
    ]);
  });

  test("and stays where nothing new is there", async () => {
    const asks = [ask("site", "shop.w A 192.0.2.7\nshop.w AAAA 2001:db8::7")];
    expect(lines(await draft(asks, { lookup: at(wild) }))).toEqual([
      "keep shop.w.brackwater.example. A 192.0.2.7",
      "keep shop.w.brackwater.example. AAAA 2001:db8::7",
    ]);
  });
});

describe("wanted means that nothing else is there", () => {
  const at = (records: string) => live(`${LIVE}${records}\n`);
  test.each<[string, string, Ask, string]>([
    ["an older address beside the new one", "two A 192.0.2.1\ntwo A 192.0.2.2", ask("a", "two A 192.0.2.2"), "leftover-value"],
    [
      "the mail server of the former host",
      "in MX 10 a.example.\nin MX 20 b.example.",
      ask("a", "in MX 10 a.example."),
      "leftover-value",
    ],
    ["an IPv6 address at a site", "two A 192.0.2.2\ntwo AAAA 2001:db8::1", ask("a", "two A 192.0.2.2"), "leftover-address"],
    [
      "a second DMARC record",
      '_dmarc TXT "v=DMARC1; p=none"\n_dmarc TXT "v=DMARC1; p=reject"',
      ask("a", '_dmarc TXT "v=DMARC1; p=none"'),
      "second-dmarc",
    ],
  ])("%s is said until it is gone", async (_, there, asked, kind) => {
    const { clashes, changes } = await draft([asked], { lookup: at(there) });
    expect(allInWords(clashes)).toMatchObject([{ kind, ask: "a" }]);
    expect(allInWords(changes)).toEqual([]);
  });
  test("a larger set that holds the old one loses nothing", async () => {
    const result = await draft([ask("a", "two A 192.0.2.1\ntwo A 192.0.2.2")], { lookup: at("two A 192.0.2.1") });
    expect(allInWords(result.clashes)).toEqual([]);
    expect(allInWords(lines(result))).toEqual(["merge two.brackwater.example. A 192.0.2.1, 192.0.2.2"]);
  });
  test("what another ask needs is never taken for a leftover, nor removed for one that is published alone", async () => {
    const [a, b] = [ask("a", "two A 192.0.2.1"), ask("b", "two A 192.0.2.2")];
    const result = await draft([a], { all: [a, b], lookup: at("two A 192.0.2.2"), replace: ["two"] });
    expect(allInWords(lines(result))).toEqual(["merge two.brackwater.example. A 192.0.2.2, 192.0.2.1"]);
    const alias = ask("c", "two CNAME sites.pagewick.example.");
    const both = await draft([alias], { all: [alias, b], lookup: at("two A 192.0.2.2"), replace: ["two"] });
    expect(allInWords(both.clashes)).toMatchObject([{ kind: "asks-disagree", because: expect.stringContaining("c and b") }]);
  });
  test("what a page says to remove goes where it is there and nobody needs it, and makes room", async () => {
    const room = await draft([gone("a", "box CNAME sites.pagewick.example.", "box A 192.0.2.20")]);
    expect(allInWords(room.clashes)).toEqual([]);
    expect(allInWords(lines(room))).toEqual([
      "remove box.brackwater.example. A",
      "add box.brackwater.example. CNAME sites.pagewick.example.",
    ]);
    expect(allInWords(lines(await draft([gone("a", "", "box A 192.0.2.20")])))).toEqual(["remove box.brackwater.example. A"]);
    expect(allInWords(lines(await draft([gone("a", "", "box A 192.0.2.77")])))).toEqual([]);
    expect(allInWords(lines(await draft([gone("a", "", "box A 192.0.2.20"), ask("b", "box A 192.0.2.20")])))).toEqual([
      "keep box.brackwater.example. A 192.0.2.20",
    ]);
  });
  test("a delegation that is asked for is there once the cut is (RFC 1034 section 4.2.1)", async () => {
    const asked = [ask("a", "box-tickets NS ns1.heronpost.example.")];
    expect(allInWords(lines(await draft(asked)))).toEqual(["add box-tickets.brackwater.example. NS ns1.heronpost.example."]);
    const there = at("box-tickets NS ns1.heronpost.example.");
    expect(allInWords(lines(await draft(asked, { lookup: there })))).toEqual([
      "keep box-tickets.brackwater.example. NS ns1.heronpost.example.",
    ]);
    const [wanted] = dnsWants(asked[0]?.wants ?? []) as [DnsWant];
    const seen = await look([wanted], [{ name: "ns1", role: "authoritative", lookup: there }]);
    expect(seen.map(({ sees }) => sees)).toEqual(["new"]);
    const other = await look(
      [wanted],
      [{ name: "ns1", role: "authoritative", lookup: at("box-tickets NS ns9.heronpost.example.") }],
    );
    expect(other.map(({ sees }) => sees)).toEqual(["old"]);
  });
  test("what a page says to remove goes also where the same page adds something beside it", async () => {
    const both = await draft([gone("a", '_t TXT "new"', '_t TXT "old"')], { lookup: at('_t TXT "old"\n_t TXT "other"') });
    expect(allInWords(lines(both))).toEqual(['replace _t.brackwater.example. TXT "other", "new"']);
    // What another ask needs stays.
    const needed = await draft([gone("a", '_t TXT "new"', '_t TXT "old"'), ask("b", '_t TXT "old"')], {
      lookup: at('_t TXT "old"'),
    });
    expect(allInWords(lines(needed))).toEqual(['merge _t.brackwater.example. TXT "old", "new"']);
  });
  test("a new version of what Zandrel put there is an update; what somebody else put there is not", async () => {
    const asks = [ask("a", "box A 192.0.2.99")];
    expect(allInWords(lines(await draft(asks, { own: ["192.0.2.20"] })))).toEqual([
      "replace box.brackwater.example. A 192.0.2.99",
    ]);
    expect(allInWords((await draft(asks)).clashes)).toMatchObject([{ kind: "other-value" }]);
    const policy = [ask("p", '_dmarc TXT "v=DMARC1; p=reject"')];
    const there = at('_dmarc TXT "v=DMARC1; p=none"');
    expect(allInWords(lines(await draft(policy, { lookup: there, own: ['"v=DMARC1; p=none"'] })))).toEqual([
      'replace _dmarc.brackwater.example. TXT "v=DMARC1; p=reject"',
    ]);
    // A policy that somebody else put there is united with what is asked, and not pushed out.
    const reported = at('_dmarc TXT "v=DMARC1; p=none; rua=mailto:a@x.test"');
    expect(allInWords(lines(await draft(policy, { lookup: reported })))).toEqual([
      'merge _dmarc.brackwater.example. TXT "v=DMARC1; p=reject; rua=mailto:a@x.test"',
    ]);
  });
  test("a policy of one's own and one that a service asks for become one record, and stay it", async () => {
    const asks = [
      ask("own", '_dmarc TXT "v=DMARC1; p=none; rua=mailto:a@x.test"'),
      ask("service", '_dmarc TXT "v=DMARC1; p=quarantine; rua=mailto:b@y.test"'),
    ];
    const united = "v=DMARC1; p=quarantine; rua=mailto:a@x.test,mailto:b@y.test";
    expect(allInWords(lines(await draft(asks)))).toEqual([`add _dmarc.brackwater.example. TXT "${united}"`]);
    for (const text of [united, united.replaceAll("; ", ";")])
      expect(allInWords(lines(await draft(asks, { lookup: at(`_dmarc TXT "${text}"`), own: [`"${text}"`] })))).toEqual([
        `keep _dmarc.brackwater.example. TXT "${text}"`,
      ]);
  });
  test("policies that contradict each other are a clash", async () => {
    const asks = [ask("a", '_dmarc TXT "v=DMARC1; p=none; adkim=s"'), ask("b", '_dmarc TXT "v=DMARC1; p=none; adkim=r"')];
    expect(allInWords((await draft(asks)).clashes)).toMatchObject([
      { kind: "second-dmarc", because: expect.stringContaining("adkim=") },
      { kind: "second-dmarc" },
    ]);
  });
  test("a record of its own that would end a wildcard's answers is a clash, also for the names between", async () => {
    const lookup = at("*.go A 192.0.2.9");
    expect(allInWords((await draft([ask("a", "x.go TXT t")], { lookup })).clashes)).toMatchObject([
      { kind: "ends-wildcard", breaks: expect.stringContaining("x.go.brackwater.example") },
    ]);
    expect(allInWords((await draft([ask("a", "_pw.x.go TXT t")], { lookup })).clashes)).toMatchObject([
      { kind: "ends-wildcard", name: "_pw.x.go.brackwater.example." },
    ]);
    expect(allInWords((await draft([ask("a", "_pw.go TXT t")], { lookup })).clashes)).toEqual([]);
  });
  test("a wildcard that answers with what is asked needs no record beside it", async () => {
    expect(allInWords(lines(await draft([ask("a", "x.go A 192.0.2.9")], { lookup: at("*.go A 192.0.2.9") })))).toEqual([
      "keep x.go.brackwater.example. A 192.0.2.9",
    ]);
    // A record of its own with the wildcard's very data is told apart from it, and may be changed.
    const both = at("*.go A 192.0.2.9\nx.go A 192.0.2.9");
    expect(allInWords((await draft([ask("a", "x.go A 192.0.2.8")], { lookup: both })).clashes)).toMatchObject([
      { kind: "other-value" },
    ]);
  });
  test("what breaks is said truly", async () => {
    const mail = at("@ MX 20 box");
    expect(allInWords((await draft([ask("a", "box CNAME x.test.")], { lookup: mail })).clashes[0]?.breaks)).toContain(
      "mail for all of brackwater.example stops",
    );
    const key = at('k1._domainkey TXT "v=DKIM1; p=AAAA"');
    expect(
      allInWords((await draft([ask("a", "k1._domainkey CNAME k.heronpost.example.")], { lookup: key })).clashes[0]?.breaks),
    ).toContain("mail signed with the key");
  });
});

describe("an address of the other kind", () => {
  test.each<[string, string[], string[]]>([
    ["that nobody asked for is in the way", ["old A 192.0.2.99"], ["leftover-address"]],
    ["that is asked for as well is not", ["old A 192.0.2.99", "old AAAA 2001:db8::99"], ["other-value"]],
    ["that stays beside an address that is there already still is", ["both A 192.0.2.21"], ["leftover-address"]],
    ["of another name is not", ["elsewhere A 192.0.2.99"], []],
  ])("%s", async (_, records, kinds) => {
    const lookup = live(`${LIVE}both A 192.0.2.21\nboth AAAA 2001:db8::21\n`);
    const { clashes } = await draft([ask("a", records.join("\n"))], { lookup });
    expect(allInWords(clashes.map((clash) => clash.kind))).toEqual(kinds);
  });
});

describe("changes", () => {
  test.each<[string, string, string, string, number]>([
    ["a token beside SPF is merged, keeping the set's TTL", '@ TXT "token"', "merge", '"v=spf1 -all" "token"', 1800],
    ["a new name is added", "_x CNAME y.sealbarrow.example.", "add", "y.sealbarrow.example.", 300],
    ["a name under a wildcard gets its own", 'x.tour TXT "own"', "add", '"own"', 600],
    [
      "another issuer beside the first",
      '@ CAA 0 issue "other.example"',
      "merge",
      '0 issue "sealbarrow.example" 0 issue "other.example"',
      3600,
    ],
  ])("%s", async (_, records, action, after, cacheWindow) => {
    const { changes, clashes } = await draft([ask("a", records)]);
    expect(allInWords(clashes)).toEqual([]);
    expect(allInWords(changes)).toMatchObject([{ action, asks: ["a"], cacheWindow: { seconds: cacheWindow } }]);
    const set = changes[0]?.after;
    expect(allInWords(set?.data.map((data) => printData(set.type, data)).join(" "))).toBe(after);
    if (action === "merge") expect(allInWords(set?.ttl)).toBe(changes[0]?.before?.ttl);
  });

  test("a wildcard is recognised over the wire, where the answer does not say that it is one", async () => {
    const files = live();
    const wire: Lookup = {
      async ask(of, type) {
        const { wildcard: _, ...answer } = (await files.ask(of, type)) as { wildcard?: unknown } & Awaited<
          ReturnType<Lookup["ask"]>
        >;
        return answer;
      },
    };
    const { changes } = await draft([ask("a", 'x.tour TXT "own"')], { lookup: wire });
    expect(allInWords(changes)).toMatchObject([
      { action: "add", before: undefined, cacheWindow: { rule: "wildcard-ttl", seconds: 600 } },
    ]);
  });

  test("what is there already is kept, and nothing is pending", async () => {
    const result = await draft([ask("a", '@ TXT "v=spf1 -all"\nbox A 192.0.2.20')]);
    expect(allInWords(result.changes.map((change) => change.action))).toEqual(["keep", "keep"]);
    expect(allInWords(pending(result))).toEqual([]);
    expect(draftCacheWindow(result)).toBeUndefined();
  });

  test("two asks for one record publish it once", async () => {
    const { changes } = await draft([ask("a", "_c CNAME x.sealbarrow.example."), ask("b", "_c CNAME x.sealbarrow.example.")]);
    expect(allInWords(changes)).toMatchObject([{ action: "add", asks: ["a", "b"] }]);
    expect(changes[0]?.after?.data).toHaveLength(1);
  });

  test("when everyone sees it is decided by what is kept longest", async () => {
    const cacheWindow = draftCacheWindow(await draft([ask("a", '@ TXT "token"'), ask("b", "_x CNAME y.test.")]));
    expect(allInWords(cacheWindow)).toMatchObject({ seconds: 1800, rule: "set-ttl" });
    expect(allInWords(visibleBy(Date.parse("2026-03-02T09:00:00Z"), cacheWindow!))).toBe(Date.parse("2026-03-02T09:30:00Z"));
  });
});

describe("policy records: one of each (RFC 7208 section 3.2, RFC 7489 section 6.6.3)", () => {
  const texts = (set: { data: readonly unknown[] } | undefined) =>
    (set?.data as { strings: string[] }[] | undefined)?.map((data) => data.strings.join(""));
  test("SPF terms are merged in front of all, and a token stays beside them", async () => {
    const { changes, clashes } = await draft([
      ask("h", '@ TXT "v=spf1 include:spf.heronpost.example ~all"'),
      ask("t", '@ TXT "token"'),
    ]);
    expect(allInWords(clashes)).toEqual([]);
    expect(allInWords(changes)).toMatchObject([{ action: "merge", asks: ["h", "t"] }]);
    expect(allInWords(texts(changes[0]?.after))).toEqual(["token", "v=spf1 include:spf.heronpost.example -all"]);
  });
  test("terms that are there already need nothing", async () => {
    expect(allInWords((await draft([ask("h", '@ TXT "v=spf1 ~all"')])).changes)).toMatchObject([{ action: "keep" }]);
  });
  test("the first SPF record of a name", async () => {
    expect(
      allInWords(texts((await draft([ask("h", 'bounce TXT "v=spf1 include:spf.heronpost.example ~all"')])).changes[0]?.after)),
    ).toEqual(["v=spf1 include:spf.heronpost.example ~all"]);
  });
  test.each<[string, string, string, string, string]>([
    [
      "two SPF records",
      '@ TXT "v=spf1 mx -all"\n@ TXT "v=spf1 a ~all"',
      '@ TXT "v=spf1 ptr ~all"',
      "second-spf",
      "v=spf1 mx a ptr -all",
    ],
    [
      "two DMARC records",
      '_dmarc TXT "v=DMARC1; p=none; rua=mailto:a@x.test"\n_dmarc TXT "v=DMARC1; p=none"',
      '_dmarc TXT "v=DMARC1; p=none; rua=mailto:b@x.test"',
      "second-dmarc",
      "v=DMARC1; p=none; rua=mailto:b@x.test",
    ],
  ])("%s are a clash, and --replace makes one of them", async (_, there, wanted, kind, one) => {
    const lookup = live(`${LIVE}${there}\n`.replace('@ 30m TXT "v=spf1 -all"\n', ""));
    const { changes, clashes } = await draft([ask("a", wanted)], { lookup });
    expect(allInWords(clashes)).toMatchObject([
      { kind, options: expect.arrayContaining([expect.stringContaining("--replace")]) },
    ]);
    expect(allInWords(changes)).toEqual([]);
    const replaced = await draft([ask("a", wanted)], { lookup, replace: [wanted.split(" ")[0] as string] });
    expect(allInWords(replaced.clashes)).toEqual([]);
    expect(allInWords(texts(replaced.changes[0]?.after))).toEqual([one]);
  });
  test("an include that could not be asked is never counted as free", async () => {
    const world: Lookup = { ask: async () => failed("timeout", verbatim("late")) };
    const { changes } = await draft([ask("a", '@ TXT "v=spf1 include:spf.heronpost.example ~all"')], { world });
    expect(allInWords(changes[0]?.because)).toContain(
      "at least 1 of 10 lookups, because those of spf.heronpost.example could not be counted",
    );
  });
  test("a stricter DMARC record satisfies a minimum", async () => {
    const lookup = live(`${LIVE}_dmarc TXT "v=DMARC1; p=reject; rua=mailto:a@x.test"\n`);
    const minimum: Want = { kind: "dmarc-minimum", name: name("_dmarc", apex), type: "TXT", ttl: 3600, policy: "none" };
    expect(allInWords((await draft([ask("a", "", minimum)], { lookup })).changes)).toMatchObject([{ action: "keep" }]);
    // A whole record that another ask wants is strict enough, and is not given up for the minimum.
    const both = await draft([ask("a", '_dmarc TXT "v=DMARC1; p=none; rua=mailto:a@x.test"'), ask("b", "", minimum)]);
    expect(allInWords(both.changes.map(({ after }) => after?.data))).toEqual([
      [{ strings: ["v=DMARC1; p=none; rua=mailto:a@x.test"] }],
    ]);
    // So it does a pasted record that asks for no more.
    expect(allInWords((await draft([ask("a", '_dmarc TXT "v=DMARC1; p=none"')], { lookup })).changes)).toMatchObject([
      { action: "keep" },
    ]);
  });
  test("an SPF record that cannot be read is not merged into", async () => {
    const lookup = live(LIVE.replace("v=spf1 -all", "v=spf1 ipv4:192.0.2.1 -all"));
    expect(allInWords((await draft([ask("a", '@ TXT "v=spf1 mx ~all"')], { lookup })).clashes)).toMatchObject([
      { kind: "broken-spf" },
    ]);
  });
  test.each([
    ['@ TXT "v=spf1 ipv4:192.0.2.1 -all"', "SPF", "perhaps ip4:192.0.2.1 is meant"],
    ['_dmarc TXT "v=DMARC1; p=quarrantine"', "DMARC", "perhaps p=quarantine is meant"],
    ['_dmarc TXT "v=DMARC1"', "DMARC", "p= is missing"],
  ])("%s is not put beside what is there: receivers would not take it", async (line, standard, why) => {
    const { changes, clashes } = await draft([ask("a", line)]);
    expect([changes, allInWords(clashes)]).toMatchObject([
      [],
      [{ kind: "asked-broken", because: expect.stringMatching(new RegExp(`the ${standard} record .*${why}`)) }],
    ]);
  });
  test("two records that nobody can read are named, and nothing is united from them", async () => {
    const asks = [ask("a", '_dmarc TXT "v=DMARC1; p=quarrantine"'), ask("b", '_dmarc TXT "v=DMARC1; p=rejct"')];
    expect(allInWords((await draft(asks)).clashes)).toMatchObject([{ kind: "asked-broken" }, { kind: "asked-broken" }]);
  });
  test("a policy is not a signing key, although both have a p= tag", async () => {
    const { changes } = await draft([ask("a", '_dmarc TXT "v=DMARC1; p=none; rua=mailto:a@x.test"')]);
    expect(allInWords(changes)).toMatchObject([{ because: expect.stringContaining("the first DMARC record there") }]);
    expect(JSON.stringify(allInWords(changes))).not.toContain("DKIM");
  });
  test("over ten lookups is a clash that names the costliest term", async () => {
    const asks = [ask("a", '@ TXT "v=spf1 include:spf.dear.example mx ~all"')];
    expect(allInWords((await draft(asks)).clashes)).toMatchObject([
      {
        kind: "spf-over-limit",
        because: expect.stringContaining("11 lookups"),
        options: [expect.stringContaining("include:spf.dear.example costs 10"), expect.any(String)],
      },
    ]);
  });
});

describe("clashes", () => {
  test.each<[string, Ask[], string, string]>([
    ["a text at a name that is an alias", [ask("a", 'www TXT "t"')], "alias-in-the-way", "parked.nettlehost.example"],
    ["an alias at the apex", [ask("a", "@ CNAME sites.pagewick.example.")], "alias-at-apex", "whole zone"],
    ["an alias beside an address", [ask("a", "box CNAME sites.pagewick.example.")], "alias-beside-data", "192.0.2.20"],
    ["an alias with another target", [ask("a", "www CNAME sites.pagewick.example.")], "other-value", "parked.nettlehost.example"],
    ["another address", [ask("a", "box A 192.0.2.99")], "other-value", "192.0.2.20"],
    ["a domain that takes no mail", [ask("a", "silent MX 10 mx1.inglemail.example.")], "null-mx", "starts to take mail"],
    ["another mail server", [ask("a", "@ MX 10 mx.other.test.")], "other-value", "mail to brackwater.example"],
    ["two asks, two targets", [ask("a", "x CNAME a.test."), ask("b", "x CNAME b.test.")], "asks-disagree", "nothing yet"],
    ["an alias and a text asked at one name", [ask("a", "x CNAME a.test."), ask("b", "x TXT t")], "asks-disagree", "nothing yet"],
    ["two asks, two TTLs for one new set", [ask("a", "x 300 TXT a"), ask("b", "x TXT b")], "ttl-disagrees", "nothing yet"],
    ["a name below a DNAME", [ask("a", "x.led TXT t")], "below-dname", "every name below led.brackwater.example"],
    ["a name below a zone cut", [ask("a", "x.shop TXT t")], "below-zone-cut", "nothing"],
    ["a mail server that is an alias", [ask("a", "bounce MX 10 mx.alias.example.")], "target-is-alias", "would not deliver"],
    [
      "no mail and a mail server",
      [ask("a", "bounce MX 0 ."), ask("b", "bounce MX 10 mx1.inglemail.example.")],
      "null-mx",
      "nothing yet",
    ],
    [
      "an address, where one of the other kind leads elsewhere",
      [ask("a", "old A 192.0.2.99")],
      "leftover-address",
      "2001:db8::80",
    ],
    ["a wildcard that would answer for _dmarc", [ask("a", "* CNAME sites.pagewick.example.")], "wildcard-answers", "misread"],
    ["a name of another domain", [ask("a", "x.other.test. TXT t")], "outside-domain", "nothing"],
  ])("%s", async (_, asks, kind, breaks) => {
    const { changes, clashes } = await draft(asks);
    expect(allInWords(pending({ domain: apex, changes, clashes, undetermined: [] }))).toEqual([]);
    expect(allInWords(clashes[0])).toMatchObject({ kind, breaks: expect.stringContaining(breaks) });
    expect(allInWords(clashes[0]?.options.length)).toBeGreaterThan(0);
  });

  test("what the user names may be replaced, and only that", async () => {
    const asks = [ask("a", "www CNAME sites.pagewick.example."), ask("b", "box CNAME x.test.")];
    const { changes, clashes } = await draft(asks, { replace: ["www"] });
    expect(allInWords(changes)).toMatchObject([
      { action: "replace", name: "www.brackwater.example.", before: { data: [{ target: "parked.nettlehost.example." }] } },
    ]);
    expect(allInWords(clashes)).toMatchObject([{ ask: "b" }]);
    const both = await draft(asks, { replace: ["www", "box"] });
    expect(allInWords(both.clashes)).toEqual([]);
    expect(allInWords(both.changes.map(({ action, name: of, type }) => `${action} ${of} ${type}`))).toEqual([
      "replace www.brackwater.example. CNAME",
      "remove box.brackwater.example. A",
      "add box.brackwater.example. CNAME",
    ]);
  });
});

test("a zone that cannot be looked at leaves everything undetermined, and drafts nothing", async () => {
  const silent: Lookup = { ask: async () => failed("servfail", verbatim("ns1 answered SERVFAIL")) };
  const { changes, clashes, undetermined } = await draft([ask("a", "@ TXT t"), ask("b", "www CNAME x.test.")], {
    lookup: silent,
  });
  expect(allInWords([changes, clashes])).toEqual([[], []]);
  expect(allInWords(undetermined.map(({ because }) => because))).toEqual(["ns1 answered SERVFAIL", "ns1 answered SERVFAIL"]);
});
