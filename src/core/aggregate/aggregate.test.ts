import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { allInWords } from "../../present/clauses/index.ts";
import { DAY_MS } from "../day.ts";
import { name } from "../name/index.ts";
import { networkOf } from "../spf/index.ts";
import {
  type AdviceFacts,
  adviseOn,
  type KnownService,
  type ReportHead,
  type ReportProblem,
  ReportReader,
  type ReportRow,
  type Seen,
  sourcesOf,
  xmlEncoding,
} from "./index.ts";

const NOW = Date.UTC(2026, 2, 2) / 1000;
const HEAD = `<report_metadata><org_name>Mallowmail</org_name><email>reports@mallowmail.example</email><report_id>7</report_id><date_range><begin>1772323200</begin><end>1772409599</end></date_range></report_metadata><policy_published><domain>brackwater.example</domain><p>quarantine</p></policy_published>`;
const row = (inner = "", identifiers = "<header_from>brackwater.example</header_from>", auth = "") =>
  `<record><row><source_ip>192.0.2.25</source_ip><count>3</count><policy_evaluated><disposition>none</disposition><dkim>pass</dkim><spf>fail</spf>${inner}</policy_evaluated></row><identifiers>${identifiers}</identifiers><auth_results>${auth}</auth_results></record>`;
const whole = (rows = row(), head = HEAD) => `<?xml version="1.0"?><feedback><version>1.0</version>${head}${rows}</feedback>`;

function read(xml: string, cut = Number.POSITIVE_INFINITY): { rows: ReportRow[]; head?: ReportHead; problem?: ReportProblem } {
  const rows: ReportRow[] = [];
  const reader = new ReportReader((one) => rows.push(one));
  for (let i = 0; i < xml.length; i += cut) reader.write(xml.slice(i, Math.min(xml.length, i + cut)));
  return { rows, ...reader.end(NOW) };
}

describe("reports as receivers write them (RFC 7489 appendix C)", () => {
  test("a report to the letter, however it is cut", () => {
    const xml = whole(
      row(
        "<reason><type>mailing_list</type><comment>a &amp; b</comment></reason>",
        "<envelope_from>bounce.brackwater.example</envelope_from><header_from>brackwater.example</header_from>",
        "<dkim><domain>heronpost.example</domain><selector>hpa</selector><result>fail</result></dkim><dkim><domain>brackwater.example</domain><selector>k1</selector><result>pass</result></dkim><spf><domain>bounce.heronpost.example</domain><scope>mfrom</scope><result>softfail</result></spf>",
      ),
    );
    for (const cut of [1, 7, 10_000])
      expect(allInWords(read(xml, cut))).toEqual({
        rows: [
          {
            ip: "192.0.2.25",
            count: 3,
            disposition: "none",
            dkimAligned: true,
            spfAligned: false,
            overrides: ["mailing_list"],
            from: "brackwater.example.",
            envelope: "bounce.brackwater.example.",
            signer: "brackwater.example.",
            selector: "k1",
            signerPasses: true,
            spfDomain: "bounce.heronpost.example.",
            spfPasses: false,
          },
        ],
        head: {
          receiver: "Mallowmail",
          email: "reports@mallowmail.example",
          id: "7",
          begin: 1_772_323_200,
          end: 1_772_409_599,
          domain: "brackwater.example.",
          policy: "quarantine",
        },
      });
  });
  test.each<[string, string, object]>([
    ["no version", whole().replace("<version>1.0</version>", ""), { count: 3 }],
    ["a namespace", whole().replace("<feedback>", '<feedback xmlns="urn:ietf:params:xml:ns:dmarc-2.0">'), { count: 3 }],
    [
      "an element of a foreign namespace before the row",
      whole().replace(
        "<record>",
        '<record><x:row xmlns:x="urn:x"><x:source_ip>198.51.100.9</x:source_ip><x:count>99</x:count></x:row>',
      ),
      { count: 3 },
    ],
    [
      "an element of a foreign namespace inside a field",
      whole().replace("<count>3", "<count><y:why xmlns:y='urn:y'>7</y:why>3"),
      { count: 3 },
    ],
    [
      "a foreign record",
      whole().replace("<record>", '<record xmlns="urn:z"><row><count>7</count></row></record><record>'),
      { count: 3 },
    ],
    ["a prefix", whole().replace(/<(\/?)([a-z_]+)/g, "<$1d:$2"), { count: 3 }],
    ["no declaration, white space around", `\n  ${whole().replace(/<\?xml.*?\?>/, "")}\n`, { count: 3 }],
    ["white space around the address", whole().replace("192.0.2.25", "\n 192.0.2.25 "), { ip: "192.0.2.25" }],
    ["an IPv6 address in another spelling", whole().replace("192.0.2.25", "2001:0DB8:0::1"), { ip: "2001:db8::1" }],
    ["an IPv4-mapped address", whole().replace("192.0.2.25", "::ffff:192.0.2.25"), { ip: "192.0.2.25" }],
    ["capitals", whole().replaceAll("pass", "Pass").replace("none<", "NONE<"), { dkimAligned: true, disposition: "none" }],
    ["an unknown disposition", whole().replace("<disposition>none", "<disposition>sideways"), { disposition: "none" }],
    [
      "no results at all",
      whole(row().replace(/<auth_results>.*<\/auth_results>/, "")),
      { signerPasses: false, spfPasses: false },
    ],
    ["empty results", whole(row("", undefined, "<dkim/><spf></spf>")), { signerPasses: false, spfPasses: false }],
    ["no From: that of the policy", whole(row("", "")), { from: "brackwater.example." }],
    [
      "a whole address as From",
      whole(row("", "<header_from>box@brackwater.example</header_from>")),
      { from: "brackwater.example." },
    ],
    ["an override nobody knows", whole(row("<reason><type>full moon</type></reason>")), { overrides: ["other"] }],
    ["an override with a hyphen", whole(row("<reason><type>mailing-list</type></reason>")), { overrides: ["mailing_list"] }],
    [
      "several reasons",
      whole(
        row("<reason><type>forwarded</type></reason><reason><type>forwarded</type></reason><reason><type>other</type></reason>"),
      ),
      { overrides: ["forwarded", "other"] },
    ],
    ["elements nobody knows", whole(row("<extension><x>1</x></extension>")), { count: 3 }],
    ["CDATA", whole().replace("192.0.2.25", "<![CDATA[192.0.2.25]]>"), { ip: "192.0.2.25" }],
    ["comments inside", whole().replace("<count>3", "<count><!-- three -->3"), { count: 3 }],
  ])("%s", (_, xml, expected) => {
    const { rows, problem } = read(xml);
    expect(problem).toBeUndefined();
    expect(allInWords(rows)).toMatchObject([expected]);
  });
  test.each<[string, string, number]>([
    ["seconds", "1772323200", 1_772_323_200],
    ["milliseconds", "1772323200000", 1_772_323_200],
    ["with a fraction", "1772323200.5", 1_772_323_200],
    ["a date", "2026-03-01T00:00:00Z", 1_772_323_200],
    ["a date without a zone", "2026-03-01 00:00:00", 1_772_323_200],
  ])("times as %s", (_, text, begin) => expect(allInWords(read(whole().replace("1772323200", text)).head?.begin)).toBe(begin));
});

describe("elements count where they stand, and nowhere else", () => {
  test.each<[string, string, Partial<ReportRow>]>([
    ["a count in a reason", row("<reason><type>other</type><count>999</count></reason>"), { count: 3 }],
    ["an address in an extension", row("<extension><source_ip>203.0.113.9</source_ip></extension>"), { ip: "192.0.2.25" }],
    [
      "a verdict deeper down",
      row("<reason><dkim>fail</dkim><comment><spf>pass</spf></comment></reason>"),
      { dkimAligned: true, spfAligned: false },
    ],
    [
      "a From domain beside the identifiers",
      row("", undefined, "<header_from>heronpost.example</header_from>"),
      { from: name("brackwater.example") },
    ],
    ["a second count", row().replace("<count>3</count>", "<count>3</count><count>9</count>"), { count: 3 }],
    ["a result of no signature", row("", undefined, "<result>pass</result><domain>x.example</domain>"), { signer: undefined }],
  ])("%s", (_, rows, expected) => {
    const { rows: found, problem } = read(whole(rows));
    expect(allInWords([problem, found.length, found[0]])).toEqual([undefined, 1, expect.objectContaining(expected)]);
  });
  test("a record inside a record is not a row, and a head inside a record is not a head", () => {
    const inner = row("", undefined, `<dkim>${row()}</dkim>`).replace(
      "<row>",
      `<report_metadata><report_id>9</report_id></report_metadata><row>`,
    );
    const { rows, head } = read(whole(inner));
    expect(allInWords([rows.length, head?.id])).toEqual([1, "7"]);
  });
  test.each<[string, string]>([
    ["signatures", row("", undefined, "<dkim><domain>a.example</domain></dkim>".repeat(101))],
    ["reasons", row("<reason><type>other</type></reason>".repeat(101))],
  ])("lists end somewhere: %s", (what, rows) =>
    expect(allInWords(read(whole(rows)).problem)).toMatchObject({ kind: "too-large", because: expect.stringContaining(what) }),
  );
});

describe("the encoding of a report (XML 1.0 appendix F)", () => {
  test.each<[string, Buffer, string]>([
    ["nothing", Buffer.from("<feedback>"), "utf-8"],
    ["a declaration", Buffer.from('<?xml version="1.0" encoding="ISO-8859-1"?>'), "windows-1252"],
    ["a declaration in single quotes", Buffer.from("<?xml version='1.0' encoding='utf-8'?>"), "utf-8"],
    ["a declaration of something unknown", Buffer.from('<?xml version="1.0" encoding="x-nobody"?>'), "utf-8"],
    ["UTF-16 with its mark", Buffer.from("\ufeff<?xml", "utf16le"), "utf-16le"],
    ["UTF-16 without it", Buffer.from("<?xml", "utf16le"), "utf-16le"],
    ["UTF-16, the other way round", Buffer.from("\ufeff<?xml", "utf16le").swap16(), "utf-16be"],
    ["UTF-16 that is declared in ASCII", Buffer.from('<?xml version="1.0" encoding="utf-16"?>'), "utf-8"],
  ])("by %s", (_, start, encoding) => expect(allInWords(xmlEncoding(start))).toBe(encoding));
});

describe("what is set aside, and why", () => {
  test.each<[string, string, ReportProblem["kind"]]>([
    ["nothing", "", "cut"],
    ["no XML", "hello", "not-xml"],
    ["another document", "<html><body/></html>", "not-a-report"],
    ["cut in the middle", whole().slice(0, 400), "cut"],
    ["an unclosed element", whole().replace("</identifiers>", ""), "not-xml"],
    ["entities of its own", `<!DOCTYPE x [<!ENTITY a "aaaa">]>${whole()}`, "entities"],
    ["an outside document type", `<!DOCTYPE feedback SYSTEM "file:///etc/passwd">${whole()}`, "entities"],
    ["an entity nobody declared", whole().replace("Mallowmail", "&a;"), "not-xml"],
    ["nested without end", `<feedback>${"<a>".repeat(100)}`, "too-deep"],
    ["a text without end", whole().replace("Mallowmail", "m".repeat(5000)), "too-large"],
    ["white space without end", whole().replace("Mallowmail", " ".repeat(2 << 20)), "too-large"],
    ["an attribute without end", `<feedback x="${"m".repeat(2 << 20)}">`, "too-large"],
    ["no domain", whole().replace("<domain>brackwater.example</domain>", ""), "missing"],
    ["no number", whole().replace("<report_id>7</report_id>", ""), "missing"],
    ["no time", whole().replace(/<date_range>.*<\/date_range>/, ""), "missing"],
    ["dates from 1970", whole().replace("1772323200", "5").replace("1772409599", "6"), "bad-value"],
    ["a time that ends before it begins", whole().replace("1772409599", "1772323100"), "bad-value"],
    ["the future", whole().replace("1772323200", "1990000000").replace("1772409599", "1990000001"), "bad-value"],
    ["a negative count", whole().replace("<count>3", "<count>-3"), "bad-value"],
    ["a count in words", whole().replace("<count>3", "<count>many"), "bad-value"],
    ["no count", whole().replace("<count>3</count>", ""), "missing"],
    ["no address", whole().replace("192.0.2.25", ""), "missing"],
    ["an address that is none", whole().replace("192.0.2.25", "192.0.2.999"), "bad-value"],
  ])("%s", (_, xml, kind) => {
    for (const cut of [65_536, Number.POSITIVE_INFINITY]) expect(allInWords(read(xml, cut).problem?.kind)).toBe(kind);
  });
  test("a gigabyte of one element stops at the first megabyte", () => {
    const reader = new ReportReader(() => undefined);
    reader.write("<feedback><x>");
    let given = 0;
    while (reader.problem === undefined && given < 1 << 30) {
      reader.write(" ".repeat(1 << 16));
      given += 1 << 16;
    }
    expect(allInWords(given)).toBeLessThan(2 << 20);
  });
  test("no text makes it throw, and only a whole report has a head", () =>
    fc.assert(
      fc.property(
        fc.array(
          fc.constantFrom(
            "<feedback>",
            "</feedback>",
            HEAD,
            row(),
            "<",
            ">",
            "&",
            "]]>",
            "<![CDATA[",
            "<!--",
            "x",
            "\0",
            "</row>",
          ),
          { maxLength: 8 },
        ),
        (parts) => {
          const { head, problem } = read(parts.join(""));
          expect(allInWords((head === undefined) !== (problem === undefined))).toBe(true);
        },
      ),
      { numRuns: 1000 },
    ));
});

const seen = ({ count = 10, day = 20_514, ...more }: Partial<Seen> & { count?: number; day?: number }): Seen => ({
  ip: "192.0.2.25",
  counts: [day, 0, count],
  dkimAligned: false,
  spfAligned: false,
  overrides: [],
  from: name("brackwater.example"),
  signerPasses: false,
  spfPasses: false,
  ...more,
});
const HERONPOST: KnownService = {
  key: "heronpost",
  title: "Heronpost",
  domains: [name("heronpost.example")],
  keyNames: ["hpa._domainkey.brackwater.example."],
  networks: [networkOf("198.51.100.0", 24)],
};
const B = name("brackwater.example");
const H = name("bounce.heronpost.example");

describe("who sends as us", () => {
  test.each<[string, Partial<Seen>, string, object]>([
    [
      "by its address",
      { ip: "198.51.100.7", dkimAligned: true, signer: B, signerPasses: true },
      "Heronpost",
      { aligned: 10, byDkim: 10 },
    ],
    ["by its own signature", { signer: H, signerPasses: true }, "Heronpost", { reasons: { "wrong-signer": 10 } }],
    ["by its return path", { spfDomain: H, spfPasses: true }, "Heronpost", { reasons: { "wrong-return-path": 10 } }],
    [
      "by the key it signs with in our name",
      { signer: B, selector: "hpa", signerPasses: true, dkimAligned: true },
      "Heronpost",
      { aligned: 10, ours: true },
    ],
    ["not by a key whose signature fails", { signer: B, selector: "hpa" }, "192.0.2.25", { ours: false }],
    [
      "by the name of its domain, where its records do not give it away",
      { signer: name("out.heronpost.test"), signerPasses: true },
      "Heronpost",
      { reasons: { "wrong-signer": 10 } },
    ],
    ["a name in a signature that fails proves nothing", { signer: H }, "192.0.2.25", { reasons: { "nothing-passes": 10 } }],
    [
      "an unknown sender by what it signs with",
      { signer: name("cheap-seats.test"), signerPasses: true },
      "cheap-seats.test",
      { reasons: { "wrong-signer": 10 } },
    ],
    ["an unknown sender by its return path", { spfDomain: name("cheap-seats.test"), spfPasses: true }, "cheap-seats.test", {}],
    ["nobody but an address", { ip: "2001:db8:1:2::3" }, "2001:db8:1:2::3", {}],
    [
      "forwarded, by the receiver's word",
      { overrides: ["forwarded"], spfPasses: true, spfDomain: name("lists.example") },
      "lists.example",
      { reasons: { forwarded: 10 } },
    ],
    [
      "forwarded, by the signature that broke",
      { signer: B, spfPasses: true, spfDomain: name("lists.example") },
      "lists.example",
      { reasons: { forwarded: 10 } },
    ],
    [
      "by SPF alone",
      { ip: "198.51.100.7", spfAligned: true, spfPasses: true, spfDomain: B },
      "Heronpost",
      { bySpfOnly: 10, aligned: 10 },
    ],
  ])("%s", (_, more, title, expected) =>
    expect(allInWords(sourcesOf([seen(more)], [HERONPOST]))).toMatchObject([{ title, ...expected }]),
  );
  test.each<[string, readonly string[], string, string | undefined, readonly string[]]>([
    [
      "few addresses are named one by one",
      ["203.0.113.1", "203.0.113.9"],
      "203.0.113.0/24",
      undefined,
      ["203.0.113.1", "203.0.113.9"],
    ],
    [
      "many are a block",
      ["203.0.113.1", "203.0.113.2", "203.0.113.3", "203.0.113.4"],
      "203.0.113.0/24",
      undefined,
      ["203.0.113.0/24"],
    ],
    [
      "an unknown sender next to a service's addresses goes by its own",
      ["192.0.2.79"],
      "192.0.2.79",
      "Inglemail",
      ["192.0.2.79"],
    ],
    ["the next block begins where twice the service's ends", ["192.0.2.80"], "192.0.2.80", undefined, ["192.0.2.80"]],
    ["and in IPv6", ["2001:db8:7:2::3"], "2001:db8:7:2::3", "Inglemail", ["2001:db8:7:2::3"]],
    ["in the same site, but far away", ["2001:db8:7:10::3"], "2001:db8:7:10::3", undefined, ["2001:db8:7:10::3"]],
    ["at another site", ["2001:db8:8:2::3"], "2001:db8:8:2::3", undefined, ["2001:db8:8:2::3"]],
    ["an address of its own is the service", ["192.0.2.65", "192.0.2.66"], "Inglemail", undefined, ["192.0.2.65", "192.0.2.66"]],
    [
      "many of its own are its block, not the larger one with unknown senders",
      ["192.0.2.64", "192.0.2.65", "192.0.2.66", "192.0.2.71"],
      "Inglemail",
      undefined,
      ["192.0.2.64/29"],
    ],
  ])("%s", (_, ips, title, nextTo, blocks) => {
    const networks = [networkOf("192.0.2.64", 29), networkOf("2001:db8:7:1::", 64)];
    const inglemail = { key: "inglemail", title: "Inglemail", domains: [], keyNames: [], networks };
    const found = sourcesOf(
      ips.map((ip) => seen({ ip })),
      [HERONPOST, inglemail],
    );
    expect(allInWords(found.map((one) => [one.title, one.nextTo, one.blocks]))).toEqual([[title, nextTo, blocks]]);
  });
  test("From domains below the domain are summed up each by itself", () =>
    expect(
      allInWords(
        sourcesOf(
          [seen({ count: 3 }), seen({ from: name("box-office.brackwater.example"), dkimAligned: true }), seen({ count: 5 })],
          [],
        )[0]?.from,
      ),
    ).toEqual([
      { domain: "box-office.brackwater.example", messages: 10, aligned: 10 },
      { domain: "brackwater.example", messages: 8, aligned: 0 },
    ]));
  test("weeks begin on Monday; the busiest source comes first", () => {
    const monday = Date.UTC(2026, 2, 2) / DAY_MS;
    const [first, second] = sourcesOf(
      [
        seen({ day: monday - 1 }),
        seen({ day: monday, count: 5 }),
        seen({ day: monday + 6, count: 1 }),
        seen({ ip: "203.0.113.1", count: 99, day: monday }),
      ],
      [],
    );
    expect(allInWords(first?.title)).toBe("203.0.113.1");
    expect(allInWords(second?.weeks)).toEqual([
      { week: monday - 7, messages: 10, aligned: 0 },
      { week: monday, messages: 6, aligned: 0 },
    ]);
  });
  test("every message is counted once, as proven or for one reason, whatever it is", () =>
    fc.assert(
      fc.property(
        fc.array(
          fc.tuple(
            fc.boolean(),
            fc.boolean(),
            fc.boolean(),
            fc.boolean(),
            fc.constantFrom(B, H, undefined),
            fc.integer({ min: 0, max: 9 }),
          ),
        ),
        (all) => {
          const list = all.map(([dkimAligned, spfAligned, signerPasses, spfPasses, signer, count]) =>
            seen({
              dkimAligned,
              spfAligned,
              signerPasses,
              spfPasses,
              count,
              ip: `192.0.2.${count}`,
              ...(signer === undefined ? {} : { signer }),
            }),
          );
          const sources = sourcesOf(list, [HERONPOST]);
          const sum = (of: (one: (typeof sources)[number]) => number) => sources.reduce((total, one) => total + of(one), 0);
          const total = list.reduce((count, one) => count + (one.counts[2] ?? 0), 0);
          expect(allInWords(sum((one) => one.messages))).toBe(total);
          expect(allInWords(sum((one) => one.aligned + Object.values(one.reasons).reduce((a, b) => a + b, 0)))).toBe(total);
          expect(allInWords(sum((one) => one.weeks.reduce((a, b) => a + b.messages, 0)))).toBe(total);
        },
      ),
    ));
  test("a flood of forgers stays within bounds", () => {
    const flood = function* () {
      for (let i = 0; i < 20_000; i++) yield seen({ ip: `10.${i >> 8}.${i & 255}.1`, count: 1 });
    };
    const sources = sourcesOf(flood(), []);
    expect(allInWords(sources.length)).toBeLessThanOrEqual(2001);
    expect(allInWords(sources.reduce((sum, one) => sum + one.messages, 0))).toBe(20_000);
  });
});

describe("advice", () => {
  const good = seen({ ip: "198.51.100.7", dkimAligned: true, count: 990 });
  const facts = (all: Seen[], more: Partial<AdviceFacts> = {}): AdviceFacts => ({
    sources: sourcesOf(all, [HERONPOST]),
    policy: "none",
    days: 28,
    reports: 28,
    includes: [],
    unresolved: [],
    addresses: all.map((one) => one.ip),
    ...more,
  });
  test.each<[string, Seen[], Partial<AdviceFacts>, (boolean | undefined)[], string[]]>([
    ["all is proven: one step, not two", [good], {}, [true, false], []],
    [
      "all is proven, but who else sends could not be asked for",
      [good],
      { unresolved: ["spf.inglemail.example"] },
      [undefined, undefined],
      [],
    ],
    ["all is proven, and quarantine is in force", [good], { policy: "quarantine" }, [true], []],
    ["the strictest already", [good], { policy: "reject" }, [], []],
    ["too few days", [good], { days: 13 }, [undefined, undefined], []],
    ["a service fails", [good, seen({ signer: H, signerPasses: true, count: 500 })], {}, [false, false], ["wrong-signer"]],
    [
      "a service that failed, and was proven for two weeks since",
      [
        ...[-21, -28].map((day) => seen({ signer: H, signerPasses: true, count: 500, day: 20_514 + day })),
        good,
        seen({ ip: "198.51.100.7", dkimAligned: true, day: 20_507 }),
      ],
      {},
      [true, false],
      [],
    ],
    [
      "a service that failed, and was proven for one week only",
      [seen({ signer: H, signerPasses: true, count: 500, day: 20_507 }), good],
      {},
      [false, false],
      ["wrong-signer"],
    ],
    [
      "a service that was proven and fails again",
      [
        seen({ ip: "198.51.100.7", dkimAligned: true, count: 5000, day: 20_500 }),
        good,
        seen({ signer: H, signerPasses: true, count: 500 }),
      ],
      {},
      [false, false],
      ["wrong-signer"],
    ],
    [
      "a service fails, however few days",
      [seen({ spfDomain: H, spfPasses: true })],
      { days: 1 },
      [false, false],
      ["wrong-return-path"],
    ],
    [
      "a little of a service's fails, as some always does",
      [good, seen({ ip: "198.51.100.7", count: 10 })],
      {},
      [true, false],
      [],
    ],
    [
      "what was forwarded is not the service's fault",
      [good, seen({ ip: "198.51.100.7", count: 900, overrides: ["mailing_list"] })],
      {},
      [true, false],
      [],
    ],
    ["forgers stop nothing", [good, seen({ ip: "203.0.113.99", count: 5000 })], {}, [true, false], []],
    [
      "by SPF alone now and then is not said",
      [good, seen({ ip: "198.51.100.7", spfAligned: true, count: 10 })],
      {},
      [true, false],
      [],
    ],
    [
      "by SPF alone is said, and stops nothing",
      [seen({ ip: "198.51.100.7", spfAligned: true })],
      {},
      [true, false],
      ["spf-only"],
    ],
  ])("%s", (_, all, more, safe, reasons) => {
    const advice = adviseOn(facts(all, more));
    expect(allInWords(advice.steps.map((step) => step.safe))).toEqual(safe);
    expect(allInWords(advice.repairs.map((one) => one.reason))).toEqual(reasons);
  });
  const near: KnownService = { ...HERONPOST, networks: [networkOf("198.51.100.0", 28)] };
  const unknown = seen({ ip: "198.51.100.20", count: 40 });
  test.each<[string, readonly Seen[], readonly KnownService[], boolean | undefined, readonly RegExp[]]>([
    [
      "proven once: it may be yours",
      [good, seen({ ip: "203.0.113.99", count: 50 }), seen({ ip: "203.0.113.99", dkimAligned: true, count: 1 })],
      [HERONPOST],
      undefined,
      [/^1 of its 51 messages is proven to be yours/],
    ],
    [
      "next to a known service: it may be yours",
      [good, unknown],
      [near],
      undefined,
      [/^it sends from addresses right next to Heronpost's/],
    ],
    ["far from all known ones: a forger", [good, seen({ ip: "203.0.113.99", count: 50 })], [near], true, []],
    ["in the service's larger block, but far from it", [good, seen({ ip: "198.51.100.77", count: 50 })], [near], true, []],
    [
      "proven throughout: nothing of it would be stopped",
      [good, seen({ ip: "203.0.113.99", dkimAligned: true })],
      [near],
      true,
      [],
    ],
    [
      "next to a known service, and only forwarded",
      [good, seen({ ip: "198.51.100.20", overrides: ["forwarded"] })],
      [near],
      true,
      [],
    ],
    [
      "a known service that fails comes first",
      [good, unknown, seen({ signer: H, signerPasses: true, count: 500 })],
      [near],
      false,
      [/next to/],
    ],
  ])("an unknown source %s", (_, all, services, safe, doubts) => {
    const advice = adviseOn({ ...facts([]), sources: sourcesOf(all, services) });
    expect(allInWords(advice.steps[0]?.safe)).toBe(safe);
    expect(allInWords(advice.unexplained.map((one) => one.because))).toEqual(doubts.map((one) => expect.stringMatching(one)));
  });
  test("what today's policy did, by the receivers' word", () =>
    expect(
      allInWords(
        adviseOn(facts([{ ...unknown, counts: [20_514, 1, 4, 20_515, 2, 5, 20_516, 0, 1] }], { policy: "reject" })).done,
      ),
    ).toEqual({ quarantine: 4, reject: 5 }));
  test("what a step would have stopped, by source", () =>
    expect(allInWords(adviseOn(facts([good, seen({ ip: "203.0.113.99", count: 7 })])).steps[0]?.stops)).toEqual([
      { source: "203.0.113.99", ours: false, messages: 7, of: 7 },
    ]));
  test("includes nobody used", () => {
    const includes = [
      { term: "include:spf.heronpost.example", networks: [networkOf("198.51.100.0", 24)] },
      { term: "include:spf.inglemail.example", networks: [networkOf("192.0.2.0", 24)] },
    ];
    expect(allInWords(adviseOn(facts([good], { includes })).unusedIncludes)).toEqual(["include:spf.inglemail.example"]);
    expect(allInWords(adviseOn(facts([], { includes })).unusedIncludes)).toEqual([]);
  });
});
