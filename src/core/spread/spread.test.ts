import { describe, expect, test } from "@jest/globals";
import { allInWords } from "../../present/clauses/index.ts";
import { NOTHING, verbatim } from "../clause/index.ts";
import { failed, type Live } from "../lookup/index.ts";
import { name } from "../name/index.ts";
import { toSets } from "../record/index.ts";
import { readRecords } from "../zone/index.ts";
import { type CacheWindow, cacheWindowOf, longestWindow, spanText, timeline } from "./index.ts";

const set = (line: string) => toSets(readRecords(line, { origin: name("brackwater.example") }).records)[0]!;

describe("how long others may still show what was there", () => {
  test.each<[string, Live, number | undefined, string | undefined]>([
    ["the old set's TTL", { kind: "set", set: set("www 1800 A 192.0.2.1") }, 1800, "set-ttl"],
    ["the negative TTL", { kind: "nothing", negativeTtl: 900 }, 900, "negative-ttl"],
    ["a negative TTL over a day counts as a day", { kind: "nothing", negativeTtl: 604_800 }, 86_400, "negative-ttl"],
    ["no SOA: a day", { kind: "nothing", negativeTtl: undefined }, 86_400, "negative-ttl"],
    ["the wildcard's TTL", { kind: "wildcard", set: set("*.x 600 TXT w"), wildcard: name("*.x.test") }, 600, "wildcard-ttl"],
    ["the alias's TTL", { kind: "alias", set: set("www 120 CNAME p.test.") as never }, 120, "alias-ttl"],
    ["not known", { kind: "failed", answer: failed("timeout", verbatim("")) }, undefined, undefined],
  ])("%s", (_, before, seconds, rule) => {
    expect(allInWords(cacheWindowOf(before))).toEqual(
      seconds === undefined ? undefined : expect.objectContaining({ seconds, rule }),
    );
  });
  test("the last to end decides", () => {
    const windows = [60, 600, 300].map((seconds) => ({ seconds, because: NOTHING, rule: "set-ttl" as const }));
    expect(allInWords(longestWindow(windows)?.seconds)).toBe(600);
    expect(longestWindow([])).toBeUndefined();
  });
  test.each([
    [0, "0 seconds"],
    [1, "1 second"],
    [5400, "1 hour 30 minutes"],
    [86_400, "1 day"],
    [604_800, "1 week"],
    [691_200, "8 days"],
  ])("%i is %s", (seconds, text) => expect(allInWords(spanText(seconds))).toBe(text));
});

describe("a launch, worked out backwards", () => {
  const at = (time: string) => Date.parse(`2026-03-09T${time}Z`);
  const change = (ttl: number, there = true) => {
    const before = set(`www ${ttl} CNAME old.test.`);
    const cacheWindow: CacheWindow = { seconds: ttl, because: verbatim("the old set"), rule: there ? "set-ttl" : "negative-ttl" };
    return { before: there ? before : undefined, cacheWindow };
  };
  const shown = (...args: Parameters<typeof timeline>) =>
    timeline(...args).steps.map((step) => `${new Date(step.at).toISOString().slice(11, 16)} ${step.kind}`);
  test("with a long TTL: lower it first, then publish late", () => {
    expect(allInWords(shown([change(3600)], at("09:00"), at("01:00"), 7200))).toEqual([
      "05:55 lower-ttl",
      "06:55 publish",
      "07:00 visible",
      "07:00 ask-service",
      "09:00 launch",
    ]);
  });
  test("with a short TTL nothing has to be lowered", () => {
    expect(allInWords(shown([change(300)], at("09:00"), at("01:00"), 0))).toEqual([
      "08:55 publish",
      "09:00 visible",
      "09:00 ask-service",
      "09:00 launch",
    ]);
  });
  test("a new name cannot be made quicker, for its absence is remembered", () => {
    expect(allInWords(shown([change(900, false)], at("09:00"), at("01:00"), 0))).toEqual([
      "08:45 publish",
      "09:00 visible",
      "09:00 ask-service",
      "09:00 launch",
    ]);
  });
  test("where there is no time left to lower it, publish with the old TTL", () => {
    expect(allInWords(shown([change(3600)], at("09:00"), at("07:58"), 0)[0])).toBe("08:00 publish");
  });
  test.each<[string, string, number, string]>([
    ["01:00", "in-time", 0, "first step due in 6 hours 55 minutes"],
    ["07:30", "hurry", 0, "first step due in 25 minutes"],
    ["07:58", "hurry", 0, "first step due in 2 minutes"],
    ["08:30", "too-late", 0, "30 minutes after the launch"],
    ["08:30", "too-late", 7200, "2 hours 30 minutes after the launch"],
  ])("at %s it is %s", (now, verdict, margin, because) => {
    const result = timeline([change(3600)], at("09:00"), at(now), margin);
    expect(allInWords(result.verdict)).toBe(verdict);
    expect(allInWords(result.because)).toContain(because);
  });
  test("nothing to publish is in time", () =>
    expect(allInWords(timeline([], at("09:00"), at("08:59"), 0).verdict)).toBe("in-time"));
});
