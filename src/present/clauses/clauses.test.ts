import { describe, expect, test } from "@jest/globals";
import { type Clause, clause, NOTHING, verbatim } from "../../core/clause/index.ts";
import { name } from "../../core/name/index.ts";
import { allInWords, inWords, isCommand } from "./index.ts";

const none = clause("spf-none", { domain: "brackwater.example" });

describe("a clause in words", () => {
  test.each<[string, Clause | undefined, string]>([
    ["always the same", clause("spf-twice"), "it is there twice"],
    ["made of what is in it", none, "brackwater.example has no SPF record"],
    [
      "with another inside",
      clause("spf-include-fails", { because: none }),
      `${inWords(none)}; receivers treat the whole record as an error`,
    ],
    ["what somebody else said", verbatim("550 no such user"), "550 no such user"],
    ["nothing to say", NOTHING, ""],
    ["none", undefined, ""],
    ["of another version", { clause: "gone-since" } as never, "gone-since"],
    ["the words themselves, as an earlier version kept them", "it was so" as never, "it was so"],
  ])("%s", (_, said, words) => expect(inWords(said)).toBe(words));

  test("what was kept as JSON says the same", () => {
    const said = clause("spf-says-servers", {
      ...{ mechanism: "mx", qualifier: "~", domain: undefined, prefix4: 24, prefix6: undefined },
    });
    expect(inWords(JSON.parse(JSON.stringify(said)))).toBe(inWords(said));
  });

  test("a step is a command or not", () => {
    expect(isCommand(clause("next-draft", { domain: name("brackwater.example") }))).toBe(true);
    expect(isCommand(clause("guard-ask-service"))).toBe(false);
  });
});

describe("a result in words", () => {
  test("every clause in it, however deep; nothing else", () => {
    const at = new Date(0);
    const octets = Buffer.from("x");
    const result = {
      at,
      octets,
      deep: [{ because: none, other: 1 }],
      kept: { clause: 1 },
      cell: { clause: "toString" },
      nothing: null,
    };
    expect(allInWords(result)).toEqual({ ...result, deep: [{ because: inWords(none), other: 1 }] });
  });
  test("what holds none is handed back as it is", () => {
    const result = { list: [1, "two", { three: undefined }] };
    expect(allInWords(result)).toBe(result);
  });
});
