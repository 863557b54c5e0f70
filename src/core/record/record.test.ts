import { describe, expect, test } from "@jest/globals";
import * as packet from "dns-packet";
import fc from "fast-check";
import { type DomainName, fromLabels, labelText, name } from "../name/index.ts";
import { readRecords } from "../zone/index.ts";
import {
  codeOfType,
  containsAll,
  decodeData,
  decodeUtf8,
  encodeData,
  MalformedWire,
  octetsOf,
  parseSeconds,
  printRecord,
  type RecordData,
  type RecordType,
  type ResourceRecord,
  recordJson,
  sameData,
  splitCharacterStrings,
  toSets,
  WireReader,
  WireWriter,
} from "./index.ts";

const origin = name("brackwater.example");
const one = (line: string) => readRecords(line, { origin, ttl: 300 });
const canonical = (line: string) => one(line).records.map(printRecord);

describe("zone-file text (RFC 1035 section 5)", () => {
  test.each([
    ["@ A 192.0.2.10", "brackwater.example. 300 IN A 192.0.2.10"],
    ["www 1h IN AAAA 2001:DB8:0:0::A", "www.brackwater.example. 3600 IN AAAA 2001:db8::a"],
    ["www IN 1h30m CNAME sites.pagewick.example.", "www.brackwater.example. 5400 IN CNAME sites.pagewick.example."],
    ["@ MX 10 mx", "brackwater.example. 300 IN MX 10 mx.brackwater.example."],
    ["@ NS ns1.nettlehost.example.", "brackwater.example. 300 IN NS ns1.nettlehost.example."],
    [
      "@ SOA ns1 jan\\.m 1 2h 900 2w 5m",
      "brackwater.example. 300 IN SOA ns1.brackwater.example. jan\\.m.brackwater.example. 1 7200 900 1209600 300",
    ],
    ['@ TXT "a b" c', 'brackwater.example. 300 IN TXT "a b" "c"'],
    ['@ TXT "say \\"hi\\"; \\\\ \\195\\169"', 'brackwater.example. 300 IN TXT "say \\"hi\\"; \\\\ \\195\\169"'],
    ['@ CAA 0 ISSUE "sealbarrow.example"', 'brackwater.example. 300 IN CAA 0 issue "sealbarrow.example"'],
    ["1.2.0.192.in-addr.arpa. PTR www", "1.2.0.192.in-addr.arpa. 300 IN PTR www.brackwater.example."],
    [
      "_imaps._tcp SRV 0 1 993 imap.inglemail.example.",
      "_imaps._tcp.brackwater.example. 300 IN SRV 0 1 993 imap.inglemail.example.",
    ],
    ["@ TYPE65280 \\# 3 ABCDEF", "brackwater.example. 300 IN TYPE65280 \\# 3 ABCDEF"],
    ["@ TYPE1 \\# 4 C000020A", "brackwater.example. 300 IN A 192.0.2.10"],
    ["@ TXT \\# 3 026869", 'brackwater.example. 300 IN TXT "hi"'],
    ["@ TYPE65281 \\# 0", "brackwater.example. 300 IN TYPE65281 \\# 0"],
    ['@ TXT ( "a" ; note\n  "b" )', 'brackwater.example. 300 IN TXT "a" "b"'],
    // RFC 9460 appendix D, with names of our own.
    ["@ HTTPS 0 foo.example.", "brackwater.example. 300 IN HTTPS 0 foo.example."],
    ["@ SVCB 1 .", "brackwater.example. 300 IN SVCB 1 ."],
    ['@ HTTPS 1 . alpn="h2"', 'brackwater.example. 300 IN HTTPS 1 . alpn="h2"'],
    ["@ SVCB 16 foo.example. port=53", "brackwater.example. 300 IN SVCB 16 foo.example. port=53"],
    ["@ SVCB 1 foo.example. key667=hello", 'brackwater.example. 300 IN SVCB 1 foo.example. key667="hello"'],
    ['@ SVCB 1 foo.example. key667="hello\\210qoo"', 'brackwater.example. 300 IN SVCB 1 foo.example. key667="hello\\210qoo"'],
    [
      '@ SVCB 1 foo.example. ipv6hint="2001:db8::1,2001:db8::53:1"',
      "brackwater.example. 300 IN SVCB 1 foo.example. ipv6hint=2001:db8::1,2001:db8::53:1",
    ],
    [
      "@ SVCB 16 foo.example. alpn=h2,h3-19 mandatory=ipv4hint,alpn ipv4hint=192.0.2.1",
      'brackwater.example. 300 IN SVCB 16 foo.example. mandatory=alpn,ipv4hint alpn="h2,h3-19" ipv4hint=192.0.2.1',
    ],
    [
      '@ SVCB 16 foo.example. alpn="f\\\\\\\\oo\\\\,bar,h2"',
      'brackwater.example. 300 IN SVCB 16 foo.example. alpn="f\\\\\\\\oo\\\\,bar,h2"',
    ],
    [
      "@ SVCB 16 foo.example. alpn=f\\\\\\092oo\\092,bar,h2",
      'brackwater.example. 300 IN SVCB 16 foo.example. alpn="f\\\\\\\\oo\\\\,bar,h2"',
    ],
    ["@ HTTPS 1 . alpn=h3,h2 no-default-alpn", 'brackwater.example. 300 IN HTTPS 1 . alpn="h3,h2" no-default-alpn'],
    ["@ HTTPS 1 . ech=AEX+ key1=h2", 'brackwater.example. 300 IN HTTPS 1 . alpn="h2" ech="AEX+"'],
    ["@ HTTPS \\# 3 000100", "brackwater.example. 300 IN HTTPS 1 ."],
    ["@ SSHFP 4 2 0123 abcd", "brackwater.example. 300 IN SSHFP 4 2 0123ABCD"],
    [
      '@ NAPTR 100 10 "U" "E2U+sip" "!^.*$!sip:box@brackwater.example!" .',
      'brackwater.example. 300 IN NAPTR 100 10 "U" "E2U+sip" "!^.*$!sip:box@brackwater.example!" .',
    ],
    [
      "@ LOC 51 30 12.748 N 0 7 39.611 W 0.00m 0.00m 0.00m 0.00m",
      "brackwater.example. 300 IN LOC 51 30 12.748 N 0 7 39.611 W 0.00m 0.00m 0.00m 0.00m",
    ],
    [
      "@ LOC 42 21 54 N 71 06 18 W -24m 30m",
      "brackwater.example. 300 IN LOC 42 21 54.000 N 71 6 18.000 W -24.00m 30.00m 10000.00m 10.00m",
    ],
    ["@ LOC 90 S 180 E 10", "brackwater.example. 300 IN LOC 90 0 0.000 S 180 0 0.000 E 10.00m 1.00m 10000.00m 10.00m"],
    ["@ CERT PKIX 7 RSASHA256 AQID", "brackwater.example. 300 IN CERT 1 7 8 AQID"],
    ["@ DNSKEY 257 3 ECDSAP256SHA256 AQID", "brackwater.example. 300 IN DNSKEY 257 3 13 AQID"],
    ["@ CDS 0 0 0 00", "brackwater.example. 300 IN CDS 0 0 0 00"],
    ["@ TLSA 3 1 1 00ff", "brackwater.example. 300 IN TLSA 3 1 1 00FF"],
    ["@ HINFO a b", 'brackwater.example. 300 IN HINFO "a" "b"'],
    ["@ CSYNC 66 3 A NS AAAA", "brackwater.example. 300 IN CSYNC 66 3 A NS AAAA"],
    ['@ URI 10 1 "https://www.brackwater.example/"', 'brackwater.example. 300 IN URI 10 1 "https://www.brackwater.example/"'],
  ])("%s", (line, expected) => {
    expect(one(line).issues).toEqual([]);
    expect(canonical(line)).toEqual([expected]);
  });

  test.each([
    ["@ A 192.0.2.256", 1, 5, "192.0.2.256"],
    ["@ A 192.0.02.1", 1, 5, "192.0.02.1"],
    ["@ AAAA fe80::1%eth0", 1, 8, "fe80::1%eth0"],
    ["@ MX mx.example.", 1, 6, "mx.example."],
    ["@ MX 70000 mx.example.", 1, 6, "70000"],
    ["@ CNAME a b", 1, 11, "b"],
    ["@ WHAT x", 1, 3, "WHAT"],
    ["@ HTTPS 1 . port=70000", 1, 13, "port=70000"],
    ["@ HTTPS 1 . what=x", 1, 13, "what=x"],
    ["@ HTTPS 1 . alpn", 1, 13, "alpn"],
    ["@ HTTPS 1 . alpn=", 1, 13, "alpn="],
    ["@ HTTPS 1 . port=1 port=1", 1, 13, "port=1"],
    ["@ HTTPS 1 . mandatory=alpn", 1, 13, "mandatory=alpn"],
    ["@ HTTPS 1 . mandatory=mandatory", 1, 13, "mandatory=mandatory"],
    ["@ HTTPS 1 . no-default-alpn", 1, 13, "no-default-alpn"],
    ["@ HTTPS 1 . no-default-alpn=x alpn=h2", 1, 13, "no-default-alpn=x"],
    ["@ HTTPS 1 . ipv4hint=192.0.2.300", 1, 13, "ipv4hint=192.0.2.300"],
    ['@ HTTPS 1 . alpn= "h2"', 1, 13, "alpn="],
    ["@ LOC 91 N 0 E 0", 1, 7, "91"],
    ["@ LOC 1 60 N 0 E 0", 1, 9, "60"],
    ["@ LOC 1 N 0 E", 1, 7, "1"],
    ["@ TXT", 1, 6, ""],
    ['@ TXT "open', 1, 7, '"open'],
    ["@ TXT ( a", 1, 7, "("],
    ["@ TXT a )", 1, 9, ")"],
    ["@ TYPE65280 \\# 3 ABCD", 1, 18, "ABCD"],
    ["@ A \\# 3 C00002", 1, 5, "c00002"],
    ["@ TYPE65280 1 1 abcd", 1, 13, "1"],
    ["@ CH A 192.0.2.1", 1, 3, "CH"],
    ["$WHAT x", 1, 1, "$WHAT"],
    ["  A 192.0.2.1", 1, 1, "A"],
    ["a..b A 192.0.2.1", 1, 1, "a..b"],
    ["$INCLUDE other.zone", 1, 10, "other.zone"],
  ])("%j is refused at line %i, column %i", (line, at, column, text) => {
    expect(one(line).issues).toEqual([expect.objectContaining({ line: at, column, text })]);
  });

  test("a mistake does not hide what follows it", () => {
    const { records, issues } = one("a A 1.2.3\nb A 192.0.2.1\n");
    expect(issues).toHaveLength(1);
    expect(records.map((record) => record.name)).toEqual(["b.brackwater.example."]);
  });
});

describe("sets", () => {
  const set = (lines: string) => toSets(one(lines).records)[0];
  test("one TTL, the smallest, and no record twice (RFC 2181 section 5)", () => {
    expect(toSets(one("@ 600 A 192.0.2.1\n@ 300 A 192.0.2.2\n@ 600 A 192.0.2.1\n").records)).toMatchObject([
      { ttl: 300, data: [{}, {}] },
    ]);
  });
  test("TXT strings are joined before they are compared", () => {
    expect(sameData(set('@ TXT "ab" "cd"'), set('@ TXT "abcd"'))).toBe(true);
    expect(sameData(set('@ TXT "ab"'), set('@ TXT "AB"'))).toBe(false);
    expect(containsAll(set("@ TXT a\n@ TXT b"), set("@ TXT b")!)).toBe(true);
    expect(containsAll(set("@ TXT a"), set("@ TXT b")!)).toBe(false);
    expect(sameData(undefined, undefined)).toBe(true);
    expect(sameData(set("@ TXT a"), undefined)).toBe(false);
  });
  test.each([
    ["@ A 192.0.2.1", "192.0.2.1"],
    ["@ CNAME x", "x.brackwater.example."],
    ['@ TXT "caf\\195\\169 " "x"', "café x"],
    ["@ MX 5 mx", { preference: 5, exchange: "mx.brackwater.example." }],
    ['@ CAA 128 iodef "mailto:a@brackwater.example"', { flags: 128, tag: "iodef", value: "mailto:a@brackwater.example" }],
    ["@ TYPE700 \\# 1 ff", "\\# 1 FF"],
  ])("JSON of %s", (line, data) => {
    expect(recordJson(one(line).records[0]!).data).toEqual(data);
  });
});

describe("octets", () => {
  test("long text is cut into strings of 255 octets and none is lost", () => {
    expect(splitCharacterStrings("x".repeat(600)).map((s) => s.length)).toEqual([255, 255, 90]);
    expect(splitCharacterStrings("")).toEqual([""]);
  });
  test("text is UTF-8 where it is UTF-8", () => {
    expect(decodeUtf8(octetsOf("Käse “x”"))).toBe("Käse “x”");
    expect(decodeUtf8("\xff\xfe")).toBe("\xff\xfe");
  });
  test.each([
    ["0", 0],
    ["1h30m", 5400],
    ["2W", 1_209_600],
    ["1h30", undefined],
    ["h", undefined],
    ["-1", undefined],
    ["2147483647", 2_147_483_647],
    ["2147483648", undefined],
  ])("parseSeconds(%s)", (text, seconds) => {
    expect(parseSeconds(text)).toBe(seconds);
  });
});

const label = fc.uint8Array({ minLength: 1, maxLength: 12 }).map((octets) => labelText(octets));
const anyName = fc.array(label, { maxLength: 5 }).map((labels) => fromLabels(labels) as DomainName);
const octetString = (maxLength: number) => fc.uint8Array({ maxLength }).map((octets) => Buffer.from(octets).toString("latin1"));
const hex = fc.uint8Array({ maxLength: 40 }).map((octets) => Buffer.from(octets).toString("hex"));
const u8 = fc.integer({ min: 0, max: 255 });
const u16 = fc.integer({ min: 0, max: 65_535 });
const u31 = fc.integer({ min: 0, max: 0x7fffffff });
const withoutRootDot = <T extends RecordType>(type: T, data: fc.Arbitrary<unknown>) =>
  data.map((value) => ({ type, data: value as RecordData }));

const spelled = (of: DomainName) => {
  const writer = new WireWriter();
  writer.name(of, false);
  return { name: of, octets: writer.done().toString("hex") };
};
const size = fc
  .tuple(fc.integer({ min: 0, max: 9 }), fc.integer({ min: 0, max: 9 }))
  .map(([digit, power]) => digit * 10 ** (digit === 0 ? 0 : power));
const location = fc.record({
  latitude: fc.integer({ min: -324_000_000, max: 324_000_000 }),
  longitude: fc.integer({ min: -648_000_000, max: 648_000_000 }),
  altitude: fc.integer({ min: -10_000_000, max: 4_000_000_000 }),
  size,
  horizontal: size,
  vertical: size,
});
const item = octetString(20)
  .filter((text) => text !== "")
  .map((text) => text.replace(/[\\,]/g, "\\$&"));
/** Parameters of a service in the order of their numbers, none of them mandatory. */
const parameters = fc
  .record(
    {
      alpn: fc.array(item, { minLength: 1, maxLength: 3 }).map((all) => all.join(",")),
      port: u16.map(String),
      ipv4hint: fc.array(fc.ipV4(), { minLength: 1, maxLength: 3 }).map((all) => all.join(",")),
      ech: hex.filter((text) => text !== "").map((text) => Buffer.from(text, "hex").toString("base64")),
      key667: octetString(30),
    },
    { requiredKeys: [] },
  )
  .map((all) =>
    Object.entries(all)
      .map(([key, value]) => ({ key, value }))
      .sort((a, b) => ORDER.indexOf(a.key) - ORDER.indexOf(b.key)),
  );
const ORDER = ["alpn", "port", "ipv4hint", "ech", "key667"];

/** Any record of any type this program knows, and of one it does not. */
const anyRecord: fc.Arbitrary<ResourceRecord> = fc
  .tuple(
    anyName,
    u31,
    fc.oneof(
      withoutRootDot("A", fc.record({ address: fc.ipV4() })),
      withoutRootDot(
        "AAAA",
        fc.record({
          address: fc
            .uint8Array({ minLength: 16, maxLength: 16 })
            .map((b) => (decodeData("AAAA", new WireReader(Buffer.from(b))) as { address: string }).address),
        }),
      ),
      ...(["CNAME", "NS", "PTR", "DNAME"] as const).map((type) => withoutRootDot(type, fc.record({ target: anyName }))),
      withoutRootDot("MX", fc.record({ preference: u16, exchange: anyName })),
      withoutRootDot(
        "SOA",
        fc.record({
          primary: anyName,
          contact: anyName,
          serial: fc.integer({ min: 0, max: 0xffffffff }),
          refresh: u31,
          retry: u31,
          expire: u31,
          minimum: u31,
        }),
      ),
      withoutRootDot("TXT", fc.record({ strings: fc.array(octetString(255), { minLength: 1, maxLength: 4 }) })),
      withoutRootDot(
        "CAA",
        fc.record({ flags: u8, tag: fc.constantFrom("issue", "issuewild", "iodef"), value: octetString(60) }),
      ),
      withoutRootDot("SRV", fc.record({ priority: u16, weight: u16, port: u16, target: anyName })),
      withoutRootDot("TLSA", fc.record({ usage: u8, selector: u8, matching: u8, certificate: hex })),
      withoutRootDot("TYPE65280", fc.record({ rdata: hex })),
      withoutRootDot(
        "NAPTR",
        fc.record({
          order: u16,
          preference: u16,
          flags: octetString(9),
          services: octetString(20),
          regexp: octetString(40),
          replacement: anyName,
        }),
      ),
      withoutRootDot("SSHFP", fc.record({ algorithm: u8, fingerprintType: u8, fingerprint: hex })),
      withoutRootDot("CERT", fc.record({ kind: u16, keyTag: u16, algorithm: u8, certificate: hex })),
      withoutRootDot("URI", fc.record({ priority: u16, weight: u16, uri: octetString(60) })),
      withoutRootDot(
        "LOC",
        location.map((of) => ({ location: of })),
      ),
      ...(["SVCB", "HTTPS"] as const).map((type) =>
        withoutRootDot(type, fc.record({ priority: u16, host: anyName.map(spelled), parameters })),
      ),
    ),
  )
  .map(([owner, ttl, { type, data }]) => ({ name: owner, ttl, type, data }));

describe("laws", () => {
  test("printing and parsing a record is the identity", () => {
    fc.assert(
      fc.property(anyRecord, (record) => {
        expect(readRecords(printRecord(record), { origin })).toEqual({ records: [record], issues: [] });
      }),
    );
  });
  test("the generic form of RFC 3597 says the same as the type's own", () => {
    fc.assert(
      fc.property(anyRecord, (record) => {
        const writer = new WireWriter();
        encodeData(record.type, record.data, writer);
        const octets = writer.done();
        const text = `${record.name} ${record.ttl} TYPE${codeOfType(record.type)} \\# ${octets.length} ${octets.toString("hex")}`;
        expect(readRecords(text, { origin }).records).toEqual([record]);
      }),
    );
  });
  test("wire form and back is the identity", () => {
    fc.assert(
      fc.property(anyRecord, (record) => {
        const writer = new WireWriter();
        encodeData(record.type, record.data, writer);
        expect(decodeData(record.type, new WireReader(Buffer.from(writer.done())))).toEqual(record.data);
      }),
    );
  });
  test("any octets are either a record or malformed, never another error", () => {
    fc.assert(
      fc.property(
        fc.constantFrom("A", "MX", "SOA", "TXT", "CAA", "SRV", "CNAME"),
        fc.uint8Array({ maxLength: 60 }),
        (type, octets) => {
          try {
            decodeData(type, new WireReader(Buffer.from(octets)));
          } catch (error) {
            expect(error).toBeInstanceOf(MalformedWire);
          }
        },
      ),
    );
  });
});

describe("an independent codec reads what we write", () => {
  test.each([
    "@ A 192.0.2.10",
    "@ AAAA 2001:db8::1",
    "@ MX 10 mx.inglemail.example.",
    '@ TXT "a" "b"',
    '@ CAA 0 issue "sealbarrow.example"',
    "@ SRV 1 2 3 x.example.",
  ])("%s", (line) => {
    const record = one(line).records[0]!;
    const writer = new WireWriter();
    encodeData(record.type, record.data, writer);
    const theirs = (packet as unknown as { record(type: string): { decode(b: Buffer, at: number): unknown } }).record(
      record.type,
    );
    const length = Buffer.alloc(2);
    length.writeUInt16BE(writer.length);
    const decoded = theirs.decode(Buffer.concat([length, writer.done()]), 0);
    const plain = JSON.stringify(decoded, (_, value) => (value?.type === "Buffer" ? Buffer.from(value.data).toString() : value));
    for (const value of Object.values(record.data).flat()) expect(plain).toContain(String(value).replace(/\.$/, ""));
  });
});
