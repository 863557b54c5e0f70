import type { ContractClauses } from "../../core/clause/index.ts";
import { listOf } from "../english.ts";
import type { WordsOf } from "./words.ts";

const STEPS: Readonly<Record<ContractClauses["helper-step"]["step"], string>> = {
  describes: "describes itself",
  "shows-empty": "shows that the scratch name is empty",
  adds: "adds a set",
  "shows-added": "shows what was added",
  extends: "extends a set",
  "shows-extended": "shows both, to the letter",
  "refuses-changed": "refuses where somebody changed the set since",
  "shows-unchanged": "changed nothing when it refused",
  removes: "removes a set",
  "shows-removed": "shows that the scratch name is empty again",
};

const CHECKS: Readonly<Record<ContractClauses["link-check"]["check"], string>> = {
  describe: "the service describes itself without a key",
  check: "a domain nobody has is refused, or not yet accepted",
  showDomain: "a domain it was never told of is unknown",
  showSender: "an address it was never told of is unknown",
  listCredentials: "credentials are listed without their secrets",
  showSubmission: "host, port and TLS mode are said",
  showMessage: "a tracking id that was never given out is unknown",
  unsubscribe: "a subscription that never was is unknown",
  makeCredential: "a credential is made, with its secret",
  scope: "a sending credential cannot make others",
  "listCredentials-secret": "its secret is never shown again",
  revokeCredential: "it can be ended",
  revoked: "after that it is good for nothing",
  subscribe: "events can be subscribed to",
  "unsubscribe-again": "a subscription can be ended",
};

export const CONTRACT: WordsOf<ContractClauses> = {
  "helper-step": ({ step }) => STEPS[step],
  "helper-is": ({ title, atomic }) => `${title}, ${atomic ? "all or nothing" : "one set after the other"}`,
  "helper-shows": ({ data }) => `it shows ${data.length === 0 ? "nothing" : listOf(data)}`,
  "helper-says": ({ outcome, reason }) => `it says ${outcome}${reason === "" ? "" : ` (${reason})`}`,
  "link-check": ({ check }) => CHECKS[check],
  "link-needs-key": ({ path }) => `${path} is refused without a key`,
  "link-did-it": "it did what it was asked",
  "link-accepted-nobody": "it accepted a domain that nobody has",
  "link-knows-nobody": ({ what }) => `it knows ${what === "address" ? "an address" : "a domain"} nobody has`,
  "link-shows-secret": "the list holds the secret",
};
