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
  ["ds-seen", { gone: true }, "is gone"],
  ["ds-seen", { gone: false }, "there is a DNSSEC record"],
])("%s %j", (kind, detail, sentence) => {
  expect(said(kind, detail)).toContain(sentence);
});
