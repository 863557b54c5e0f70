import { describe, expect, test } from "@jest/globals";
import type { Ask } from "../../core/ask/index.ts";
import { NOTHING } from "../../core/clause/index.ts";
import { name } from "../../core/name/index.ts";
import { toSets } from "../../core/record/index.ts";
import { readRecords } from "../../core/zone/index.ts";
import type { Publication } from "../../workspace/index.ts";
import { isOwn, type JournalState, visibilityOf } from "./journal-state.ts";

const apex = name("brackwater.example");
const [set] = toSets(readRecords('@ TXT "k=1"', { origin: apex, ttl: 300 }).records);
const ask = { id: "a", domain: apex, wants: [{ kind: "records", ...set }] } as unknown as Ask;
const cacheWindow = { seconds: 60, rule: "set-ttl", because: NOTHING };
const publication = (id: number, end: string, more: object = {}) =>
  ({
    opened: {
      id,
      at: id * 1000,
      way: "update",
      to: "x",
      changes: [{ name: apex, type: "TXT", before: undefined, after: set, asks: ["a"], cacheWindow }],
      ...more,
    },
    closed: { end, at: id * 1000 },
    running: false,
  }) as unknown as Publication;
const state = (...publications: Publication[]): JournalState => ({ proven: new Map(), settled: new Map(), publications });

describe("when everyone sees what was published last", () => {
  test.each<[string, JournalState, number | undefined]>([
    ["one", state(publication(1, "published")), 61_000],
    ["the last of two", state(publication(1, "published"), publication(2, "published")), 62_000],
    ["not one that was refused", state(publication(1, "published"), publication(2, "not-published")), 61_000],
    [
      "not one that was taken back",
      state(publication(1, "published"), publication(2, "published"), publication(3, "published", { undoes: 2, changes: [] })),
      61_000,
    ],
    [
      "nothing where all was taken back",
      state(publication(1, "published"), publication(2, "published", { undoes: 1, changes: [] })),
      undefined,
    ],
    [
      "one that was not taken back after all",
      state(publication(1, "published"), publication(2, "not-published", { undoes: 1, changes: [] })),
      61_000,
    ],
  ])("%s", (_, journalled, by) => expect(visibilityOf(ask, journalled)?.by).toBe(by));
});

describe("what Zandrel put there itself", () => {
  const is = (journalled: JournalState, asks: string[]) => isOwn(journalled)(set as NonNullable<typeof set>, asks);
  test("for these asks, and what was taken back is no longer its own", () => {
    expect(is(state(publication(1, "published")), ["a"])).toBe(true);
    expect(is(state(publication(1, "published")), ["b"])).toBe(false);
    expect(is(state(publication(1, "published"), publication(2, "published", { undoes: 1, changes: [] })), ["a"])).toBe(false);
  });
});
