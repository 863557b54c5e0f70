import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { name } from "../../name/index.ts";
import { printData } from "../../record/index.ts";
import { understand } from "./index.ts";

const domain = name("brackwater.example");
const read = (text: string, choices: Record<string, string> = {}) =>
  understand({ text, domain, ttl: 3600, choices: new Map(Object.entries(choices)) });
/** Records as `name type data`, the name relative and without the final dot of targets. */
const shown = (text: string, choices?: Record<string, string>) =>
  read(text, choices).records.map(
    (record) =>
      `${record.name.replace(/\.?brackwater\.example\.$/, "") || "@"} ${record.type} ${printData(record.type, record.data)}`,
  );

/** What screens show, each in its own words and layout: the paste, the records in it, the repairs it needs. */
const PASTES: readonly (readonly [string, string, readonly string[], (readonly string[])?])[] = [
  // Fields, one to a line or several on one
  ["colons", "Type: TXT\nHost: @\nValue: seekmere-owner=4f1d0c77a2", ['@ TXT "seekmere-owner=4f1d0c77a2"']],
  ["commas on one line", "Type TXT, Host @, Value seekmere-owner=4f1d", ['@ TXT "seekmere-owner=4f1d"']],
  ["semicolons", "Record type: CNAME; Name: www; Target: sites.pagewick.example", ["www CNAME sites.pagewick.example."]],
  ["aligned with spaces", "Type     TXT\nHost     _pw\nValue    pagewick-claim:77aa", ['_pw TXT "pagewick-claim:77aa"']],
  ["tabs between label and value", "Type\tTXT\nName\t@\nContent\tpw=1", ['@ TXT "pw=1"']],
  [
    "labels above their values",
    "Record Type\nCNAME\nHost Name\nshop\nPoints To\nshops.pagewick.example\nTTL\n1 hour",
    ["shop CNAME shops.pagewick.example."],
  ],
  ["equals signs", "host = _acme-challenge\ntype = TXT\ndata = gfj9Xq_Rg85nM", ['_acme-challenge TXT "gfj9Xq_Rg85nM"']],
  [
    "a title and a farewell around it",
    "Almost there!\nAdd this DNS record:\n\nHost: www\nType: CNAME\nAnswer: sites.pagewick.example\n\nThen press Verify.",
    ["www CNAME sites.pagewick.example."],
  ],
  ["bold marks", "**Type:** TXT\n**Name:** @\n**Value:** sm=1a", ['@ TXT "sm=1a"']],
  ["bullets", "• Type: MX\n• Host: @\n• Priority: 10\n• Mail server: mx1.inglemail.example", ["@ MX 10 mx1.inglemail.example."]],
  ["optional fields named so", "Type: TXT\nName (required): @\nValue (required): v-1=2\nTTL (optional): 300", ['@ TXT "v-1=2"']],
  ["capital labels", "TYPE: A\nHOST: @\nVALUE: 192.0.2.80", ["@ A 192.0.2.80"]],
  ["the label Alias", "Alias: www\nType: CNAME\nDestination: sites.pagewick.example.", ["www CNAME sites.pagewick.example."]],
  ["the label Subdomain", "Subdomain: mail\nRecord: A\nIP address: 192.0.2.25", ["mail A 192.0.2.25"]],
  ["no type, but an address", "Host: shop\nAddress: 192.0.2.90", ["shop A 192.0.2.90"]],
  ["no type, but IPv6", "Host: shop\nAddress: 2001:db8::90", ["shop AAAA 2001:db8::90"]],
  ["no type, but a token", "Name: @\nValue: seekmere-owner=4f1d", ['@ TXT "seekmere-owner=4f1d"']],
  [
    "two records, the labels repeat",
    "Type: CNAME\nHost: hp1._domainkey\nValue: b.k1.heronpost.example\nType: CNAME\nHost: hp2._domainkey\nValue: b.k2.heronpost.example",
    ["hp1._domainkey CNAME b.k1.heronpost.example.", "hp2._domainkey CNAME b.k2.heronpost.example."],
  ],
  [
    "two records under headings",
    "Record 1\nHost: a\nType: TXT\nValue: x=1\n\nRecord 2\nHost: b\nType: TXT\nValue: x=2",
    ['a TXT "x=1"', 'b TXT "x=2"'],
  ],
  [
    "a value wrapped over lines",
    "Type: TXT\nHost: sq._domainkey\nValue: v=DKIM1; k=rsa; p=MIGfMA0GCSqG\nSIb3DQEBAQUAA4GN",
    ['sq._domainkey TXT "v=DKIM1; k=rsa; p=MIGfMA0GCSqGSIb3DQEBAQUAA4GN"'],
    ["wrapped"],
  ],
  ["a host left blank in words", "Type: TXT\nHost: (leave blank)\nValue: k=1", ['@ TXT "k=1"']],
  ["a host called root", "Type: TXT\nHost: root\nValue: k=1", ['@ TXT "k=1"']],

  // Hosts in every spelling
  ["a full host", "Type: TXT\nHost: _pw.brackwater.example\nValue: k=1", ['_pw TXT "k=1"']],
  ["a full host with its final dot", "Type: TXT\nHost: _pw.brackwater.example.\nValue: k=1", ['_pw TXT "k=1"']],
  ["the domain itself", "Type: TXT\nHost: brackwater.example\nValue: k=1", ['@ TXT "k=1"']],
  ["the domain itself, in capitals", "Type: TXT\nHost: BRACKWATER.EXAMPLE\nValue: k=1", ['@ TXT "k=1"']],
  [
    "the domain doubled",
    "Type: TXT\nHost: _dmarc.brackwater.example.brackwater.example\nValue: v=DMARC1; p=none",
    ['_dmarc TXT "v=DMARC1; p=none"'],
    ["domain-doubled"],
  ],
  [
    "a host with the scheme of a page",
    "Type: CNAME\nHost: https://www.brackwater.example/\nValue: sites.pagewick.example",
    ["www CNAME sites.pagewick.example."],
    ["scheme", "path"],
  ],
  ["a wildcard", "Type: CNAME\nHost: *\nValue: sites.pagewick.example", ["* CNAME sites.pagewick.example."]],

  // Targets
  [
    "a target with https and a path",
    "Type: CNAME\nHost: www\nTarget: https://sites.pagewick.example/brackwater?x=1",
    ["www CNAME sites.pagewick.example."],
    ["scheme", "path"],
  ],
  [
    "a target in quotes",
    'Type: CNAME\nHost: www\nTarget: "sites.pagewick.example"',
    ["www CNAME sites.pagewick.example."],
    ["quotes"],
  ],
  [
    "a target with a port",
    "Type: CNAME\nHost: www\nTarget: sites.pagewick.example:443",
    ["www CNAME sites.pagewick.example."],
    ["port"],
  ],
  [
    "MX with the priority inside the value",
    "Type: MX\nHost: @\nValue: 20 mx2.inglemail.example",
    ["@ MX 20 mx2.inglemail.example."],
  ],
  [
    "MX without a priority",
    "Type: MX\nHost: bounce\nValue: in.swiftquill.example",
    ["bounce MX 10 in.swiftquill.example."],
    ["priority"],
  ],

  // TXT values and what copying does to them
  ["quotes around the value", 'Type: TXT\nHost: @\nValue: "seekmere-owner=4f1d"', ['@ TXT "seekmere-owner=4f1d"'], ["quotes"]],
  ["several quoted strings", 'Type: TXT\nHost: k\nValue: "v=DKIM1; p=AAAA" "BBBB"', ['k TXT "v=DKIM1; p=AAAABBBB"'], ["quotes"]],
  [
    "quoted strings on lines of their own",
    'Type: TXT\nHost: k\nValue: "v=DKIM1; p=AAAA"\n"BBBB"',
    ['k TXT "v=DKIM1; p=AAAABBBB"'],
    ["wrapped", "quotes"],
  ],
  [
    "typographic quotes",
    "Type: TXT\nHost: @\nValue: “seekmere-owner=4f1d”",
    ['@ TXT "seekmere-owner=4f1d"'],
    ["typographic-quotes", "quotes"],
  ],
  ["single quotes", "Type: TXT\nHost: @\nValue: 'sm=1'", ['@ TXT "sm=1"'], ["quotes"]],
  ["HTML entities", "Type: TXT\nHost: @\nValue: &quot;a=b&amp;c&quot;", ['@ TXT "a=b&c"'], ["html-entity", "quotes"]],
  [
    "characters without width",
    "Type: TXT\nHost: @\nValue: seek\u200bmere=4f\u200b1d\ufeff",
    ['@ TXT "seekmere=4f1d"'],
    ["invisible-characters"],
  ],
  [
    "non-breaking spaces",
    "Type:\u00a0TXT\nHost:\u00a0@\nValue:\u00a0v=spf1\u00a0include:spf.heronpost.example\u00a0-all",
    ['@ TXT "v=spf1 include:spf.heronpost.example -all"'],
    ["odd-blanks"],
  ],
  ["a backquoted value", "Type: TXT\nHost: @\nValue: `sm=1`", ['@ TXT "sm=1"'], ["code-marks"]],
  [
    "an SPF record wrapped at a blank",
    "Type: TXT\nHost: @\nValue: v=spf1 include:spf.heronpost.example\ninclude:spf.inglemail.example -all",
    ['@ TXT "v=spf1 include:spf.heronpost.example include:spf.inglemail.example -all"'],
    ["wrapped"],
  ],
  ["Windows line ends", "Type: TXT\r\nHost: @\r\nValue: sm=1\r\n", ['@ TXT "sm=1"']],

  // Tables
  [
    "tabs and a heading",
    "Type\tHost\tValue\nTXT\t@\tpw=1\nCNAME\twww\tsites.pagewick.example",
    ['@ TXT "pw=1"', "www CNAME sites.pagewick.example."],
  ],
  [
    "blanks and a heading",
    "Type     Name     Data\nA        @        192.0.2.80\nA        @        192.0.2.81",
    ["@ A 192.0.2.80", "@ A 192.0.2.81"],
  ],
  [
    "the columns in another order",
    "Host name\tTTL\tRecord type\tPoints to\nwww\t3600\tCNAME\tsites.pagewick.example",
    ["www CNAME sites.pagewick.example."],
  ],
  [
    "a priority column",
    "Type\tName\tPriority\tMail server\nMX\t@\t10\tmx1.inglemail.example\nMX\t@\t20\tmx2.inglemail.example",
    ["@ MX 10 mx1.inglemail.example.", "@ MX 20 mx2.inglemail.example."],
  ],
  ["no heading, tabs", "CNAME\twww\tsites.pagewick.example", ["www CNAME sites.pagewick.example."]],
  [
    "no heading, type in the middle, TTL at the end",
    "www    CNAME    sites.pagewick.example    3600",
    ["www CNAME sites.pagewick.example."],
  ],
  ["no heading, MX with its number", "MX    @    10    mx1.inglemail.example", ["@ MX 10 mx1.inglemail.example."]],
  [
    "a Markdown table",
    "| Type | Host | Value |\n|------|------|-------|\n| TXT | @ | pw=1 |\n| CNAME | www | sites.pagewick.example |",
    ['@ TXT "pw=1"', "www CNAME sites.pagewick.example."],
  ],
  [
    "a table in a text",
    "Please add:\n\nKind    Label    Content\nTXT     @        pw=1\n\nIt can take 48 hours.",
    ['@ TXT "pw=1"'],
  ],
  [
    "a column with notes",
    "Status\tType\tName\tValue\nmissing\tTXT\t_pw\tpw=1\nmissing\tCNAME\twww\tsites.pagewick.example",
    ['_pw TXT "pw=1"', "www CNAME sites.pagewick.example."],
  ],
  [
    "CSV",
    'type,host,value\nTXT,@,"pw=1, two"\nCNAME,www,sites.pagewick.example',
    ['@ TXT "pw=1, two"', "www CNAME sites.pagewick.example."],
  ],
  ["CSV with semicolons", "Name;Type;TTL;Content\n@;TXT;300;pw=1", ['@ TXT "pw=1"']],
  ["CSV with doubled quotes", 'name,type,data\n@,TXT,"say ""hi"""', ['@ TXT "say \\"hi\\""']],

  // Sentences
  ["a sentence", "Add a CNAME record for www pointing to sites.pagewick.example.", ["www CNAME sites.pagewick.example."]],
  [
    "a sentence with a value in quotes",
    "Please create a TXT record at @ with the value “seekmere-owner=4f1d” and come back.",
    ['@ TXT "seekmere-owner=4f1d"'],
    ["typographic-quotes", "quotes"],
  ],
  ["a sentence that names the host", "You need an A record named shop that points to 192.0.2.90, please.", ["shop A 192.0.2.90"]],
  ["a sentence the other way round", "Point www to sites.pagewick.example using a CNAME.", ["www CNAME sites.pagewick.example."]],
  [
    "two sentences",
    "First add a TXT record for _pw containing pw=1. Then add a CNAME record for www pointing to sites.pagewick.example.",
    ['_pw TXT "pw=1"', "www CNAME sites.pagewick.example."],
  ],

  // Formats of programs
  [
    "zone-file lines",
    '@ 3600 IN TXT "pw=1"\nwww IN CNAME sites.pagewick.example.',
    ['@ TXT "pw=1"', "www CNAME sites.pagewick.example."],
  ],
  ["zone-file lines with full names and a comment", '_pw.brackwater.example. 300 TXT "pw=1" ; proof', ['_pw TXT "pw=1"']],
  ["a zone-file line whose target lost its dot", "www CNAME sites.pagewick.example", ["www CNAME sites.pagewick.example."]],
  [
    "JSON objects",
    '[{"type":"TXT","name":"@","content":"pw=1"},{"type":"MX","name":"@","priority":10,"value":"mx1.inglemail.example"}]',
    ['@ TXT "pw=1"', "@ MX 10 mx1.inglemail.example."],
  ],
  [
    "JSON inside an envelope",
    '{"domain":"brackwater.example","dns":{"records":[{"recordType":"CNAME","hostName":"www","pointsTo":"sites.pagewick.example","ttl":600}]}}',
    ["www CNAME sites.pagewick.example."],
  ],
  ["CAA", 'Type: CAA\nName: @\nValue: 0 issue "sealbarrow.example"', ['@ CAA 0 issue "sealbarrow.example"']],
  [
    "a long key in a table",
    `Type\tHost\tValue\nTXT\tsq._domainkey\tv=DKIM1; p=${"A".repeat(300)}`,
    [`sq._domainkey TXT "v=DKIM1; p=${"A".repeat(244)}" "${"A".repeat(56)}"`],
  ],
];

describe("pastes", () => {
  test("there are at least 60, each in its own words", () => {
    expect(PASTES.length).toBeGreaterThanOrEqual(60);
    expect(new Set(PASTES.map(([, paste]) => paste)).size).toBe(PASTES.length);
  });
  test.each(PASTES)("%s", (_, paste, records, repairs = []) => {
    const understood = read(paste);
    expect(understood.problems).toEqual([]);
    expect(understood.questions).toEqual([]);
    expect(shown(paste)).toEqual(records);
    expect([...new Set(understood.repairs.map(({ kind }) => kind))]).toEqual(repairs);
  });
  test("TTLs are taken over, in whatever words", () => {
    expect(read("Type: TXT\nHost: @\nValue: a=1\nTTL: 300").records[0]?.ttl).toBe(300);
    expect(read("Type: TXT\nHost: @\nValue: a=1\nTTL: 1h").records[0]?.ttl).toBe(3600);
    expect(read("Type: TXT\nHost: @\nValue: a=1\nTTL: 600 seconds").records[0]?.ttl).toBe(600);
    expect(read("Type: TXT\nHost: @\nValue: a=1\nTTL: automatic").records[0]?.ttl).toBe(3600);
  });
});

describe("doubts are questions, never guesses", () => {
  test.each<[string, string, string, string, string]>([
    [
      "a host that may be elsewhere",
      "Type: TXT\nHost: mail.other.example\nValue: k=1",
      "host-mail.other.example",
      "inside",
      'mail.other.example TXT "k=1"',
    ],
    ["a target of one label", "Type: CNAME\nHost: www\nTarget: box", "target-box", "inside", "www CNAME box.brackwater.example."],
    ["a target of one label, meant as it is", "Type: CNAME\nHost: www\nTarget: box", "target-box", "as-is", "www CNAME box."],
    [
      "no type, and a value that may be either",
      "Host: proof\nValue: a.sealbarrow.example",
      "type-proof",
      "CNAME",
      "proof CNAME a.sealbarrow.example.",
    ],
    [
      "the same, meant as a text",
      "Host: proof\nValue: a.sealbarrow.example",
      "type-proof",
      "TXT",
      'proof TXT "a.sealbarrow.example"',
    ],
  ])("%s", (_, paste, id, answer, record) => {
    const open = read(paste);
    expect(open.records).toEqual([]);
    expect(open.questions.map((question) => question.id)).toEqual([id]);
    expect(shown(paste, { [id]: answer })).toEqual([record]);
  });
});

describe("what cannot be saved is a problem with its row", () => {
  test.each<[string, string, RegExp]>([
    ["a host elsewhere", "Type: TXT\nHost: www.other.test.\nValue: k=1", /is not part of brackwater.example/],
    ["a host that is no name", "Type: TXT\nHost: a..b\nValue: k=1", /not a name/],
    ["an address that is none", "Type: A\nHost: @\nValue: 192.0.2.300", /expected an IPv4 address/],
    ["a target that is none", "Type: CNAME\nHost: www\nValue: a..b", /domain name/],
  ])("%s", (_, paste, because) => {
    const understood = read(paste);
    expect(understood.records).toEqual([]);
    expect(understood.problems).toMatchObject([{ row: 1, because: expect.stringMatching(because) }]);
  });
  test.each(["", "Welcome to Seekmere!", "Type the following into your form.", "{ not json", "[]"])(
    "%j holds no record",
    (paste) => {
      expect(read(paste)).toMatchObject({ layout: undefined, records: [] });
    },
  );
});

test("any text is read without an exception, and in time that grows with its length only", () => {
  const word = fc.constantFrom(
    "Type",
    "Host:",
    "Value",
    "TXT",
    "CNAME",
    "@",
    "www",
    "\n",
    "\t",
    "  ",
    ",",
    '"',
    "“",
    "record for",
    "pointing to",
    "{",
    "|",
    "\\",
    "a.b",
    "192.0.2.1",
    "&amp;",
  );
  fc.assert(fc.property(fc.array(word, { maxLength: 40 }), (words) => void read(words.join(" "))));
  // A megabyte of each: what took time by the square of its length would not come to an end here.
  for (const part of [" ", "\t", "\n", " \n", "|", "| ", "<meta ", "&", "* ", "- ", ": ", ", ", ";", "host ", '"', "(", "=", "…"])
    for (const around of ["", "Type\tHost\tValue\nTXT\t@\t", "Add a TXT record "])
      read(`${around}${part.repeat((1 << 20) / part.length - 100)} end`);
  for (const part of ["Type: TXT ", "a TXT record for ", "| ", '"x" ', "Host\n", "point "]) read(part.repeat(20_000));
});
