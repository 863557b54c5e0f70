import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { verbatim } from "../core/clause/index.ts";
import { allOf, count } from "./english.ts";
import { calendar, columns, jsonText, moment, sheetMarkdown, sheetPage, terminalSafe, visible, wrap } from "./index.ts";
import { csvLines } from "./pipeline.ts";
import { deadline } from "./time.ts";

const nasty = fc.string({ unit: fc.constantFrom("\x1b", "[31m", "\x07", "\x9b", "\u202e", "\n", "\t", "a", "ü", "\u2028") });
const control = /[\x00-\x09\x0b-\x1f\x7f-\x9f\u202a-\u202e\u2028]/;

describe("nothing a terminal would obey gets through", () => {
  test("visible makes one line of it", () =>
    fc.assert(fc.property(nasty, (text) => expect(visible(text)).not.toMatch(/[\x00-\x1f\x7f-\x9f\u202e\u2028]/))));
  test("the last gate lets line ends and colours through, and nothing else", () => {
    fc.assert(fc.property(nasty, (text) => expect(terminalSafe(text).replace(/\x1b\[[0-9;]*m/g, "")).not.toMatch(control)));
    expect(terminalSafe("\x1b[32mok\x1b[39m\n\x1b]0;x\x07\x1b[2J")).toBe("\x1b[32mok\x1b[39m\n\\x1b]0;x\\x07\\x1b[2J");
  });
  test("JSON says the same after escaping", () =>
    fc.assert(
      fc.property(nasty, (text) => {
        expect(jsonText({ text })).not.toMatch(control);
        expect(JSON.parse(jsonText({ text }))).toEqual({ text });
      }),
    ));
});

describe("lines", () => {
  test("wrapping keeps every word and no line is too wide, where the words allow it", () => {
    fc.assert(
      fc.property(fc.array(fc.stringMatching(/^[a-z]{1,8}$/)), (words) => {
        const lines = wrap(words.join(" "), 20, "  ").split("\n");
        expect(lines.join(" ").replace(/ +/g, " ")).toBe(words.join(" "));
        for (const line of lines) expect(line.trim().length).toBeLessThanOrEqual(20);
      }),
    );
  });
  test("columns line up", () =>
    expect(
      columns([
        ["a", "b"],
        ["ccc", "d"],
      ]),
    ).toEqual(["a    b", "ccc  d"]));
  test("a moment names the day only when it is another", () => {
    const now = new Date(2026, 2, 2, 9, 0).getTime();
    expect(moment(new Date(2026, 2, 2, 14, 5).getTime(), now)).toBe("14:05");
    expect(moment(new Date(2026, 2, 3, 14, 5).getTime(), now)).toBe("Tue 3 March 14:05");
    expect(moment(new Date(2027, 2, 3, 14, 5).getTime(), now)).toBe("Wed 3 March 2027 14:05");
  });
});

describe("a calendar file (RFC 5545)", () => {
  const file = calendar(
    [{ at: Date.parse("2026-03-09T08:55:00Z"), title: `publish, ${"ü".repeat(60)}; now`, text: "one\ntwo" }],
    Date.parse("2026-03-02T09:00:00Z"),
  );
  test("lines end in CRLF and have at most 75 octets", () => {
    expect(file.endsWith("END:VCALENDAR\r\n")).toBe(true);
    for (const line of file.split("\r\n")) expect(Buffer.byteLength(line)).toBeLessThanOrEqual(75);
    expect(file.replaceAll("\r\n", "")).not.toContain("\n");
  });
  test("unfolded, it says what it should", () => {
    const plain = file.replaceAll("\r\n ", "");
    expect(plain).toContain("DTSTART:20260309T085500Z");
    expect(plain).toContain(`SUMMARY:publish\\, ${"ü".repeat(60)}\\; now`);
    expect(plain).toContain("DESCRIPTION:one\\ntwo");
    expect(plain).toMatch(/UID:[0-9a-f]{32}@zandrel\.invalid/);
  });
});

describe("sheets", () => {
  const entries = [
    { action: "enter" as const, type: "TXT", host: "", value: 'a `b` <script>"&', ttl: "300", note: verbatim("mind\x1b this") },
  ];
  test("the page escapes everything that comes from records", () => {
    const page = sheetPage("<b>", entries);
    expect(page).toContain("<code>a `b` &lt;script&gt;&quot;&amp;</code>");
    expect(page).not.toContain("<script>");
    expect(page).not.toContain("\x1b");
  });
  test("Markdown fences a value that has backquotes itself", () =>
    expect(sheetMarkdown("t", entries)).toContain('- Value: ``a `b` <script>"&``'));
});

describe("English", () => {
  test.each([
    [["a"], "a is", "one"],
    [["a", "b"], "a and b are", "several"],
    [["a", "a"], "a is", "the same one twice"],
    [["a", "b", "a"], "a and b are", "two, one of them twice"],
  ])("%j: %s (%s)", (words, expected) => expect(allOf(words, "is", "are")).toBe(expected));
  test.each([
    [0, "0 records"],
    [1, "1 record"],
    [2, "2 records"],
  ])("%d of a thing", (number, expected) => expect(count(number, "record")).toBe(expected));
});

test.each([
  [0, "09:00"],
  [1, "09:01"],
  [59_999, "09:01"],
  [60_000, "09:01"],
])("a deadline %d ms after nine is never earlier than it is: %s", (ms, expected) => {
  const nine = new Date(2026, 2, 2, 9).getTime();
  expect(deadline(nine + ms, nine)).toContain(expected);
});

test.each([..."=+-@\t\r\n|%"].map((sign) => [sign]))("a cell that begins with %j is no formula", (sign) => {
  expect(csvLines([[`${sign}1+1`]])).toBe(`"'${sign}1+1"\r\n`);
  expect(csvLines([[`1${sign}1`]])).toBe(`"1${sign}1"\r\n`);
});
