import { expect, test } from "@jest/globals";
import type { DossierDomain } from "../../app/fleet/dossier.ts";
import { clause, verbatim } from "../../core/clause/index.ts";
import { DAY_MS } from "../../core/day.ts";
import { name } from "../../core/name/index.ts";
import { DOSSIER_MARK, dossierFiles, headlineOf } from "./dossier.ts";

const AT = Date.parse("2026-03-02T09:00:00Z");
const FIRST = Math.floor(AT / DAY_MS) - 364;

type Source = NonNullable<DossierDomain["sources"]>["sources"][number];
const source = (i: number): Source => ({
  ...{ title: `sender-${i}.example`, service: null, ours: i % 5 === 0, messages: 52 * (i + 1), aligned: 52 * i, byDkim: 52 * i },
  ...{ bySpf: 0, bySpfOnly: 0, nextTo: null, signers: [`sender-${i}.example`], envelopes: [] },
  reasons: { forwarded: 1, "wrong-signer": 2, "wrong-return-path": 3, "nothing-passes": 4 },
  dispositions: { none: 1, quarantine: 0, reject: 0 },
  blocks: [`192.0.2.${i % 256}`],
  from: [{ domain: "brackwater.example.", messages: 1, aligned: 1 }],
  weeks: Array.from({ length: 52 }, (_, week) => ({ week: FIRST + 7 * week, messages: i + 1, aligned: i })),
});

/** A domain about which there is little to say, with so many senders over a year. */
const domainWith = (senders: number, more: Partial<DossierDomain> = {}): DossierDomain => ({
  ...{ domain: name("brackwater.example"), role: "main", host: "Nettlehost", asks: [], right: [], findings: [], unresolved: [] },
  ...{ spf: null, keys: [], keysUnknown: 0, policy: { record: null, policy: null, failed: null }, policies: [], advice: null },
  ...{ spread: null, history: [], since: null },
  sources:
    senders === 0
      ? null
      : {
          ...{ domain: name("brackwater.example"), reports: 365, receivers: 3, from: FIRST, to: FIRST + 363, page: null },
          ...{ messages: 1_000_000, aligned: 900_000, sources: Array.from({ length: senders }, (_, i) => source(i)) },
        },
  ...more,
});
type DossierAsk = DossierDomain["asks"][number];
const ask = (state: DossierAsk["state"]): DossierAsk => ({
  ...{ id: "seekmere-ownership", service: "seekmere", title: "Seekmere", purpose: "ownership", state },
  ...{ because: clause("nothing"), next: clause("nothing"), asked: null, published: null, proven: null },
});
const filesOf = (domain: DossierDomain, format: "html" | "markdown") =>
  dossierFiles({ at: AT, organisation: "Brackwater Puppet Theatre", domains: [domain] }, format);

test("500 senders and a year of weeks: below a megabyte and a half, and those that are not listed are counted", () => {
  const [, page] = filesOf(domainWith(500), "html");
  expect(page?.text.length).toBeLessThan(1_500_000);
  expect(page?.text).toContain("And 460 more sources with");
  expect(page?.text).toContain(DOSSIER_MARK);
});

test.each<[string, Partial<DossierDomain>, RegExp, "ok" | "warn" | "bad"]>([
  ["all is well", {}, /no service has asked for anything yet; nothing needs fixing soon\.$/i, "ok"],
  [
    "something could not be asked",
    { unresolved: [clause("dossier-record", { name: name("brackwater.example"), type: "TXT" })] },
    /not everything could be asked\.$/,
    "warn",
  ],
  [
    "asks could not be looked at",
    { asks: [ask("unknown"), ask("unknown")] },
    /^All 2 asks of services could not be looked at; nothing needs fixing soon\.$/,
    "warn",
  ],
  [
    "asks stand differently",
    { asks: [ask("proven"), ask("noted"), ask("unknown")] },
    /^1 of 3 asks of services is not where it should be yet; 1 of 3 asks of services could not be looked at; /,
    "warn",
  ],
  ["all asks are proven", { asks: [ask("proven"), ask("settled")] }, /^All 2 asks of services are where they should be; /, "ok"],
  [
    "something is broken",
    {
      findings: [
        {
          ...{ id: "spf-neutral", area: "spf", severity: "breaks", standard: "RFC 7208 section 8.2" },
          ...{ domain: name("brackwater.example"), seen: {} },
        },
      ],
    },
    /1 thing is broken/,
    "bad",
  ],
])("%s, in one sentence", (_, more, text, tone) => {
  expect(headlineOf(domainWith(0, more))).toEqual({ text: expect.stringMatching(text), tone });
});

test("what could not be asked is not said to be missing", () => {
  const [, page] = filesOf(
    domainWith(0, {
      ...{
        keysUnknown: 3,
        unresolved: [clause("dossier-senders")],
        policy: { record: null, policy: null, failed: verbatim("nobody answers") },
      },
    }),
    "markdown",
  );
  expect(page?.text).not.toMatch(/There is no DMARC policy|No DKIM key is known|No reports of receivers/);
  expect(page?.text.match(/could not be (?:asked|said)/g)?.length).toBeGreaterThanOrEqual(4);
});
