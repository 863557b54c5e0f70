import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { verbatim } from "../clause/index.ts";
import { DAY_MS } from "../day.ts";
import { isQuiet, nearness, nextLook, noticeOf, type Remembered, type Watched } from "./index.ts";

const is = (level: Watched["level"], state: string = level, more: Partial<Watched> = {}): Watched => ({
  ...{
    kind: "proof",
    subject: "seekmere-ownership",
    state,
    level,
    because: verbatim("so it is"),
    next: verbatim("zandrel status"),
  },
  ...more,
});
const was = (level: Remembered["level"], state: string = level): Remembered => ({ level, state });

describe("what is worth a notice", () => {
  test.each<[string, Remembered | undefined, Watched, boolean, string | undefined]>([
    ["it lapses", was("fine"), is("bad"), false, "lapsed"],
    ["it is still lapsed", was("bad"), is("bad", "astray"), false, undefined],
    ["it comes back", was("bad"), is("fine"), false, "recovered"],
    ["it comes back, and ends soon", was("bad"), is("soon"), false, "recovered"],
    ["nobody can say", was("fine"), is("unknown"), false, undefined],
    ["it was right before anybody watched", undefined, is("bad", "lapsed", { wasRight: true }), true, "lapsed"],
    ["it was never right", undefined, is("bad"), true, undefined],
    ["it is right from the first look", undefined, is("fine"), true, undefined],
    ["it ends soon", was("fine"), is("soon", "14"), false, "ends-soon"],
    ["it ends soon, at the first look", undefined, is("soon", "14"), true, "ends-soon"],
    ["it was said that it ends soon", was("soon", "14"), is("soon", "14"), false, undefined],
    ["it ends even sooner", was("soon", "14"), is("soon", "7"), false, "ends-soon"],
    ["it was renewed", was("soon", "14"), is("fine"), false, undefined],
    ["it ended", was("soon", "1"), is("bad"), false, "lapsed"],
    ["other name servers", was("fine", "ns1"), is("fine", "ns2", { kind: "delegation" }), false, "changed"],
    ["the same name servers", was("fine", "ns1"), is("fine", "ns1", { kind: "delegation" }), false, undefined],
    ["name servers at the first look", undefined, is("fine", "ns1", { kind: "delegation" }), false, undefined],
    ["a proof in another good state", was("fine", "settled"), is("fine", "proven"), false, undefined],
    ["a sender that was there when the watch began", undefined, is("bad", "seen", { kind: "sender" }), true, undefined],
    ["a sender that came later", undefined, is("bad", "seen", { kind: "sender" }), false, "new-sender"],
    ["a sender that is known by now", was("bad", "seen"), is("bad", "seen", { kind: "sender" }), false, undefined],
  ])("%s", (_, before, now, first, notice) => expect(noticeOf(before, now, first)).toBe(notice));
});

test("what is seen again as it was is never told twice", () => {
  const level = fc.constantFrom("fine", "soon", "bad", "unknown" as const);
  const kind = fc.constantFrom("proof", "delegation", "sender", "certificate" as const);
  fc.assert(
    fc.property(level, kind, fc.string(), (one, of, state) => {
      const seen = is(one as Watched["level"], state, { kind: of as Watched["kind"] });
      expect(noticeOf({ state: seen.state, level: seen.level }, seen, false)).toBeUndefined();
    }),
  );
});

test.each([
  [20, 14, undefined],
  [14, 14, 14],
  [8, 14, 14],
  [6.5, 14, 7],
  [0.5, 14, 1],
  [-1, 14, 1],
  [6, 3, undefined],
  [2, 3, 3],
  [0.9, 3, 1],
])("an end in %s days, said from %s days on, is as near as %s", (left, within, near) =>
  expect(nearness(left * DAY_MS, 0, within)).toBe(near),
);

describe("when to look again", () => {
  const how = { ttl: 3600, within: 14, luck: 0 };
  test.each<[string, readonly Watched[], Partial<typeof how> & { ttl?: number }, number]>([
    ["after the TTL", [is("fine")], {}, 3_600_000],
    ["spread a little", [is("fine")], { luck: 1 }, 3_960_000],
    ["never at once", [is("fine")], { ttl: 1 }, 300_000],
    ["at the latest after six hours", [is("fine")], { ttl: 604_800 }, 21_600_000],
    ["soon, where something is wrong", [is("fine"), is("bad")], {}, 900_000],
    ["soon, where nobody could say", [is("unknown")], {}, 900_000],
    ["when something ends", [is("soon", "1", { ends: 1_800_000 })], {}, 1_800_000],
  ])("%s", (_, watched, more, at) => expect(nextLook(0, watched, { ...how, ...more })).toBe(at));
});

test.each([
  [1, 20, 8, true],
  [21, 20, 8, true],
  [8, 20, 8, false],
  [12, 20, 8, false],
  [13, 12, 14, true],
  [14, 12, 14, false],
])("minute %s of quiet hours from %s until %s", (hour, from, until, quiet) =>
  expect(isQuiet(hour * 60, { from: from * 60, until: until * 60 })).toBe(quiet),
);
