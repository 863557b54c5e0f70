import { expect, test } from "@jest/globals";
import { clause } from "../../core/clause/index.ts";
import { name } from "../../core/name/index.ts";
import { styleFor } from "../style.ts";
import { auditText, openByReason } from "./audit.ts";

const layout = { style: styleFor(false), width: 1000 };
const domain = name("brackwater.example");
const late = clause("answer-late", { server: "192.0.2.53:53", ms: 5000 });

test("what could not be asked is named once, with every reason once", () => {
  const types = ["A", "AAAA", "TXT", "TXT", "MX", "CAA", "NS", "DS", "SRV", "TLSA"];
  const unresolved = types.map((type) => ({ name: domain, type, because: late }));
  const text = auditText({ domains: [{ domain, right: [], findings: [], unresolved }], catalogue: [] }, layout);
  expect(text).not.toContain("TLSA of");
  expect(text).toMatch(/A of brackwater\.example, AAAA of .* and 1 more\. Why: 192\.0\.2\.53:53 did not answer within 5 s\.\n/);
});

test("of many reasons three are told", () => {
  const unresolved = [1, 2, 3, 4, 5].map((last) => ({
    ...{ name: domain, type: "A" },
    because: clause("answer-late", { server: `192.0.2.${last}:53`, ms: 1000 }),
  }));
  const text = auditText({ domains: [{ domain, right: [], findings: [], unresolved }], catalogue: [] }, layout);
  expect(text).toMatch(/Why: 192\.0\.2\.1:53 .*; 192\.0\.2\.2:53 .*; 192\.0\.2\.3:53 did not answer within 1 s and 2 more\.\n/);
});

test("in a report there is one sentence for each reason, with the first of its questions", () => {
  const types = ["A", "AAAA", "TXT", "MX", "CAA", "NS", "DS", "SRV", "TLSA", "SOA"];
  const refused = clause("answer-not-again", { server: "192.0.2.53:53" });
  const unresolved = [
    ...types.map((type) => ({ name: domain, type, because: late })),
    { name: domain, type: "SPF", because: refused },
  ];
  expect(openByReason(unresolved)).toEqual([
    `${types
      .slice(0, 8)
      .map((type) => `${type} of brackwater.example`)
      .join(", ")} and 2 more could not be asked: 192.0.2.53:53 did not answer within 5 s`,
    "SPF of brackwater.example could not be asked: 192.0.2.53:53 did not answer before, and is not asked again for now",
  ]);
  expect(openByReason([])).toEqual([]);
});
