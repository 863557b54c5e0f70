import { createHash } from "node:crypto";
import { describe, expect, test } from "@jest/globals";
import { keyTag } from "../dnssec/index.ts";
import { ownerOctets, rdataOf } from "../dnssec/keys.ts";
import { type Lookup, zoneLookup } from "../lookup/index.ts";
import { name } from "../name/index.ts";
import { type DataOf, toSets } from "../record/index.ts";
import { readRecords, readZone, zonesOf } from "../zone/index.ts";
import {
  captureByAsking,
  compareSides,
  type DsKnown,
  judgeCutOver,
  judgeSignedMove,
  type MoveFacts,
  namesToAsk,
  planMove,
  walkNames,
  zoneText,
} from "./index.ts";

const apex = name("brackwater.example");
const side = (lines: string): Lookup =>
  zoneLookup(zonesOf(readZone(`$TTL 300\n@ SOA a b 1 1 1 1 60\n@ NS ns1\n${lines}`, { origin: apex })));
const OLD =
  '@ A 192.0.2.1\n@ TXT "v=spf1 -all"\nwww CNAME x.test.\n*.tour TXT wild\nodd-name A 192.0.2.9\nshop NS ns1.elsewhere.test.\nwing NS ns.wing\nns.wing A 192.0.2.53\nwing DS 4711 13 2 ab\n@ CAA 0 issue "sealbarrow.example"\n';

describe("capturing by asking", () => {
  test("finds the usual names and the known ones, and nothing twice", async () => {
    const names = namesToAsk(apex, [name("odd-name", apex), name("x.tour", apex), name("wing", apex)]);
    const { sets, unresolved } = await captureByAsking(side(OLD), apex, names);
    expect(unresolved).toEqual([]);
    expect(sets.map((set) => `${set.name.replace(".brackwater.example.", "")} ${set.type}`)).toEqual([
      "brackwater.example. A",
      "brackwater.example. TXT",
      "brackwater.example. NS",
      "brackwater.example. CAA",
      "www CNAME",
      "shop NS",
      "odd-name A",
      "wing NS",
      "ns.wing A",
      "wing DS",
    ]);
  });
  test("what comes out as a zone file says the same when read again, without the host's own records", async () => {
    const { sets } = await captureByAsking(side(OLD), apex, namesToAsk(apex, [name("odd-name", apex)]));
    const text = zoneText(apex, sets, ["one remark", "a line\nbreak"]);
    expect(text.startsWith("; one remark\n; a line break\n$ORIGIN brackwater.example.\n")).toBe(true);
    const read = readZone(text);
    expect(read.issues).toEqual([]);
    const keys = (list: readonly { name: string; type: string; ttl: number }[]) =>
      list.map((set) => `${set.name} ${set.type} ${set.ttl}`).sort();
    expect(keys(toSets(read.entries))).toEqual(keys(sets.filter((set) => !(set.name === apex && set.type === "NS"))));
  });
});

describe("the list of names that a signed zone keeps", () => {
  const nsec = (at: string, next: string) => `${at} NSEC ${next} A RRSIG NSEC\n`;
  test("is followed to its end", async () => {
    const zone = side(`${nsec("@", "odd")}${nsec("odd", "*.tour")}${nsec("*.tour", "@")}odd A 192.0.2.1\n`);
    expect([...((await walkNames(zone, apex)) ?? [])].map(([at]) => at)).toEqual([apex, name("odd", apex), name("*.tour", apex)]);
  });
  test.each([
    ["there is none", ""],
    ["it forms a loop", nsec("@", "a") + nsec("a", "b") + nsec("b", "a")],
    ["it leads out of the zone", nsec("@", "elsewhere.test.")],
    ["it is made up for each question", nsec("@", "\\000.@") + nsec("@", "\\000.brackwater.example.")],
  ])("is not used where %s", async (_, lines) => expect(await walkNames(side(lines), apex)).toBeUndefined());
});

describe("DNSSEC in a move", () => {
  const { records } = readRecords(
    "@ DNSKEY 257 3 13 mdsswUyr3DPW132mOi8V9xESWE8jTo0dxCjjnopKl+GqJxpVXckHAeF+KkxLbxILfDLUT0rAK9iUzy1L53eKGQ==",
    { origin: apex, ttl: 60 },
  );
  const key = records[0]?.data as DataOf["DNSKEY"];
  const digest = createHash("sha256").update(ownerOctets(apex)).update(rdataOf("DNSKEY", key)).digest("hex");
  const ds = { keyTag: keyTag(key), algorithm: 13, digestType: 2, digest };
  const stale = { ...ds, keyTag: 4711, digest: "ab".repeat(32) };
  const now = 1_000_000;
  test.each<[string, Partial<DsKnown>, readonly DataOf["DNSKEY"][] | undefined, object]>([
    ["no DS", {}, [], { state: "unsigned" }],
    ["a DS of the new host's key", { ds: [ds] }, [key], { state: "fits" }],
    ["one of both", { ds: [stale, ds] }, [key], { state: "fits" }],
    [
      "the old host's DS",
      { ds: [stale], ttl: 86_400 },
      [key],
      { state: "breaks", dsTags: [4711], keyTags: [keyTag(key)], ttl: 86_400 },
    ],
    ["a DS, and a new host that signs nothing", { ds: [stale], ttl: 60 }, [], { state: "breaks", keyTags: [] }],
    [
      "a DS deleted an hour ago, of a day's TTL",
      { gone: { at: now - 3_600_000, ttl: 86_400 } },
      [],
      { state: "waiting", until: now + 82_800_000 },
    ],
    ["a DS deleted two days ago", { gone: { at: now - 172_800_000, ttl: 86_400 } }, [], { state: "unsigned" }],
    ["a parent that cannot be asked", { ds: undefined }, [key], { state: "unknown" }],
    ["a new host that cannot be asked", { ds: [ds] }, undefined, { state: "unknown" }],
  ])("%s", (_, known, keys, judged) => {
    const nobody = { keys: [], ttl: 0 };
    expect(judgeSignedMove(apex, { ds: [], ttl: 0, gone: undefined, ...known }, keys, nobody, now)).toMatchObject(judged);
  });
  const zoneKey = (letter: string): DataOf["DNSKEY"] => ({ ...key, flags: 256, key: letter.repeat(64) });
  const [own, other] = [zoneKey("a"), zoneKey("b")];
  test.each<[string, readonly DataOf["DNSKEY"][], readonly DataOf["DNSKEY"][], object]>([
    ["each host has the other's zone key", [key, own, other], [other, own], { state: "fits" }],
    ["the old host lacks the new one's", [key, own], [other], { state: "apart", keyTags: [keyTag(own)], ttl: 3600 }],
    ["the new host lacks the old one's", [key, own], [other, own], { state: "apart", keyTags: [keyTag(other)], ttl: 3600 }],
    ["one key for everything", [key], [key], { state: "fits" }],
  ])("both DS records are there, and %s", (_, keys, old, judged) => {
    const known = { ds: [stale, ds], ttl: 60, gone: undefined };
    expect(judgeSignedMove(apex, known, keys, { keys: old, ttl: 3600 }, now)).toMatchObject(judged);
  });
});

describe("the plan of a move", () => {
  const HOUR = 3600;
  const facts = {
    now: 0,
    moveAt: undefined,
    parentTtl: 6 * HOUR,
    nsTtl: HOUR,
    longestTtl: 24 * HOUR,
    newHostSigns: false,
    staySigned: false,
    dsTtl: 48 * HOUR,
    keysTtl: 2 * HOUR,
  } as const;
  const shown = (given: Partial<MoveFacts>) => {
    const { steps, moveAt, possibleFrom } = planMove({ ...facts, signatures: { state: "unsigned" }, ...given });
    const hours = (at: number | undefined) => (at === undefined ? "" : Math.round((at / 3_600_000) * 100) / 100);
    return {
      moveAt: hours(moveAt),
      from: hours(possibleFrom),
      steps: steps.map((one) => `${one.code} ${hours(one.earliest)}-${hours(one.latest)}`),
    };
  };
  test("an unsigned zone: TTLs first, the old host last", () => {
    expect(shown({})).toEqual({
      moveAt: 24,
      from: 24,
      steps: ["lower-ttls 0-0", "copy 0-24", "change-servers 24-24", "look 24-", "switch-off 30.08-"],
    });
  });
  test("a signed zone: the DS goes two days before, and comes back when the move is over", () => {
    const signatures = { state: "breaks", dsTags: [4711], keyTags: [815], ttl: 48 * HOUR } as const;
    expect(shown({ signatures, newHostSigns: true, moveAt: 100 * 3_600_000 })).toEqual({
      moveAt: 100,
      from: 48,
      steps: [
        "lower-ttls 0-76",
        "copy 0-100",
        "delete-ds 0-52",
        "change-servers 48-100",
        "look 100-",
        "enter-ds 108-",
        "switch-off 108-",
      ],
    });
    expect(shown({ signatures, moveAt: 10 * 3_600_000 })).toMatchObject({ moveAt: 10, from: 48 });
  });
  test("a signed zone that stays signed: keys first, then the second DS record, and the old one goes last", () => {
    const signatures = { state: "breaks", dsTags: [4711], keyTags: [815], ttl: 48 * HOUR } as const;
    expect(shown({ signatures, newHostSigns: true, staySigned: true, moveAt: 100 * 3_600_000 })).toEqual({
      moveAt: 100,
      from: 50,
      steps: [
        "lower-ttls 0-76",
        "copy 0-100",
        "share-keys 0-50",
        "add-ds 2-52",
        "change-servers 50-100",
        "look 100-",
        "delete-old-ds 108-",
        "switch-off 108-",
      ],
    });
    const apart = { state: "apart", dsTags: [4711, 815], keyTags: [816], ttl: 2 * HOUR } as const;
    expect(shown({ signatures: apart, newHostSigns: true, staySigned: true, longestTtl: 60 })).toMatchObject({
      from: 2,
      steps: ["copy 0-2", "share-keys 0-0", "change-servers 2-2", "look 2-", "delete-old-ds 10-", "switch-off 10-"],
    });
    expect(shown({ signatures: { state: "fits" }, newHostSigns: true, staySigned: true, longestTtl: 60 }).from).toBe(0);
  });
  test("a DS that was deleted is waited for; short TTLs need not be lowered", () => {
    expect(shown({ longestTtl: 300, signatures: { state: "waiting", until: 5 * 3_600_000 } })).toEqual({
      moveAt: 5,
      from: 5,
      steps: ["copy 0-5", "change-servers 5-5", "look 5-", "switch-off 11.08-"],
    });
  });
});

describe("comparing both sides", () => {
  const wanted = readRecords(
    "@ A 192.0.2.1\n@ NS x\n@ TXT t\nwww A 192.0.2.1\nwww CNAME x\nodd-name A 192.0.2.1\nshop NS x\nfresh A 192.0.2.1\nnone A 192.0.2.1\n",
    { origin: apex, ttl: 1 },
  ).records;
  test.each<[string, string, string[]]>([
    ["the same", OLD, []],
    ["a record missing", OLD.replace("odd-name A 192.0.2.9\n", ""), ["missing odd-name.brackwater.example. A"]],
    ["another value", OLD.replace("192.0.2.1\n", "192.0.2.2\n"), ["differs brackwater.example. A"]],
    ["another target", OLD.replace("x.test.", "y.test."), ["differs www.brackwater.example. CNAME"]],
    ["another TTL", OLD.replace("@ A", "@ 60 A"), ["ttl brackwater.example. A"]],
    ["a record more", `${OLD}fresh A 192.0.2.3\n`, ["extra fresh.brackwater.example. A"]],
    [
      "an alias that became an address",
      OLD.replace("www CNAME x.test.", "www A 192.0.2.7"),
      ["extra www.brackwater.example. A", "missing www.brackwater.example. CNAME"],
    ],
  ])("%s", async (_, fresh, expected) => {
    const { differences, unresolved } = await compareSides(side(OLD), side(fresh), apex, wanted);
    expect(unresolved).toEqual([]);
    expect(differences.map((one) => `${one.kind} ${one.name} ${one.type}`).sort()).toEqual([...expected].sort());
  });
});

test("the name servers of the two hosts differ by nature, and are not a difference", async () => {
  const other = zoneLookup(zonesOf(readZone("$TTL 300\n@ SOA x y 9 1 1 1 60\n@ NS ns9\n", { origin: apex })));
  const wanted = ["NS", "SOA"].map((type) => ({ name: apex, type }));
  expect(await compareSides(side(""), other, apex, wanted)).toEqual({ same: 0, differences: [], unresolved: [] });
});

describe("the cut-over", () => {
  const clocks = { movedAt: 1_000_000, now: 1_000_000, parentTtl: 3600, oldNsTtl: 7200, longestTtl: 600 };
  test.each<[string, string[], object, string, number | undefined]>([
    ["still the old servers", ["old1", "old2"], {}, "not-yet", undefined],
    ["some of each", ["new1", "old1"], {}, "half", undefined],
    ["moved: the longer of both NS TTLs, and the longest record", ["new1", "new2"], {}, "moved", 1_000_000 + 7_800_000],
    ["moved, seen just now", ["new1"], { movedAt: undefined, now: 2_000_000 }, "moved", 2_000_000 + 7_800_000],
    ["the parent's TTL is longer", ["new1"], { parentTtl: 86_400 }, "moved", 1_000_000 + 87_000_000],
    ["over", ["new1"], { now: 1_000_000 + 7_800_000 }, "over", 1_000_000 + 7_800_000],
  ])("%s", (_, delegated, more, state, until) => {
    expect(judgeCutOver(delegated, ["new1", "new2"], { ...clocks, ...more })).toMatchObject({ state, oldHostUntil: until });
  });
});
