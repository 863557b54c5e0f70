import { generateKeyPairSync } from "node:crypto";
import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { allInWords } from "../../present/clauses/index.ts";
import { verbatim } from "../clause/index.ts";
import { BodyHash, keyRecordText, makeSignature } from "../dkim/index.ts";
import { failed, type Lookup, zoneLookup } from "../lookup/index.ts";
import { parseHeader, scanMessage } from "../message/index.ts";
import { name } from "../name/index.ts";
import { readZone, zonesOf } from "../zone/index.ts";
import { authenticationResults, bulkRequirements, type Envelope, envelopeOf, judgeMessage } from "./index.ts";

const pair = generateKeyPairSync("ed25519");
const DNS = zoneLookup(
  zonesOf(
    readZone(`$TTL 60
. SOA a. b. 1 1 1 1 60
brackwater.example. TXT "v=spf1 ip4:192.0.2.24/29 -all"
_dmarc.brackwater.example. TXT "v=DMARC1; p=reject; sp=quarantine"
k1._domainkey.brackwater.example. TXT "${keyRecordText(pair.publicKey)}"
heronpost.example. TXT "v=spf1 ip4:198.51.100.70 -all"
out.heronpost.example. A 198.51.100.70
out.heronpost.example. TXT "v=spf1 a -all"
70.100.51.198.in-addr.arpa. PTR out.heronpost.example.
71.100.51.198.in-addr.arpa. PTR out.heronpost.example.
`),
  ),
);
const OURS: Envelope = { ip: "192.0.2.25", helo: "mx1.inglemail.example", mailFrom: "box@brackwater.example" };
const THEIRS: Envelope = { ip: "198.51.100.70", helo: "out.heronpost.example", mailFrom: "bounce@heronpost.example" };
const source = (text: string) => ({ chunks: () => [Buffer.from(text, "latin1")] });

async function judge(message: string, envelope: Envelope = OURS, lookup: Lookup = DNS) {
  const judged = await judgeMessage(source(message), { envelope, lookup, now: 1_772_442_000 });
  if (!judged.ok) throw new Error(judged.error.code);
  return judged.value;
}

async function signed(message: string, fields?: string[]): Promise<string> {
  const body = new BodyHash("relaxed");
  const header = await scanMessage(source(message), () => [body]);
  if (!header.ok) throw new Error("no header");
  const options = {
    domain: name("brackwater.example"),
    selector: "k1",
    key: pair.privateKey,
    header: "relaxed",
    body: "relaxed",
    signedAt: 1_772_441_000,
  } as const;
  return `${makeSignature(header.value, body, { ...options, ...(fields === undefined ? {} : { fields }) })?.raw}\r\n${message}`;
}

const MAIL = "From: Box office <box@brackwater.example>\r\nSubject: x\r\n\r\nhello\r\n";

describe("the receiver's verdict (RFC 7489 section 6.6)", () => {
  type Row = [
    title: string,
    message: string | Promise<string>,
    envelope: Envelope,
    spf: string | undefined,
    dmarc: string,
    policy: string | undefined,
    disposition: string,
  ];
  test.each<Row>([
    ["SPF aligned", MAIL, OURS, "pass", "pass", "reject", "none"],
    ["forged", MAIL, THEIRS, "pass", "fail", "reject", "reject"],
    ["signed, sent by a service", signed(MAIL), THEIRS, "pass", "pass", "reject", "none"],
    [
      "signed and changed",
      signed(MAIL).then((text) => text.replace("hello", "hullo")),
      THEIRS,
      "pass",
      "fail",
      "reject",
      "reject",
    ],
    ["a subdomain in From", MAIL.replace("@brack", "@news.brack"), THEIRS, "pass", "fail", "quarantine", "quarantine"],
    ["the empty reverse path is checked by HELO", MAIL, { ...THEIRS, mailFrom: "" }, "pass", "fail", "reject", "reject"],
    [
      "From of the HELO domain",
      MAIL.replace("@brackwater", "@out.heronpost"),
      { ...THEIRS, mailFrom: "" },
      "pass",
      "none",
      undefined,
      "none",
    ],
    [
      "nobody knows the client, and nothing is signed",
      MAIL,
      { mailFrom: "box@brackwater.example" },
      undefined,
      "temperror",
      "reject",
      "none",
    ],
    ["nobody knows the client, and it is signed", signed(MAIL), {}, undefined, "pass", "reject", "none"],
    ["nobody knows the envelope at all", MAIL, {}, undefined, "temperror", "reject", "none"],
    ["no From", MAIL.replace("From:", "X-From:"), OURS, "pass", "permerror", undefined, "none"],
    ["two From fields", `From: a@heronpost.example\r\n${MAIL}`, OURS, "pass", "permerror", undefined, "none"],
    [
      "two From fields, one of them forged",
      `From: a@heronpost.example\r\n${MAIL}`,
      THEIRS,
      "pass",
      "permerror",
      "reject",
      "reject",
    ],
    [
      "two authors, only one proven",
      MAIL.replace("From: ", "From: a@heronpost.example, "),
      OURS,
      "pass",
      "none",
      undefined,
      "none",
    ],
    [
      "two authors, the protected one not proven",
      MAIL.replace("From: ", "From: a@heronpost.example, "),
      THEIRS,
      "pass",
      "fail",
      "reject",
      "reject",
    ],
    [
      "two addresses of one domain",
      MAIL.replace("From: ", "From: a@brackwater.example, "),
      OURS,
      "pass",
      "pass",
      "reject",
      "none",
    ],
    ["an empty group", MAIL.replace(/From:.*/, "From: Nobody:;"), OURS, "pass", "permerror", undefined, "none"],
    [
      "a group with one address",
      MAIL.replace(/From:.*/, "From: Team: box@brackwater.example;"),
      OURS,
      "pass",
      "pass",
      "reject",
      "none",
    ],
    [
      "an address in the name only",
      MAIL.replace(/From:.*/, 'From: "box@brackwater.example" <a@heronpost.example>'),
      THEIRS,
      "pass",
      "none",
      undefined,
      "none",
    ],
    ["From cannot be read", MAIL.replace(/From:.*/, "From: box at brackwater"), OURS, "pass", "permerror", undefined, "none"],
    ["an address literal", MAIL.replace(/From:.*/, "From: box@[192.0.2.1]"), OURS, "pass", "permerror", undefined, "none"],
    [
      "an encoded name",
      MAIL.replace(/From:.*/, "From: =?utf-8?q?B=C3=BChne?= <box@brackwater.example>"),
      OURS,
      "pass",
      "pass",
      "reject",
      "none",
    ],
    ["NUL in the body", `${MAIL}\0\0`, OURS, "pass", "pass", "reject", "none"],
    ["no empty line", "From: box@brackwater.example\r\n", OURS, "pass", "pass", "reject", "none"],
    ["bare line feeds", MAIL.replaceAll("\r\n", "\n"), OURS, "pass", "pass", "reject", "none"],
  ])("%s", async (_, message, envelope, spf, dmarc, policy, disposition) => {
    const verdict = await judge(await message, envelope);
    expect(
      allInWords([verdict.spf.verdict?.result, verdict.dmarc.result, verdict.dmarc.policy, verdict.dmarc.disposition]),
    ).toEqual([spf, dmarc, policy, disposition]);
  });
  test("a MIME bomb is a body like any other: nothing of it is unpacked", async () => {
    const parts = Array.from(
      { length: 20_000 },
      (_, i) => `Content-Type: multipart/mixed; boundary="b${i}"\r\n\r\n--b${i}\r\n`,
    ).join("");
    const verdict = await judge(await signed(`From: box@brackwater.example\r\nMIME-Version: 1.0\r\n${parts}`), THEIRS);
    expect(allInWords([verdict.dkim[0]?.result, verdict.dmarc.result, verdict.header.fields.length])).toEqual([
      "pass",
      "pass",
      4,
    ]);
  });
  test("what cannot be asked is never a failure", async () => {
    const silent: Lookup = { ask: async () => failed("timeout", verbatim("nobody answered")) };
    const verdict = await judge(await signed(MAIL), OURS, silent);
    expect(
      allInWords([verdict.spf.verdict?.result, verdict.dkim[0]?.result, verdict.dmarc.result, verdict.dmarc.disposition]),
    ).toEqual(["temperror", "temperror", "temperror", "none"]);
  });
  test("an empty message is an error, not a verdict", async () =>
    expect(allInWords(await judgeMessage(source(""), { envelope: {}, lookup: DNS, now: 0 }))).toMatchObject({
      ok: false,
      error: { code: "empty" },
    }));
});

describe("the envelope from the receiver's own lines (RFC 5321 section 4.4)", () => {
  test.each<[string, string, object, number?]>([
    [
      "the usual form",
      "Received: from out.heronpost.example (out.heronpost.example [198.51.100.70]) by mx; date",
      { ip: "198.51.100.70", helo: "out.heronpost.example", hop: 1 },
    ],
    [
      "IPv6",
      "Received: from a.example (a.example [IPv6:2001:db8::1])\r\n\tby mx with ESMTPS",
      { ip: "2001:db8::1", encrypted: true },
    ],
    [
      "HELO in the comment",
      "Received: from rdns.example (HELO said.example) (192.0.2.9) by mx",
      { ip: "192.0.2.9", helo: "said.example" },
    ],
    [
      "helo= in the comment",
      "Received: from [192.0.2.9] (helo=said.example) by mx with esmtp",
      { ip: "192.0.2.9", helo: "said.example", encrypted: false },
    ],
    [
      "machines of one's own network are passed over",
      "Received: from in (in [10.0.0.1]) by store\r\nReceived: from out.example (x [192.0.2.9]) by mx",
      { ip: "192.0.2.9", hop: 2 },
    ],
    [
      "unless a line is named",
      "Received: from in (in [10.0.0.1]) by store\r\nReceived: from out.example (x [192.0.2.9]) by mx",
      { ip: "10.0.0.1", hop: 1 },
      1,
    ],
    ["only the inside is known", "Received: from in (in [10.0.0.1]) by store", { ip: "10.0.0.1", hop: 1 }],
    [
      "a line without an address",
      "Received: by mx with LMTP id 1\r\nReceived: from out.example (x [192.0.2.9]) by mx",
      { ip: "192.0.2.9", hop: 2 },
    ],
    ["Return-Path", "Return-Path: <bounce@heronpost.example>", { mailFrom: "bounce@heronpost.example" }],
    ["the empty Return-Path", "Return-Path: <>", { mailFrom: "" }],
    ["nothing", "Subject: x", {}],
    ["an address that is none", "Received: from a (b [999.1.1.1]) by mx", {}],
  ])("%s", (_, header, expected, ...[hop]) => {
    const narration = envelopeOf(parseHeader(`${header}\r\n`), typeof hop === "number" ? hop : undefined);
    expect(allInWords(narration)).toMatchObject(expected);
    if (!("ip" in expected)) expect(narration.ip).toBeUndefined();
  });
});

test("Authentication-Results (RFC 8601 section 2.2)", async () => {
  const line = authenticationResults(
    "mx.mallowmail.example",
    await judge(await signed(MAIL), { ...OURS, mailFrom: 'b"x y@brackwater.example' }),
  );
  expect(allInWords(line.split(";\r\n\t").map((part) => part.replace(/header\.b=\S+/, "header.b=*")))).toEqual([
    "Authentication-Results: mx.mallowmail.example",
    'spf=pass smtp.mailfrom="b\\"x y@brackwater.example"',
    "spf=none smtp.helo=mx1.inglemail.example",
    "dkim=pass header.d=brackwater.example header.s=k1 header.a=ed25519-sha256 header.b=*",
    "dmarc=pass (p=reject dis=none) header.from=brackwater.example",
  ]);
  expect(allInWords(authenticationResults("mx", await judge(MAIL.replace("From:", "X:"), {})))).toBe(
    "Authentication-Results: mx;\r\n\tdkim=none;\r\n\tdmarc=permerror",
  );
});

describe("what bulk senders are asked for (RFC 5322 section 3.6, RFC 8058)", () => {
  const NEWS = `From: news@brackwater.example\r\nDate: Mon, 2 Mar 2026 09:00:00 +0000\r\nMessage-ID: <1@brackwater.example>\r\nList-Unsubscribe: <mailto:l@b.example>, <https://b.example/u>\r\nList-Unsubscribe-Post: List-Unsubscribe=One-Click\r\n\r\nhello\r\n`;
  const failing = async (message: string, envelope: Envelope = { ...OURS, ...THEIRS }) =>
    (await bulkRequirements(await judge(message, envelope), DNS)).filter((one) => one.met === false).map((one) => one.id);
  test.each<[string, string | Promise<string>, string[]]>([
    ["all there", signed(NEWS), ["aligned-spf"]],
    ["not signed", NEWS, ["aligned-spf", "aligned-dkim", "one-click-signed"]],
    ["the unsubscribe fields not signed", signed(NEWS, ["from", "date"]), ["aligned-spf", "one-click-signed"]],
    ["no one-click", signed(NEWS.replace(/List-Unsubscribe-Post.*\r\n/, "")), ["aligned-spf", "one-click"]],
    ["only a mail address to leave", signed(NEWS.replace(", <https://b.example/u>", "")), ["aligned-spf", "one-click"]],
    ["no Date, no Message-ID", signed(NEWS.replace(/Date.*\r\nMess.*\r\n/, "")), ["date", "message-id", "aligned-spf"]],
    ["two Dates", signed(`Date: Mon, 2 Mar 2026 09:00:00 +0000\r\n${NEWS}`), ["date", "aligned-spf"]],
    ["a Date in words", signed(NEWS.replace(/Date:.*/, "Date: yesterday")), ["date", "aligned-spf"]],
    ["two authors", signed(NEWS.replace("From: ", "From: a@brackwater.example, ")), ["one-author", "aligned-spf"]],
    ["a line of 998 octets, which is allowed", signed(`${NEWS}${"x".repeat(998)}\r\n`), ["aligned-spf"]],
    ["a line of 999 octets", signed(`${NEWS}${"x".repeat(999)}\r\n`), ["aligned-spf", "line-length"]],
    ["a line of 1 000 octets", signed(`${NEWS}${"x".repeat(999)}\r\n`), ["aligned-spf", "line-length"]],
  ])("%s", async (_, message, ids) => expect(allInWords(await failing(await message))).toEqual(ids));
  test.each<[string, string, boolean | undefined]>([
    ["198.51.100.70", "leads back to it", true],
    ["198.51.100.71", "does not lead back", false],
    ["198.51.100.72", "has no name", false],
  ])("reverse DNS of %s", async (ip, because, met) => {
    const found = (await bulkRequirements(await judge(NEWS, { ...THEIRS, ip }), DNS)).find((one) => one.id === "reverse-dns");
    expect(allInWords(found)).toMatchObject({ met, because: expect.stringContaining(because) });
  });
});

describe("Authentication-Results obeys its grammar for every value (RFC 8601 section 2.2)", () => {
  // The ABNF as it is in that document and in RFC 2045, RFC 5322 and RFC 6376, put together from its own names.
  const token = "[!#$%&'*+.0-9A-Z^_`a-z{|}~-]+";
  const quotedString = '"(?:[\\x20\\x21\\x23-\\x5b\\x5d-\\x7e\\x80-\\uffff]|\\\\[\\x20-\\x7e])*"';
  const value = `(?:${token}|${quotedString})`;
  const dotAtom = "[!#$%&'*+/0-9=?A-Z^_`a-z{|}~-]+(?:\\.[!#$%&'*+/0-9=?A-Z^_`a-z{|}~-]+)*";
  const subDomain = "[A-Za-z0-9](?:[A-Za-z0-9-]*[A-Za-z0-9])?";
  const domainName = `${subDomain}(?:\\.${subDomain})+`;
  const pvalue = `(?:${value}|(?:(?:${dotAtom}|${quotedString})?@)?${domainName})`;
  const comment = "\\([^()\\\\]*\\)";
  const keyword = "[A-Za-z0-9](?:[A-Za-z0-9-]*[A-Za-z0-9])?";
  const property = `${keyword}\\.${keyword}=${pvalue}`;
  const resinfo = `;\\s+${keyword}=${keyword}(?: ${comment})?(?: ${property})*`;
  const field = new RegExp(`^Authentication-Results: ${value}(?:${resinfo})+$`);
  const odd = fc.string({ unit: fc.constantFrom(...'ab1.@"\\;=/+ (),<>[]?:\u0000\u007f\u0085ü-_%'.split("")), maxLength: 20 });
  const address = fc.oneof(
    odd,
    fc.constantFrom("", "news@brackwater.example", '"a b"@brackwater.example', "a/b=c@x.example", "a@x_y.example"),
  );

  test("whatever stands in the envelope, and whatever the receiver is called", async () => {
    await fc.assert(
      fc.asyncProperty(address, odd, odd, async (mailFrom, helo, receiver) => {
        const line = authenticationResults(receiver, await judge(MAIL, { ip: "192.0.2.25", helo, mailFrom }));
        expect(allInWords(line)).toMatch(field);
      }),
      { numRuns: 300 },
    );
  });
  test.each([
    ["smtp.mailfrom=box@brackwater.example", { mailFrom: "box@brackwater.example" }],
    ['smtp.mailfrom="box@brack_water.example"', { mailFrom: "box@brack_water.example" }],
    ["smtp.mailfrom=a/b@brackwater.example", { mailFrom: "a/b@brackwater.example" }],
    ['smtp.helo="[192.0.2.25]"', { mailFrom: "", helo: "[192.0.2.25]" }],
    ['smtp.mailfrom="a;b@brackwater.example"', { mailFrom: "a;b@brackwater.example" }],
  ])("%s", async (expected, more) => {
    expect(allInWords(authenticationResults("mx.example", await judge(MAIL, { ...OURS, ...more })))).toContain(expected);
  });
});
