import { expect, test } from "@jest/globals";
import type { State } from "../../core/ask/index.ts";
import type { Change, Clash, Draft } from "../../core/change/index.ts";
import { verbatim } from "../../core/clause/index.ts";
import { name } from "../../core/name/index.ts";
import type { AskStanding } from "../standing/survey.ts";
import { nextMove, type Situation } from "./next-move.ts";

const domain = name("brackwater.example");
const standing = (id: string, state: State, more: Partial<AskStanding> = {}): AskStanding => ({
  ask: { id, service: "s", purpose: "site", domain, after: [], wants: [] },
  views: [],
  state,
  because: verbatim("b"),
  causes: [],
  visibility: undefined,
  piece: { ask: id, is: "missing", until: undefined, act: "enter", by: "person" },
  ...more,
});
const clash = (ask: string, more: Partial<Clash> = {}): Clash => ({
  kind: "other-value",
  name: domain,
  type: "A",
  ask,
  because: verbatim("another A record"),
  breaks: verbatim(""),
  options: [],
  replaceable: true,
  contradicts: false,
  ...more,
});
const change = (ask: string, action: Change["action"] = "add"): Change => ({
  action,
  name: domain,
  type: "TXT",
  before: undefined,
  after: undefined,
  because: verbatim(""),
  asks: [ask],
});
const draft = (clashes: Clash[], changes: Change[] = []): Draft => ({ domain, changes, clashes, undetermined: [] });
const situation = (more: Partial<Situation>): Situation => ({
  asks: [],
  draft: draft([]),
  sheetOpen: false,
  lost: [],
  putOff: new Set(),
  now: 100,
  ...more,
});
const visibility = (by: number) => ({ visibility: { publishedAt: 0, by, because: verbatim("") } });

test.each<[string, Partial<Situation>, object]>([
  ["what could not be asked comes first", { asks: [standing("a", "unknown")], sheetOpen: true }, { kind: "unknown" }],
  ["an open sheet", { asks: [standing("a", "noted")], sheetOpen: true, draft: draft([], [change("a")]) }, { kind: "enter" }],
  ["one clash for two asks is decided once", { draft: draft([clash("a"), clash("b")]) }, { kind: "decide", asks: ["a", "b"] }],
  [
    "a clash that was put off",
    { draft: draft([clash("a")], [change("b")]), putOff: new Set(["a"]) },
    { kind: "publish", changes: [{ asks: ["b"] }] },
  ],
  ["nothing left to change", { draft: draft([], [change("a", "keep")]) }, { kind: "done", open: [] }],
  [
    "a contradiction is mended, not decided",
    {
      asks: [
        standing("a", "astray", { causes: [{ kind: "leftover-value", at: "", because: verbatim(""), remedy: verbatim("") }] }),
      ],
      draft: draft([clash("a", { contradicts: true })]),
    },
    { kind: "mend" },
  ],
  [
    "resolvers that are behind",
    { asks: [standing("a", "spreading", visibility(500)), standing("b", "spreading", visibility(700))] },
    { kind: "wait", by: 700 },
  ],
  ["the service's resolver may be behind", { asks: [standing("a", "settled", visibility(500))] }, { kind: "wait", by: 500 }],
  ["and not any more", { asks: [standing("a", "settled", visibility(50))] }, { kind: "confirm", standing: { ask: { id: "a" } } }],
  [
    "an ask that waits for another",
    { asks: [standing("a", "waiting"), standing("b", "proven")] },
    { kind: "done", open: [{ ask: { id: "a" } }] },
  ],
])("%s", (_, more, move) => expect(nextMove(situation(more))).toMatchObject(move));
