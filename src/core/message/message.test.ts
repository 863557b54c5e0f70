import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { decodeWords } from "../encoded-word.ts";
import { fieldsNamed, fieldValue, MAX_HEADER_OCTETS, parseHeader, parseMailboxes, scanMessage } from "./index.ts";

describe("headers (RFC 5322 section 2.2)", () => {
  test.each<[string, [string, string][], string[], boolean]>([
    [
      "A: 1\r\nB: 2\r\n",
      [
        ["a", "1"],
        ["b", "2"],
      ],
      [],
      false,
    ],
    [
      "A: 1\nB: 2\n",
      [
        ["a", "1"],
        ["b", "2"],
      ],
      [],
      true,
    ],
    [
      "A: 1\r\n 2\r\n\t3\r\nB:\r\n",
      [
        ["a", "1 2\t3"],
        ["b", ""],
      ],
      [],
      false,
    ],
    ["A : 1\r\n", [["a", "1"]], [], false],
    ["A: x: y\r\n", [["a", "x: y"]], [], false],
    ["no colon\r\nA: 1\r\n", [["a", "1"]], ["no colon"], false],
    [" folded first\r\nA: 1\r\n", [["a", "1"]], [" folded first"], false],
    ["A B: 1\r\n", [], ["A B: 1"], false],
    [": empty name\r\n", [], [": empty name"], false],
    ["A: without an end", [["a", "without an end"]], [], false],
    ["A: a\rb\r\n", [["a", "a\rb"]], [], false],
    ["A: a\0b\r\n", [["a", "a\0b"]], [], false],
    ["Sübject: 1\r\n", [], ["Sübject: 1"], false],
    ["", [], [], false],
  ])("%j", (text, fields, stray, bareLf) => {
    const header = parseHeader(text);
    expect(header.fields.map((one) => [one.name, fieldValue(one)])).toEqual(fields);
    expect(header.stray).toEqual(stray);
    expect(header.bareLf).toBe(bareLf);
  });
  test("what it reads is all there was", () =>
    fc.assert(
      fc.property(fc.array(fc.constantFrom("A", "b", ":", " ", "\t", "\r\n", "\r", "x")), (parts) => {
        const text = parts.join("");
        const { fields, stray } = parseHeader(text);
        const letters = (some: string) =>
          [...some]
            .filter((one) => /[Abx:]/.test(one))
            .sort()
            .join("");
        expect(letters([...fields.map((one) => one.raw), ...stray].join(""))).toBe(letters(text));
      }),
    ));
});

describe("messages that pass by in chunks", () => {
  async function scan(text: string, cut: number) {
    const octets = Buffer.from(text, "latin1");
    const chunks = Array.from({ length: Math.ceil(octets.length / cut) }, (_, i) => octets.subarray(i * cut, (i + 1) * cut));
    let body = "";
    let ended = 0;
    const header = await scanMessage({ chunks: () => chunks }, () => [
      { write: (chunk) => void (body += chunk.toString("latin1")), end: () => void ended++ },
    ]);
    return { header, body, ended };
  }
  test.each<[string, string, string, string]>([
    ["CRLF", "A: 1\r\n\r\nbody\r\n", "A", "body\r\n"],
    ["LF", "A: 1\n\nbody\n", "A", "body\n"],
    ["no body", "A: 1\r\n\r\n", "A", ""],
    ["no empty line", "A: 1\r\nB: 2", "AB", ""],
    ["no header", "\r\nbody", "", "body"],
    ["no header, LF", "\nbody", "", "body"],
    ["mixed line ends", "A: 1\n\r\nbody", "A", "body"],
    ["several empty lines", "A: 1\r\n\r\n\r\nbody", "A", "\r\nbody"],
  ])("%s, however it is cut", async (_, text, names, body) => {
    for (let cut = 1; cut <= text.length; cut++) {
      const scanned = await scan(text, cut);
      expect(scanned.body).toBe(body);
      expect(scanned.header.ok && scanned.header.value.fields.map((one) => one.name.toUpperCase()).join("")).toBe(names);
      expect(scanned.ended).toBe(1);
    }
  });
  test("nothing is not a message", async () =>
    expect((await scan("", 1)).header).toMatchObject({ ok: false, error: { code: "empty" } }));
  test("a header without end is refused before it fills the memory", async () => {
    let given = 0;
    const endless = {
      *chunks() {
        for (;;) {
          given += 1 << 16;
          yield Buffer.alloc(1 << 16, "x");
        }
      },
    };
    expect(await scanMessage(endless, () => [])).toMatchObject({ ok: false, error: { code: "header-too-large" } });
    expect(given).toBeLessThan(MAX_HEADER_OCTETS + (1 << 18));
  });
  test("10 000 header lines are read", async () => {
    const { header } = await scan(`${Array.from({ length: 10_000 }, (_, i) => `X-${i}: value\r\n`).join("")}\r\n`, 65_536);
    expect(header.ok && header.value.fields.length).toBe(10_000);
    expect(header.ok && fieldsNamed(header.value, "x-9999").map(fieldValue)).toEqual(["value"]);
  });
});

describe("addresses (RFC 5322 section 3.4, RFC 6532, RFC 6854)", () => {
  test.each<[string, string[]]>([
    ["box@brackwater.example", ["|box|brackwater.example."]],
    ["<box@brackwater.example>", ["|box|brackwater.example."]],
    ["Box office <box@brackwater.example>", ["Box office|box|brackwater.example."]],
    ['"Office, Box" <box@brackwater.example>', ["Office, Box|box|brackwater.example."]],
    ['"say \\"hi\\"" <box@brackwater.example>', ['say "hi"|box|brackwater.example.']],
    ["a@b.example, c@d.example", ["|a|b.example.", "|c|d.example."]],
    ["box@brackwater.example (the office)", ["|box|brackwater.example."]],
    ["box (a (nested) comment) @ brackwater . example", ["|box|brackwater.example."]],
    ['"a@b"@brackwater.example', ['|"a@b"|brackwater.example.']],
    ["Team: a@b.example, c@d.example;", ["|a|b.example.", "|c|d.example."]],
    ["Undisclosed:;", []],
    ["Team: a@b.example;, c@d.example", ["|a|b.example.", "|c|d.example."]],
    ['"Team: one": a@b.example;', ["|a|b.example."]],
    ['"<a>"@b.example', ['|"<a>"|b.example.']],
    ['Box <"a<b>c"@b.example>', ['Box|"a<b>c"|b.example.']],
    ['"x> <y" <a@b.example>', ["x> <y|a|b.example."]],
    ["", []],
    [",, a@b.example ,", ["|a|b.example."]],
    ["<@relay.example:box@brackwater.example>", ["|box|brackwater.example."]],
    ["box@[192.0.2.1]", ["|box|undefined"]],
    ["=?utf-8?q?B=C3=BChne?= <box@brackwater.example>", ["Bühne|box|brackwater.example."]],
    ["b\xc3\xbchne@b\xc3\xbchne.example", ["|bühne|xn--bhne-0ra.example."]],
    ["BOX@Brackwater.EXAMPLE", ["|BOX|brackwater.example."]],
    ['"<forged@heronpost.example>" <box@brackwater.example>', ["<forged@heronpost.example>|box|brackwater.example."]],
  ])("%j", (text, expected) => {
    const parsed = parseMailboxes(text);
    expect(parsed.ok && parsed.value.map(({ display, local, domain }) => `${display}|${local}|${domain}`)).toEqual(expected);
  });
  test.each([
    "box",
    "box@",
    "@brackwater.example",
    "<box@brackwater.example",
    '"box@brackwater.example',
    "(box@brackwater.example",
    "a b@c.example",
    "a@b@c d",
    "a@b..c",
    "x <a@b.example> y",
    "a@c\\orp.example",
    "a@\\099orp.example",
    "a@in it.example",
    "a@b.example.",
    '"a"b@c.example',
    "a\\@b@c.example",
    "Team: a@b.example",
    "Team: Inner: a@b.example;;",
    "a@b.example: c@d.example;",
    "Team: a@b.example; c@d.example",
  ])("%j is none", (text) => expect(parseMailboxes(text)).toMatchObject({ ok: false }));
  test("no text makes it throw", () =>
    fc.assert(
      fc.property(
        fc.string({ unit: fc.constantFrom(...'a@.,;:<>()[]"\\ \t=?') }),
        (text) => typeof parseMailboxes(text).ok === "boolean",
      ),
      { numRuns: 2000 },
    ));
});

test.each<[string, string]>([
  ["plain", "plain"],
  ["=?utf-8?B?QsO8aG5l?=", "Bühne"],
  ["=?iso-8859-1?Q?B=FChne_Eins?=", "Bühne Eins"],
  ["=?utf-8?q?a?= =?utf-8?q?b?=", "ab"],
  ["=?utf-8?q?a?= b", "a b"],
  ["=?no-such-set?q?a?=", "a"],
  ["=?utf-8?q?open", "=?utf-8?q?open"],
  ["B\xc3\xbchne", "Bühne"],
])("encoded words (RFC 2047): %j", (octets, text) => expect(decodeWords(octets)).toBe(text));
