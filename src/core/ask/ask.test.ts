import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { verbatim } from "../clause/index.ts";
import { type Answer, failed } from "../lookup/index.ts";
import { name } from "../name/index.ts";
import { type RecordSet, toSets } from "../record/index.ts";
import { readRecords } from "../zone/index.ts";
import { type Ask, look, STATES, type Standing, stateOf, type View, type Viewpoint, viewOf, wantsOf } from "./index.ts";

const apex = name("brackwater.example");
const setOf = (line: string): RecordSet => toSets(readRecords(line, { origin: apex, ttl: 300 }).records)[0]!;
const wanted = wantsOf(readRecords('@ TXT "token"', { origin: apex, ttl: 300 }).records)[0]!;
const soa = setOf("@ 900 SOA a b 1 1 1 1 60");
const ask: Ask = {
  id: "seekmere-ownership",
  service: "seekmere",
  purpose: "ownership",
  domain: apex,
  after: [],
  wants: [wanted],
};
const found = (line: string): Answer => ({ kind: "found", set: setOf(line), chain: [], authoritative: true });
const nothing: Answer = { kind: "nodata", chain: [], authoritative: true, soa };
const silent = failed("timeout", verbatim("ns1 did not answer within 5 s"));

const authority = (answer: Answer, from = "ns1"): View =>
  viewOf({ name: from, role: "authoritative", lookup: { ask: async () => answer } }, wanted, answer);
const vantage = (answer: Answer, from = "Quay Street"): View =>
  viewOf({ name: from, role: "vantage", lookup: { ask: async () => answer } }, wanted, answer);

const there = found('@ TXT "token"');
const standing = (more: Partial<Standing>): Standing => ({
  ask,
  views: [],
  waitingFor: [],
  provenAt: undefined,
  settledAt: undefined,
  clash: undefined,
  contradiction: undefined,
  miss: undefined,
  trouble: undefined,
  ...more,
});

describe("views", () => {
  test.each<[string, Answer, View["sees"], number | undefined]>([
    ["the wanted text among others", found('@ TXT "other"\n@ TXT "token"'), "new", 300],
    ["another text", found('@ TXT "other"'), "old", 300],
    ["nothing, kept for the negative TTL", nothing, "nothing", 60],
    ["a time-out", silent, "unknown", undefined],
    ["an alias that leads to the token", { ...there, chain: [setOf("@ 30 CNAME x") as never] } as Answer, "new", 30],
    ["an alias that leads away", failed("outside", verbatim(""), { chain: [setOf("@ 30 CNAME x") as never] }), "old", 30],
  ])("%s", (_, answer, sees, keeps) => {
    expect(vantage(answer)).toMatchObject({ sees, ...(keeps === undefined ? {} : { keeps }) });
    expect(authority(answer).keeps).toBeUndefined();
  });

  test("vantages are not asked before every name server has it, so that they do not remember its absence", async () => {
    const asked: string[] = [];
    const viewpoint = (from: string, role: Viewpoint["role"], answer: Answer): Viewpoint => ({
      name: from,
      role,
      lookup: {
        ask: async () => {
          asked.push(from);
          return answer;
        },
      },
    });
    await look(
      [wanted],
      [viewpoint("ns1", "authoritative", there), viewpoint("ns2", "authoritative", nothing), viewpoint("v", "vantage", nothing)],
    );
    expect(asked).toEqual(["ns1", "ns2"]);
    await look(
      [wanted],
      [viewpoint("ns1", "authoritative", there), viewpoint("ns2", "authoritative", silent), viewpoint("v", "vantage", there)],
    );
    expect(asked).toEqual(["ns1", "ns2", "ns1", "ns2", "v"]);
  });
});

test("a name that was delegated to other servers is judged by what the vantages find there", async () => {
  const handedOn: Answer = failed("delegated", verbatim(""), { delegation: { ns: setOf("x NS ns1.test.") as never, glue: [] } });
  const viewpoint = (name: string, role: Viewpoint["role"], answer: Answer): Viewpoint => ({
    name,
    role,
    lookup: { ask: async () => answer },
  });
  const states = async (answer: Answer) =>
    stateOf(
      standing({ views: await look([wanted], [viewpoint("ns1", "authoritative", handedOn), viewpoint("v", "vantage", answer)]) }),
    ).state;
  expect([await states(there), await states(nothing), await states(silent)]).toEqual(["settled", "noted", "unknown"]);
});

describe("states", () => {
  const both = [authority(there), authority(there, "ns2")];
  test.each<[string, Partial<Standing>, string]>([
    ["nothing there", { views: [authority(nothing)] }, "noted"],
    ["waiting for another ask", { views: [authority(nothing)], waitingFor: ["first"] }, "waiting"],
    ["a clash in the draft", { views: [authority(nothing)], clash: verbatim("there is an alias") }, "clashing"],
    ["a near miss", { views: [authority(nothing)], miss: verbatim("at the wrong name") }, "astray"],
    ["a near miss outranks a clash", { views: [authority(nothing)], miss: verbatim("m"), clash: verbatim("c") }, "astray"],
    ["on one server only", { views: [authority(there), authority(nothing, "ns2")], miss: verbatim("some only") }, "astray"],
    ["everywhere but at a vantage", { views: [...both, vantage(nothing)] }, "spreading"],
    ["everywhere", { views: [...both, vantage(there)] }, "settled"],
    ["a vantage cannot be asked", { views: [...both, vantage(silent)] }, "unknown"],
    ["one vantage is old, one cannot be asked", { views: [...both, vantage(nothing), vantage(silent, "b")] }, "spreading"],
    ["proven and there", { views: [...both, vantage(nothing)], provenAt: 1 }, "proven"],
    ["proven and gone", { views: [authority(nothing)], provenAt: 1 }, "lapsed"],
    ["settled once and gone", { views: [authority(found('@ TXT "x"'))], settledAt: 1 }, "lapsed"],
    ["no server answers", { views: [authority(silent), authority(silent, "ns2")] }, "unknown"],
    ["no server answers, and it was proven", { views: [authority(silent)], provenAt: 1 }, "unknown"],
    ["one has it, one does not answer", { views: [authority(there), authority(silent, "ns2")] }, "settled"],
    [
      "one has it, one does not answer, and it was proven",
      { views: [authority(there), authority(silent, "ns2")], provenAt: 1 },
      "proven",
    ],
    [
      "one has it, one does not answer, a vantage is old",
      { views: [authority(there), authority(silent, "ns2"), vantage(nothing)] },
      "spreading",
    ],
    ["one vantage has it, one cannot be asked", { views: [...both, vantage(there), vantage(silent, "b")] }, "settled"],
    ["one lacks it, one does not answer", { views: [authority(nothing), authority(silent, "ns2")] }, "noted"],
    ["the delegation could not be found", { trouble: { kind: "failed", because: verbatim("no answer") } }, "unknown"],
    ["not delegated", { trouble: { kind: "not-delegated", because: verbatim("nobody serves it") } }, "noted"],
    [
      "not delegated any more",
      { trouble: { kind: "not-delegated", because: verbatim("nobody serves it") }, provenAt: 1 },
      "lapsed",
    ],
  ])("%s", (_, more, state) => {
    expect(stateOf(standing(more)).state).toBe(state);
  });

  test("what could not be asked is never reported as missing", () => {
    const view = fc.constantFrom(authority(silent), authority(silent, "ns2"), authority(there, "ns3"), vantage(silent));
    fc.assert(
      fc.property(fc.array(view, { maxLength: 5 }), fc.boolean(), (views, proven) => {
        const { state } = stateOf(standing({ views, provenAt: proven ? 1 : undefined }));
        expect(STATES).toContain(state);
        expect(["noted", "lapsed", "astray"]).not.toContain(state);
      }),
    );
  });
});
