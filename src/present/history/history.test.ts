import { expect, test } from "@jest/globals";
import { clause, verbatim } from "../../core/clause/index.ts";
import { historySentence } from "./history.ts";

type Event = Parameters<typeof historySentence>[0];
const said = (kind: Event["kind"], detail: object): string =>
  historySentence({ at: 0, domain: "brackwater.example.", kind, detail } as unknown as Event);

test.each<[Event["kind"], object, string]>([
  ["ask-noted", { ask: "seekmere-ownership", service: "seekmere", purpose: "ownership" }, "was asked by seekmere, for ownership"],
  [
    "asked-service",
    { ask: "seekmere-ownership", service: "seekmere", answer: "accepted", reason: verbatim("The token was found.") },
    "seekmere verified seekmere-ownership: The token was found.",
  ],
  [
    "asked-service",
    { ask: "seekmere-ownership", service: "seekmere", answer: "not-yet", reason: clause("nothing") },
    "seekmere did not verify seekmere-ownership yet",
  ],
  [
    "asked-service",
    { ask: "seekmere-ownership", service: "seekmere", answer: "failed", reason: verbatim("it did not answer") },
    "seekmere could not be asked about seekmere-ownership: it did not answer",
  ],
  ["sender-state", { service: "heronpost", state: "accepted", by: "user" }, "the domain is accepted at heronpost, as you said"],
  [
    "sender-state",
    { service: "heronpost", address: "news@brackwater.example", state: "pending", by: "service" },
    "news@brackwater.example is pending at heronpost, as it says",
  ],
  [
    "reports-taken",
    { reports: 1, messages: 1, receivers: ["Mallowmail"], others: 0, begin: 1_772_323_200, end: 1_772_409_599 },
    "1 report came in from Mallowmail: 1 message of 2026-03-01",
  ],
  [
    "reports-taken",
    { reports: 28, messages: 10_174, receivers: ["A", "B"], others: 3, begin: 1_772_323_200, end: 1_772_496_000 },
    "28 reports came in from A, B and 3 more: 10,174 messages from 2026-03-01 to 2026-03-03",
  ],
  ["ds-seen", { gone: true }, "is gone"],
  ["ds-seen", { gone: false }, "there is a DNSSEC record"],
])("%s %j", (kind, detail, sentence) => {
  expect(said(kind, detail)).toContain(sentence);
});
