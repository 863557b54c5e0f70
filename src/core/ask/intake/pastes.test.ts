import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { KINDS, makePage } from "../../../../tests/pages.ts";
import {
  BETWEEN,
  CASES,
  closedPages,
  DOMAIN,
  linesOf,
  outcomeOf,
  outcomeOfPage,
  outcomeOfPair,
  pasteOf,
  read,
  shown,
  stopsOf,
  TTL,
  textPages,
  WAYS,
  wantedOf,
} from "../../../../tests/paste-changes.ts";
import { name } from "../../name/index.ts";
import { byPurpose, understand } from "./index.ts";

describe("pastes as people bring them", () => {
  test.each(CASES)("%s", (file) => {
    const understood = read(pasteOf(file));
    const wanted = wantedOf(file).trim().split("\n");
    const stops = wanted.flatMap((line) => /^stops: (.*)$/.exec(line)?.[1] ?? []);
    if (stops.length > 0) {
      const found = stopsOf(understood);
      if (stops[0] === "any") expect(found).not.toEqual([]);
      else expect(found).toEqual(expect.arrayContaining(stops));
      return;
    }
    const repairs = wanted.flatMap((line) => /^repair: (.*)$/.exec(line)?.[1] ?? []);
    const lines = wanted.filter((line) => !/^(?:repair|purposes): /.test(line));
    expect({ stops: stopsOf(understood), lines: linesOf(understood).sort(), leftover: understood.leftover }).toEqual({
      stops: [],
      lines: lines.sort(),
      leftover: [],
    });
    expect(understood.repairs.map(({ kind }) => kind)).toEqual(expect.arrayContaining(repairs));
  });
});

test("a host called like a button is a host", () =>
  expect(linesOf(read("Type: CNAME\nHost: copy\nTarget: sites.pagewick.example"))).toEqual([
    "copy CNAME sites.pagewick.example.",
  ]));

test("the corpus is of the size it has to be, a sixth of it to be refused or asked about", () => {
  const wants = CASES.map(wantedOf);
  expect(CASES.length).toBeGreaterThanOrEqual(310);
  expect(wants.filter((want) => want.startsWith("stops:")).length).toBeGreaterThanOrEqual(50);
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
    [
      "two hosts in one field",
      "Type: CNAME\nHost: www or shop\nValue: sites.pagewick.example",
      "host-www-or-shop",
      "shop",
      "shop CNAME sites.pagewick.example.",
    ],
    [
      "one of two ways",
      "Option 1: TXT record\nHost: @\nValue: k=1a\n\nOption 2: CNAME record\nHost: k7\nValue: verify.seekmere.example",
      "option",
      "2",
      "k7 CNAME verify.seekmere.example.",
    ],
  ])("%s", (_, paste, id, answer, record) => {
    const open = read(paste);
    expect(open.records).toEqual([]);
    expect(open.questions.map((question) => question.id)).toEqual([id]);
    expect(read(paste, { [id]: answer }).records.map((one) => shown(one.record))).toEqual([record]);
  });
});

describe("what mail programs, editors and the pages themselves do to a paste changes nothing, or it is said", () => {
  const pages = textPages();
  // Each way changes every so many pages, beginning with another one; the fuzzer changes them all.
  const EVERY = 6;

  test.each(WAYS.map(([title, change], i) => [title, change, i] as const))("%s", (_, change, way) => {
    const changed = pages
      .map((page) => ({ ...page, made: change(page.text) }))
      .filter(({ text, made }) => made !== text)
      .filter((_page, i) => i % EVERY === way % EVERY);
    expect(changed.length).toBeGreaterThan(2);
    const outcomes = changed.map(({ file, made, content }) => ({ file, outcome: outcomeOf(made, content) }));
    expect(outcomes.filter(({ outcome }) => outcome === "misread")).toEqual([]);
    expect(outcomes.filter(({ outcome }) => outcome === "stopped").length).toBeLessThanOrEqual(1 + changed.length * 0.06);
  });
});

describe("what a page says of several things at once", () => {
  test.each<[string, string[]]>([
    ['Expected:\n@ 300 IN TXT "unseen=77aa"\nCurrently:\n@ 300 IN TXT "v=spf1 -all"', ['@ 300 TXT "unseen=77aa"']],
    [
      "Type | Host | Current value | Required value\nCNAME | mail | (not found) | mail.quaylet.example",
      ["mail CNAME mail.quaylet.example."],
    ],
    [
      "Add these MX records for mail.brackwater.example:\n1 mx-a.quaylet.example\n5 mx-b.quaylet.example",
      ["mail MX 1 mx-a.quaylet.example.", "mail MX 5 mx-b.quaylet.example."],
    ],
    [
      "Please delegate go.brackwater.example to our name servers by adding NS records:\n• ns-1.quaylet.example\n• ns-2.quaylet.example",
      ["go NS ns-1.quaylet.example.", "go NS ns-2.quaylet.example."],
    ],
    ["Set an A record to 203.0.113.30 for both the root domain and www.", ["@ A 203.0.113.30", "www A 203.0.113.30"]],
    ["✅ DMARC  TXT  _dmarc  v=DMARC1; p=none;  Verified", ['_dmarc TXT "v=DMARC1; p=none;"']],
    [
      "Add a TXT record at _dmarc with v=DMARC1;  p=none;  rua=mailto:a@quaylet.example",
      ['_dmarc TXT "v=DMARC1;  p=none;  rua=mailto:a@quaylet.example"'],
    ],
    ["Type: A\nName: @ and www\nValue: 203.0.113.31", ["@ A 203.0.113.31", "www A 203.0.113.31"]],
    ["Hostname: help\nPoints to: helpdesk.quaylet.example", ["help CNAME helpdesk.quaylet.example."]],
    ["CNAME: autodiscover = autodiscover.quaylet.example", ["autodiscover CNAME autodiscover.quaylet.example."]],
    ["1. Create a TXT record.\n2. In the Name field enter _pw.\n3. In the Value field paste pw-3b1c9d.", ['_pw TXT "pw-3b1c9d"']],
    ["We use cookies from cdn.cookiebar.example. Accept all\nTXT record\nHost: @\nValue: pw=cookie1", ['@ TXT "pw=cookie1"']],
  ])("%s", (text, expected) => {
    const understood = read(text);
    expect([linesOf(understood).sort(), stopsOf(understood)]).toEqual([expected.sort(), []]);
  });
});

describe("sentences: a bare word is never a host, and the last verb counts", () => {
  test.each<[string, string]>([
    ["To activate your site, add a CNAME record pointing to sites.pagewick.example", "stops"],
    ["Use this ID to configure your DNS TXT record: pw-4471ab99cd", '@ TXT "pw-4471ab99cd"'],
    ["Add a TXT record; for the host enter @ and for the value enter pw=4471ab", '@ TXT "pw=4471ab"'],
    ["Log in to Nettlehost and add a TXT record with the value pw=4471ab", '@ TXT "pw=4471ab"'],
    ["To connect your own name we need two records: see help.pagewick.example.", "nothing"],
    ["Delete any existing MX records, then add:\nMX @ 10 mx1.inglemail.example", "@ MX 10 mx1.inglemail.example."],
    ["Priority  7\nType  MX\nName  @\nServer  mx1.inglemail.example\nTTL  600", "@ 600 MX 7 mx1.inglemail.example."],
    ["Enter www as host, CNAME as type, sites.pagewick.example as value.", "www CNAME sites.pagewick.example."],
    ["Fügen Sie einen TXT-Eintrag mit dem Namen _pw und dem Wert pw=4471ab hinzu.", '_pw TXT "pw=4471ab"'],
  ])("%s", (text, expected) => {
    const understood = read(text);
    if (expected === "stops") expect([...linesOf(understood), ...stopsOf(understood)]).toEqual(["no-host"]);
    else if (expected === "nothing") expect(linesOf(understood)).toEqual([]);
    else expect([linesOf(understood), stopsOf(understood)]).toEqual([[expected], []]);
  });
});

describe("what no page asks for is not saved, whatever spoke for it", () => {
  test.each<[string, string]>([
    ["www CNAME a.pagewick.example.\nwww CNAME b.pagewick.example.", "read-wrong"],
    ["Type\tHost\tValue\nTXT\t_pw\tbrackwater.example", "read-wrong"],
  ])("%s", (text, code) => {
    const understood = read(text);
    expect(linesOf(understood)).toEqual([]);
    expect(stopsOf(understood)).toContain(code);
  });
  test("what is the same twice is once", () =>
    expect(linesOf(read("www CNAME a.pagewick.example.\nwww CNAME a.pagewick.example."))).toEqual([
      "www CNAME a.pagewick.example.",
    ]));
});

test("what shows each field is told, and what each line was taken for", () => {
  const { records, page } = read("Type: TXT\nHost: _pw\nValue: pw=1a2b3c\nVerify now\nHave a nice day");
  expect(records[0]?.evidence).toEqual({ type: "label", host: "label", value: "label" });
  expect(page.map(({ taken, rest }) => taken.map(({ as, text }) => `${as} ${text}`).join() || rest)).toEqual([
    "type TXT",
    "host _pw",
    "value pw=1a2b3c",
    "button",
    "passed-over",
  ]);
  const [lone] = read("www.brackwater.example 192.0.2.7 A").records;
  expect(lone?.evidence.host).not.toBe("label");
});

describe("pages that nobody has seen, of every kind of layout", () => {
  // A sample of each kind; the fuzzer makes thousands.
  const EACH = 12;

  test.each(Object.keys(KINDS))("%s", (kind) => {
    const outcomes = Array.from({ length: EACH }, (_, seed) => ({ seed, outcome: outcomeOfPage(makePage(kind, seed)) }));
    expect(outcomes.filter(({ outcome }) => outcome === "misread")).toEqual([]);
    expect(outcomes.filter(({ outcome }) => outcome === "stopped").length).toBeLessThanOrEqual(1);
  });
});

describe("two pages pasted one behind the other", () => {
  const pages = closedPages();
  // One in so many of all pairs, for each thing that may stand between.
  const EVERY = 1067;

  test.each(BETWEEN)("%s between them: both are read, or it is said that they are not", (_, between) => {
    const outcomes: { readonly pair: string; readonly outcome: string }[] = [];
    for (let i = 0; i < pages.length ** 2; i += EVERY) {
      const [first, second] = [pages[Math.floor(i / pages.length)], pages[i % pages.length]];
      if (first === undefined || second === undefined || first === second) continue;
      outcomes.push({ pair: `${first.file} + ${second.file}`, outcome: outcomeOfPair(first, between, second) });
    }
    expect(outcomes.length).toBeGreaterThan(50);
    expect(outcomes.filter(({ outcome }) => outcome === "misread")).toEqual([]);
    expect(outcomes.filter(({ outcome }) => outcome === "stopped").length).toBeLessThanOrEqual(1 + outcomes.length * 0.03);
  });
});

test.each(CASES.filter((file) => /purposes: /.test(wantedOf(file))))("%s becomes the asks a specialist would name", (file) => {
  const text = pasteOf(file);
  const wanted = /purposes: (.*)/.exec(wantedOf(file))?.[1]?.split(" ");
  expect(byPurpose(read(text).records, DOMAIN, text).map(({ purpose }) => purpose)).toEqual(wanted);
});

test("records for another domain of the workspace are set apart, and a page about it is not taken for this one", () => {
  const others = [name("puppetfest.example")];
  const both = understand({
    text: "Type\tHost\tValue\nA\t@\t203.0.113.1\nA\twww.puppetfest.example\t203.0.113.2",
    domain: DOMAIN,
    others,
    ttl: TTL,
    choices: new Map(),
  });
  expect(both.records.map(({ record }) => shown(record))).toEqual(["@ A 203.0.113.1"]);
  expect(both.elsewhere).toMatchObject([{ domain: "puppetfest.example." }]);
});

describe("any text is read without an exception, and in time that grows with its length only", () => {
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
    "<td>",
    "Option 1",
    "or",
    "> ",
    "* ",
    "v=spf1 ",
    "include:x.example",
    "…",
  );
  test("words in any order", () => {
    fc.assert(fc.property(fc.array(word, { maxLength: 40 }), (words) => void read(words.join(" "))));
  });
  test("a value that is understood stands in the paste, or a repair says how it came about", () => {
    fc.assert(
      fc.property(
        fc.stringMatching(/^[a-z]{3,8}-[a-z]{3,8}=[0-9a-f]{8,20}$/),
        fc.constantFrom("\t", " | ", ": ", "   "),
        (token, separator) => {
          const paste = `Type${separator}TXT\nHost${separator}_x\nValue${separator}${token}\n`;
          expect(read(paste).records.map(({ record }) => shown(record))).toEqual([`_x TXT "${token}"`]);
        },
      ),
    );
  });
  // A megabyte of each: what took time by the square of its length would not come to an end here.
  test.each([
    " ",
    "\t",
    "\n",
    " \n",
    "|",
    "| ",
    "<meta ",
    "&",
    "* ",
    "- ",
    ": ",
    ", ",
    ";",
    "host ",
    '"',
    "(",
    "=",
    "…",
    "TXT\n@\nk=1\n",
    "Type: TXT ",
    "www CNAME a.example.\n",
    "<td>",
    "a.b ",
    "{",
  ])("a megabyte of %j", (part) => {
    for (const around of ["", "Type\tHost\tValue\nTXT\t@\t", "Add a TXT record "])
      read(`${around}${part.repeat((1 << 20) / part.length - 100)} end`);
  });
});
