import { describe, expect, test } from "@jest/globals";
import { failed, type Live } from "../lookup/index.ts";
import { name } from "../name/index.ts";
import { toSets } from "../record/index.ts";
import { parseRecords } from "../zone/index.ts";
import { holdOf, longest, spanText } from "./index.ts";

const set = (line: string) => toSets(parseRecords(line, { origin: name("brackwater.example") }).records)[0]!;

describe("how long others may still show what was there", () => {
  test.each<[string, Live, number | undefined, string | undefined]>([
    ["the old set's TTL", { kind: "set", set: set("www 1800 A 192.0.2.1") }, 1800, "set-ttl"],
    ["the negative TTL", { kind: "nothing", negativeTtl: 900 }, 900, "negative-ttl"],
    ["a negative TTL over a day counts as a day", { kind: "nothing", negativeTtl: 604_800 }, 86_400, "negative-ttl"],
    ["no SOA: a day", { kind: "nothing", negativeTtl: undefined }, 86_400, "negative-ttl"],
    ["the wildcard's TTL", { kind: "wildcard", set: set("*.x 600 TXT w"), wildcard: name("*.x.test") }, 600, "wildcard-ttl"],
    ["the alias's TTL", { kind: "alias", set: set("www 120 CNAME p.test.") as never }, 120, "alias-ttl"],
    ["not known", { kind: "failed", answer: failed("timeout", "") }, undefined, undefined],
  ])("%s", (_, before, seconds, rule) => {
    expect(holdOf(before)).toEqual(seconds === undefined ? undefined : expect.objectContaining({ seconds, rule }));
  });
  test("the last to end decides", () => {
    const holds = [60, 600, 300].map((seconds) => ({ seconds, because: "", rule: "set-ttl" as const }));
    expect(longest(holds)?.seconds).toBe(600);
    expect(longest([])).toBeUndefined();
  });
  test.each([
    [0, "0 seconds"],
    [1, "1 second"],
    [5400, "1 hour 30 minutes"],
    [86_400, "1 day"],
    [604_800, "1 week"],
    [691_200, "8 days"],
  ])("%i is %s", (seconds, text) => expect(spanText(seconds)).toBe(text));
});
