import { describe, expect, test } from "@jest/globals";
import { name } from "../../name/index.ts";
import { printRecord } from "../../record/index.ts";
import { type Fields, understandFields } from "./index.ts";

const read = (fields: Fields) => understandFields(fields, { domain: name("brackwater.example"), ttl: 3600, choices: new Map() });
const lines = (fields: Fields) => read(fields).records.map(({ record }) => printRecord(record));

describe("a mail server's number, wherever it is", () => {
  test.each<[string, Fields, string]>([
    ["in its field", { value: "mx1.inglemail.example", priority: "20" }, "20 mx1.inglemail.example."],
    ["in front of the name", { value: "7 mx1.inglemail.example" }, "7 mx1.inglemail.example."],
    ["of five digits in front", { value: "10000 mx1.inglemail.example" }, "10000 mx1.inglemail.example."],
    ["behind the name", { value: "mx1.inglemail.example 30" }, "30 mx1.inglemail.example."],
    ["behind the name, in words", { value: "mx1.inglemail.example, priority 12345" }, "12345 mx1.inglemail.example."],
    ["in both places, the same", { value: "5 mx1.inglemail.example", priority: "5" }, "5 mx1.inglemail.example."],
  ])("%s", (_, fields, expected) =>
    expect(lines({ type: "MX", host: "@", ...fields })).toEqual([`brackwater.example. 3600 IN MX ${expected}`]),
  );
  test("where there is none, ten is taken and that is said", () => {
    const { records, repairs } = read({ type: "MX", host: "@", value: "mx1.inglemail.example" });
    expect(records.map(({ record }) => printRecord(record))).toEqual([
      "brackwater.example. 3600 IN MX 10 mx1.inglemail.example.",
    ]);
    expect(repairs).toContainEqual(expect.objectContaining({ kind: "priority", is: "10" }));
  });
  test.each<[string, Fields, string]>([
    ["two that differ", { value: "5 mx1.inglemail.example", priority: "10" }, "number-differs"],
    ["a word", { value: "mx1.inglemail.example", priority: "high" }, "priority-invalid"],
    ["more than a number may be", { value: "mx1.inglemail.example", priority: "100000" }, "priority-invalid"],
  ])("%s stops", (_, fields, code) =>
    expect(read({ type: "MX", host: "@", ...fields }).problems.map((problem) => problem.code)).toEqual([code]),
  );
});
