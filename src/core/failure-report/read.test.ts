import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { inWords } from "../../present/clauses/index.ts";
import { name } from "../name/index.ts";
import { isAboutOne, type ReportParts, readFailureReport } from "./index.ts";

/** Reports about single messages: every field, whatever is missing or wrong, and nothing kept that is nobody's business. */

const NOW = Date.UTC(2026, 2, 9) / 1000;
const HEADER =
  "From: Ada Wren <ada.wren@brackwater.example>\r\nTo: guest.nine@mallowmail.example\r\nSubject: [guild] Your seats in row nine\r\nDate: Mon, 2 Mar 2026 09:00:00 +0000\r\nContent-Type: text/plain; charset=us-ascii\r\nMessage-ID: <a1@brackwater.example>\r\n\r\nCurtain up at half past seven, Ada.\r\n";
const HASHED =
  "from:Ada Wren <ada.wren@brackwater.example>\r\nsubject:Your seats in row nine\r\ndate:Mon, 2 Mar 2026 09:00:00 +0000\r\ncontent-type:text/plain; charset=utf-8\r\nlist-id:<guild>\r\n";
const base64 = (text: string) => Buffer.from(text, "latin1").toString("base64").replace(/.{60}/g, "$&\r\n ");

const FULL = [
  "Feedback-Type: auth-failure",
  "User-Agent: mallowmail/1",
  "Version: 1",
  "Original-Mail-From: <bounce+ada@brackwater.example>",
  "Arrival-Date: Mon, 2 Mar 2026 09:00:05 +0000 (UTC)",
  "Source-IP: 192.0.2.25",
  "Reported-Domain: brackwater.example",
  "Auth-Failure: bodyhash",
  "Delivery-Result: spam",
  "Identity-Alignment: spf",
  "DKIM-Domain: brackwater.example",
  "DKIM-Selector: hpa",
  `DKIM-Canonicalized-Header: ${base64(HASHED)}`,
  'SPF-DNS: txt : brackwater.example : "v=spf1 -all"',
].join("\r\n");

const parts = (feedback: string, more: Partial<ReportParts> = {}): ReportParts => ({
  feedback,
  original: HEADER,
  mailedBy: "mallowmail.example",
  mailId: "<r1@mallowmail.example>",
  mailedAt: NOW - 60,
  ...more,
});
const read = (from: ReportParts, personal = false) => {
  const done = readFailureReport(from, { personal, now: NOW });
  if (done.kind !== "read") throw new Error(inWords(done.because));
  return done.report;
};

describe("one report", () => {
  test("everything it says, without the people in it", () => {
    const { key, ...report } = read(parts(FULL));
    expect(key).toMatch(/^[\w-]{43}$/);
    expect(report).toEqual({
      receiver: "mallowmail.example",
      at: Date.UTC(2026, 2, 2, 9, 0, 5) / 1000,
      ip: "192.0.2.25",
      from: "brackwater.example.",
      failure: "bodyhash",
      delivery: "spam",
      aligned: ["spf"],
      envelope: "brackwater.example.",
      signer: "brackwater.example.",
      selector: "hpa",
      spf: 'txt : brackwater.example : "v=spf1 -all"',
      count: 1,
      changed: [
        { field: "subject", what: "changed" },
        { field: "content-type", what: "changed", was: "text/plain; charset=utf-8", is: "text/plain; charset=us-ascii" },
        { field: "list-id", what: "missing", was: "<guild>" },
      ],
      personal: undefined,
    });
    expect(JSON.stringify(report)).not.toMatch(/ada|wren|guest|nine|curtain/i);
  });
  test("people only where they are asked for, and the text of the message never", () => {
    const report = read(parts(FULL), true);
    expect(report.personal).toEqual({
      author: "ada.wren@brackwater.example",
      envelope: "<bounce+ada@brackwater.example>",
      subject: "[guild] Your seats in row nine",
    });
    expect(report.changed[0]).toEqual({
      field: "subject",
      what: "changed",
      was: "Your seats in row nine",
      is: "[guild] Your seats in row nine",
    });
    expect(JSON.stringify(report)).not.toMatch(/curtain/i);
  });
  test("the same report is known again, another is not", () => {
    expect(read(parts(FULL)).key).toBe(read(parts(FULL), true).key);
    expect(read(parts(FULL)).key).not.toBe(read(parts(FULL.replace("192.0.2.25", "192.0.2.26"))).key);
    expect(read(parts(FULL)).key).not.toBe(read(parts(FULL, { original: HEADER.replace("<a1@", "<a2@") })).key);
  });
});

const MINIMAL = "Feedback-Type: auth-failure\r\nAuth-Failure: dmarc\r\nReported-Domain: brackwater.example";

describe("what is missing or wrong", () => {
  test.each<[string, ReportParts, object]>([
    ["without the message", parts(FULL, { original: undefined }), { from: "brackwater.example.", changed: [] }],
    [
      "with the beginning of a message",
      parts(FULL, { original: HEADER.slice(0, 60) }),
      { from: "brackwater.example.", changed: [] },
    ],
    ["with octets for a message", parts(FULL, { original: "\0\xff\xfe" }), { from: "brackwater.example.", changed: [] }],
    ["with a page for a message", parts(FULL, { original: "<html><body>no</body></html>" }), { from: "brackwater.example." }],
    [
      "almost nothing",
      parts(MINIMAL, { original: undefined }),
      { failure: "dmarc", ip: undefined, delivery: undefined, aligned: undefined },
    ],
    ["line feeds alone", parts(FULL.replaceAll("\r\n", "\n")), { ip: "192.0.2.25", failure: "bodyhash" }],
    ["an IPv6 address in brackets", parts(FULL.replace("192.0.2.25", "[IPv6:2001:db8::25]")), { ip: "2001:db8::25" }],
    ["an address that is none", parts(FULL.replace("192.0.2.25", "300.1.1.1")), { ip: undefined }],
    ["an unknown check", parts(FULL.replace("bodyhash", "arc")), { failure: "other" }],
    ["a check in capitals", parts(FULL.replace("bodyhash", " SPF ")), { failure: "spf" }],
    ["an unknown end", parts(FULL.replace("Result: spam", "Result: eaten")), { delivery: undefined }],
    ["nothing aligned", parts(FULL.replace("Alignment: spf", "Alignment: none")), { aligned: [] }],
    ["both aligned", parts(FULL.replace("Alignment: spf", "Alignment: dkim, spf")), { aligned: ["dkim", "spf"] }],
    ["many messages at once", parts(`${FULL}\r\nIncidents: 250`), { count: 250 }],
    ["a number beyond belief", parts(`${FULL}\r\nIncidents: 999999999`), { count: 1_000_000 }],
    ["a number that is none", parts(`${FULL}\r\nIncidents: -4`), { count: 1 }],
    ["a time that is none", parts(FULL.replace(/Arrival-Date: .*\r\n/, "Arrival-Date: soon\r\n")), { at: NOW - 60 }],
    ["a time in the future", parts(FULL.replace("2 Mar 2026", "2 Mar 2029")), { at: NOW }],
    ["no time at all", parts(MINIMAL, { mailedAt: undefined }), { at: NOW }],
    ["a selector with a path in it", parts(FULL.replace("hpa", "../../x y")), { selector: ".._.._x_y" }],
    ["a header that is no base64", parts(FULL.replace(/(Header: )[\s\S]*?(SPF-DNS)/, "$1!!!\r\n$2")), { changed: [] }],
    ["nobody named as its sender", parts(FULL, { mailedBy: undefined }), { receiver: "an unknown receiver" }],
    [
      "the server that reports it",
      parts(`${FULL}\r\nReporting-MTA: dns; mx.mallowmail.example`, { mailedBy: undefined }),
      { receiver: "mx.mallowmail.example" },
    ],
    [
      "only the envelope names a domain",
      parts("Feedback-Type: auth-failure\r\nOriginal-Mail-From: <>x@brackwater.example", { original: undefined }),
      { from: "brackwater.example." },
    ],
  ])("%s", (_, from, expected) => expect(read(from)).toMatchObject(expected));

  test.each([
    [
      "a complaint",
      FULL.replace("auth-failure", "abuse"),
      "it is a report of the kind “abuse”, and not one about mail that failed",
    ],
    ["no kind", FULL.replace(/^.*\r\n/, ""), "it is a report of an unknown kind, and not one about mail that failed"],
    ["nothing", "", "it is a report of an unknown kind, and not one about mail that failed"],
  ])("%s is set aside", (_, feedback, because) => {
    const done = readFailureReport(parts(feedback), { personal: false, now: NOW });
    expect(done.kind === "aside" ? inWords(done.because) : done).toBe(because);
  });
  test("no domain at all is set aside", () => {
    const done = readFailureReport(parts("Feedback-Type: auth-failure", { original: undefined }), { personal: false, now: NOW });
    expect(done).toMatchObject({ kind: "aside", reason: "missing" });
  });

  test("whatever comes in, nothing is thrown, nothing grows, and no name of a person is kept", () => {
    const line = fc.oneof(
      fc.constantFrom(...FULL.split("\r\n")),
      fc.string({ maxLength: 80 }),
      fc.constantFrom("DKIM-Canonicalized-Header: ", "Source-IP: 1.2.3", "SPF-DNS: \x1b[31m", "Incidents: 1e9"),
    );
    fc.assert(
      fc.property(fc.array(line, { maxLength: 30 }), fc.string({ maxLength: 200 }), (lines, original) => {
        const done = readFailureReport(parts(lines.join("\r\n"), { original: `${HEADER.slice(0, 120)}${original}` }), {
          personal: false,
          now: NOW,
        });
        const kept = JSON.stringify(done);
        expect(kept.length).toBeLessThan(20_000);
        expect(kept).not.toMatch(/ada\.wren|Ada Wren/);
        expect(kept).not.toContain("\x1b");
      }),
    );
  });
});

test("whose it is: the domain itself, a name below it, or one above", () => {
  const own = [name("mail.brackwater.example")];
  for (const [from, expected] of [
    ["mail.brackwater.example", true],
    ["news.mail.brackwater.example", true],
    ["brackwater.example", true],
    ["puppetfest.example", false],
  ] as const)
    expect(isAboutOne({ from: name(from) }, own)).toBe(expected);
});
