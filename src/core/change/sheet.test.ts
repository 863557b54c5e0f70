import { describe, expect, test } from "@jest/globals";
import { allInWords } from "../../present/clauses/index.ts";
import { name } from "../name/index.ts";
import { toSets } from "../record/index.ts";
import { readRecords, type SetChange } from "../zone/index.ts";
import { COMMON_FORM, type Form, fillIn } from "./index.ts";

const apex = name("brackwater.example");
const setOf = (lines: string) => toSets(readRecords(lines, { origin: apex, ttl: 3600 }).records)[0];
const change = (before: string | undefined, after: string | undefined): SetChange => {
  const [a, b] = [before, after].map((lines) => (lines === undefined ? undefined : setOf(lines)));
  const any = (a ?? b)!;
  return { name: any.name, type: any.type, before: a, after: b };
};
const sheet = (form: Partial<Form>, ...changes: SetChange[]) => fillIn(changes, apex, { ...COMMON_FORM, ...form });

describe("a record as the form wants it", () => {
  const long = "x".repeat(300);
  test.each<[string, Partial<Form>, string, object]>([
    ["the apex as @", {}, "@ TXT t", { host: "@", value: "t", ttl: "3600" }],
    ["the apex left empty", { apex: "empty" }, "@ TXT t", { host: "" }],
    ["the apex in full", { apex: "full" }, "@ TXT t", { host: "brackwater.example" }],
    ["a relative host", {}, "_x.y TXT t", { host: "_x.y" }],
    ["a full host", { names: "full" }, "_x TXT t", { host: "_x.brackwater.example" }],
    ["a target with the final dot", { finalDot: "required" }, "www CNAME a.test.", { value: "a.test." }],
    ["a target without the final dot", { finalDot: "forbidden" }, "www CNAME a.test.", { value: "a.test" }],
    ["a text in quotes", { txt: "quoted" }, '@ TXT "a b"', { value: '"a b"', note: "with the quotation marks" }],
    ["a long text, whole", {}, `@ TXT ${long}`, { value: long, note: expect.stringContaining("300 characters") }],
    [
      "a long text in pieces",
      { txtCut: 255 },
      `@ TXT ${long}`,
      { value: `"${"x".repeat(255)}" "${"x".repeat(45)}"`, note: expect.stringContaining("2 quoted pieces") },
    ],
    ["a priority beside the value", {}, "@ MX 10 mx.test.", { value: "mx.test", priority: "10" }],
    ["a priority inside the value", { priority: "inside", finalDot: "required" }, "@ MX 10 mx.test.", { value: "10 mx.test." }],
    ["a null MX keeps its dot", { finalDot: "forbidden" }, "@ MX 0 .", { value: "." }],
    ["a TTL from a list", { ttl: [300, 1800, 86_400] }, "@ TXT t", { ttl: "1800", note: expect.stringContaining("3600") }],
    ["a TTL shorter than every choice", { ttl: [7200] }, "@ TXT t", { ttl: "7200" }],
    [
      "a kind the form does not offer",
      { lacks: ["CAA"] },
      '@ CAA 0 issue "x.example"',
      { action: "not-offered", note: expect.stringContaining("support") },
    ],
  ])("%s", (_, form, after, expected) => {
    expect(allInWords(sheet(form, change(undefined, after)))).toMatchObject([expected]);
  });
  test("a record is changed in place, what comes is entered before what goes, and an alias stands alone", () => {
    const entries = sheet(
      {},
      change("@ TXT a\n@ TXT b", "@ TXT b\n@ TXT c"),
      change("www CNAME old.test.", "www CNAME new.test."),
      change("gone A 192.0.2.1", undefined),
    );
    expect(
      allInWords(
        entries.map(
          ({ action, host, value, was }) => `${action} ${host} ${value}${was === undefined ? "" : ` instead of ${was}`}`,
        ),
      ),
    ).toEqual(["change @ c instead of a", "change www new.test instead of old.test", "delete gone 192.0.2.1"]);
    const order = (...changes: SetChange[]) =>
      sheet({}, ...changes).map(({ action, type, value }) => `${action} ${type} ${value}`);
    expect(allInWords(order(change("@ A 192.0.2.1\n@ A 192.0.2.2", "@ A 192.0.2.3")))).toEqual([
      "enter A 192.0.2.3",
      "delete A 192.0.2.1",
      "delete A 192.0.2.2",
    ]);
    expect(allInWords(order(change("www A 192.0.2.1", undefined), change(undefined, "www CNAME new.test.")))).toEqual([
      "delete A 192.0.2.1",
      "enter CNAME new.test",
    ]);
    expect(allInWords(entries[0]?.note)).toContain("leave the other TXT record at this host as it is");
  });
});

describe("what is changed in place says from what", () => {
  const acts = (before: string, after: string) =>
    sheet({}, change(before, after)).map(
      ({ action, value, was }) => `${action} ${was === undefined ? "" : `${was} -> `}${value}`,
    );
  test.each<[string, string, string, string[]]>([
    ["a priority", "@ MX 30 mx2.test.", "@ MX 20 mx2.test.", ["change 30 mx2.test. -> mx2.test"]],
    ["a target", "@ MX 30 mx1.test.", "@ MX 30 mx2.test.", ["change mx1.test -> mx2.test"]],
    [
      "one of two SPF records, and the other goes",
      '@ TXT "v=spf1 mx -all"\n@ TXT "v=spf1 a ~all"\n@ TXT "t"',
      '@ TXT "v=spf1 mx a -all"\n@ TXT "t"',
      ["change v=spf1 mx -all -> v=spf1 mx a -all", "delete v=spf1 a ~all"],
    ],
    [
      "two mail servers, one comes",
      "@ MX 10 a.test.\n@ MX 20 b.test.",
      "@ MX 5 c.test.",
      ["enter c.test", "delete a.test", "delete b.test"],
    ],
  ])("%s", (_, before, after, expected) => expect(acts(before, after)).toEqual(expected));
});
