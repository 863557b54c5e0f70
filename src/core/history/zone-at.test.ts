import { describe, expect, test } from "@jest/globals";
import { name } from "../name/index.ts";
import type { RecordSet } from "../record/index.ts";
import { type Sighting, zoneAt } from "./index.ts";

const apex = name("brackwater.example");
const set = (text: string): RecordSet => ({ name: apex, type: "TXT", ttl: 60, data: [{ strings: [text] }] });
const sighting = (at: number, how: Sighting["how"], text?: string): Sighting => ({
  at,
  name: apex,
  type: "TXT",
  set: text === undefined ? undefined : set(text),
  how,
});

describe("a zone as it was", () => {
  const all = [sighting(20, "published", "new"), sighting(10, "seen", "old"), sighting(30, "published")];
  test.each([
    [5, "old", true],
    [10, "old", false],
    [19, "old", false],
    [20, "new", false],
    [29, "new", false],
    [30, undefined, undefined],
  ])("at %i", (at, text, assumed) => {
    expect(zoneAt(all, at).map((one) => [one.set.data, one.assumed])).toEqual(
      text === undefined ? [] : [[set(text).data, assumed]],
    );
  });
  test("what was only published later says nothing of the time before", () => {
    expect(zoneAt([sighting(20, "published", "new")], 10)).toEqual([]);
    expect(zoneAt([sighting(20, "seen")], 10)).toEqual([]);
    expect(zoneAt([], 10)).toEqual([]);
  });
});
