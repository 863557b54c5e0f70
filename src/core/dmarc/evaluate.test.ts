import { describe, expect, test } from "@jest/globals";
import { allInWords } from "../../present/clauses/index.ts";
import { verbatim } from "../clause/index.ts";
import { failed, type Lookup, zoneLookup } from "../lookup/index.ts";
import { name } from "../name/index.ts";
import { organizationalDomain } from "../suffix/index.ts";
import { readZone, zonesOf } from "../zone/index.ts";
import {
  type DiscoveryWay,
  discoverByList,
  discoverByWalk,
  discoveryDifference,
  evaluateDmarc,
  type Identifier,
  scenarios,
  verifyExternalDestination,
  walkNames,
} from "./index.ts";

/** The whole DNS, with these records; `example` is a public suffix, as on the list. */
const world = (records: Readonly<Record<string, string>>): Lookup =>
  zoneLookup(
    zonesOf(
      readZone(
        `$TTL 60\n. SOA a. b. 1 1 1 1 60\n${Object.entries(records)
          .map(([at, text]) => (text.startsWith("A ") ? `${at}. ${text}` : `${at}. TXT "${text}"`))
          .join("\n")}\n`,
      ),
    ),
  );
const list: DiscoveryWay = { way: "suffix-list", organizationalDomain };

describe("the walk up the tree (successor of RFC 7489, section 4.10)", () => {
  test.each<[string, string[]]>([
    ["brackwater.example", ["brackwater.example.", "example."]],
    ["a.b.brackwater.example", ["a.b.brackwater.example.", "b.brackwater.example.", "brackwater.example.", "example."]],
    [
      "a.b.c.d.e.f.g.example",
      [
        "a.b.c.d.e.f.g.example.",
        "b.c.d.e.f.g.example.",
        "c.d.e.f.g.example.",
        "d.e.f.g.example.",
        "e.f.g.example.",
        "f.g.example.",
        "g.example.",
        "example.",
      ],
    ],
    [
      "a.b.c.d.e.f.g.h.i.j.k.l.example",
      [
        "a.b.c.d.e.f.g.h.i.j.k.l.example.",
        "g.h.i.j.k.l.example.",
        "h.i.j.k.l.example.",
        "i.j.k.l.example.",
        "j.k.l.example.",
        "k.l.example.",
        "l.example.",
        "example.",
      ],
    ],
  ])("%s", (domain, names) => {
    expect(allInWords(walkNames(name(domain)))).toEqual(names);
    expect(allInWords(names.length)).toBeLessThanOrEqual(8);
  });

  const none = "v=DMARC1; p=none";
  test.each<[string, Record<string, string>, string, string | undefined, string]>([
    ["its own record", { "_dmarc.brackwater.example": none }, "brackwater.example", "brackwater.example.", "brackwater.example."],
    [
      "the record above",
      { "_dmarc.brackwater.example": none },
      "news.brackwater.example",
      "brackwater.example.",
      "brackwater.example.",
    ],
    [
      "its own before the one above",
      { "_dmarc.brackwater.example": none, "_dmarc.news.brackwater.example": none },
      "news.brackwater.example",
      "news.brackwater.example.",
      "brackwater.example.",
    ],
    [
      "the organization is the one furthest up",
      { "_dmarc.b.brackwater.example": none, "_dmarc.brackwater.example": none },
      "a.b.brackwater.example",
      "brackwater.example.",
      "brackwater.example.",
    ],
    [
      "psd=n ends the walk",
      { "_dmarc.b.brackwater.example": `${none}; psd=n`, "_dmarc.brackwater.example": none },
      "a.b.brackwater.example",
      "b.brackwater.example.",
      "b.brackwater.example.",
    ],
    [
      "psd=y: the organization is one below",
      { "_dmarc.example": `${none}; psd=y` },
      "a.brackwater.example",
      "example.",
      "brackwater.example.",
    ],
    [
      "psd=y at the domain itself",
      { "_dmarc.brackwater.example": `${none}; psd=y` },
      "brackwater.example",
      "brackwater.example.",
      "brackwater.example.",
    ],
    ["nothing anywhere", {}, "news.brackwater.example", undefined, "news.brackwater.example."],
    [
      "a text that is not a record",
      { "_dmarc.brackwater.example": "hello" },
      "brackwater.example",
      undefined,
      "brackwater.example.",
    ],
    [
      "an own record that cannot be used ends it",
      { "_dmarc.news.brackwater.example": "v=DMARC1; p=x", "_dmarc.brackwater.example": none },
      "news.brackwater.example",
      undefined,
      "brackwater.example.",
    ],
    [
      "a deep name jumps",
      { "_dmarc.g.h.i.j.k.l.example": none },
      "a.b.c.d.e.f.g.h.i.j.k.l.example",
      "g.h.i.j.k.l.example.",
      "g.h.i.j.k.l.example.",
    ],
    [
      "what lies in the jump is not seen",
      { "_dmarc.f.g.h.i.j.k.l.example": none },
      "a.b.c.d.e.f.g.h.i.j.k.l.example",
      undefined,
      "a.b.c.d.e.f.g.h.i.j.k.l.example.",
    ],
  ])("%s", async (_, records, domain, at, organizational) => {
    const found = await discoverByWalk(name(domain), world(records));
    expect(allInWords([found.at, found.organizational, found.failed])).toEqual([at, organizational, undefined]);
  });
  test("a name that could not be asked is not an absent policy", async () => {
    const lookup: Lookup = { ask: async (at) => failed("servfail", verbatim(`${at} says no`)) };
    expect(allInWords(await discoverByWalk(name("brackwater.example"), lookup))).toMatchObject({
      failed: "_dmarc.brackwater.example. says no",
    });
    expect(allInWords((await evaluateDmarc(name("brackwater.example"), [], lookup)).result)).toBe("temperror");
  });
  test("two records at one name are none (section 6.6.3 of RFC 7489)", async () => {
    const lookup = zoneLookup(
      zonesOf(
        readZone(
          '$TTL 60\n. SOA a. b. 1 1 1 1 60\n_dmarc.brackwater.example. TXT "v=DMARC1; p=none"\n_dmarc.brackwater.example. TXT "v=DMARC1; p=reject"\n',
        ),
      ),
    );
    expect((await discoverByWalk(name("brackwater.example"), lookup)).record).toBeUndefined();
    expect(allInWords(await evaluateDmarc(name("brackwater.example"), [], lookup))).toMatchObject({
      result: "none",
      because: expect.stringContaining("2 DMARC records"),
    });
  });
});

describe("by the public suffix list (RFC 7489 section 6.6.3), and where the two differ", () => {
  test.each<[string, Record<string, string>, string, string | undefined, RegExp | undefined]>([
    [
      "the organizational domain",
      { "_dmarc.brackwater.example": "v=DMARC1; p=none" },
      "a.b.brackwater.example",
      "brackwater.example.",
      undefined,
    ],
    [
      "nothing between",
      { "_dmarc.b.brackwater.example": "v=DMARC1; p=none" },
      "a.b.brackwater.example",
      undefined,
      /newer receivers.*use the record of b\.brackwater\.example; older.*no record/,
    ],
    [
      "nothing above",
      { "_dmarc.example": "v=DMARC1; p=none; psd=y" },
      "brackwater.example",
      undefined,
      /use the record of example; older/,
    ],
    [
      "psd=n makes a difference in what is aligned",
      { "_dmarc.a.brackwater.example": "v=DMARC1; p=none; psd=n" },
      "a.brackwater.example",
      "a.brackwater.example.",
      /organisation's domain, older ones brackwater/,
    ],
  ])("%s", async (_, records, domain, at, difference) => {
    const lookup = world(records);
    const byList = await discoverByList(name(domain), lookup, organizationalDomain);
    expect(allInWords(byList.at)).toBe(at);
    const said = discoveryDifference(await discoverByWalk(name(domain), lookup), byList);
    if (difference === undefined) expect(said).toBeUndefined();
    else expect(allInWords(said)).toMatch(difference);
  });
});

describe("the judgement (RFC 7489 sections 3.1, 6.3 and 6.6.2)", () => {
  const by = (kind: "spf" | "dkim", domain: string, passes = true, temporary = false): Identifier => ({
    by: kind,
    domain: name(domain),
    passes,
    temporary,
  });
  type Expected = [result: string, policy: string | undefined, disposition: string];
  const B = "brackwater.example";
  test.each<[string, string, string, Identifier[], Expected, Record<string, string>?]>([
    ["DKIM aligned", "v=DMARC1; p=reject", B, [by("dkim", B)], ["pass", "reject", "none"]],
    ["SPF aligned", "v=DMARC1; p=reject", B, [by("spf", B)], ["pass", "reject", "none"]],
    ["SPF of a subdomain, relaxed", "v=DMARC1; p=reject", B, [by("spf", `bounce.${B}`)], ["pass", "reject", "none"]],
    ["SPF of a subdomain, strict", "v=DMARC1; p=reject; aspf=s", B, [by("spf", `bounce.${B}`)], ["fail", "reject", "reject"]],
    ["DKIM of a subdomain, strict", "v=DMARC1; p=reject; adkim=s", B, [by("dkim", `m.${B}`)], ["fail", "reject", "reject"]],
    ["strict for SPF leaves DKIM relaxed", "v=DMARC1; p=reject; aspf=s", B, [by("dkim", `m.${B}`)], ["pass", "reject", "none"]],
    ["From a subdomain, signed by the domain", "v=DMARC1; p=reject", `news.${B}`, [by("dkim", B)], ["pass", "reject", "none"]],
    ["siblings are aligned, relaxed", "v=DMARC1; p=reject", `news.${B}`, [by("dkim", `m.${B}`)], ["pass", "reject", "none"]],
    [
      "another organization",
      "v=DMARC1; p=quarantine",
      B,
      [by("dkim", "heronpost.example"), by("spf", "heronpost.example")],
      ["fail", "quarantine", "quarantine"],
    ],
    ["a name that only looks alike", "v=DMARC1; p=reject", B, [by("dkim", `x${B}`)], ["fail", "reject", "reject"]],
    ["aligned, but it fails", "v=DMARC1; p=reject", B, [by("dkim", B, false)], ["fail", "reject", "reject"]],
    ["nothing at all", "v=DMARC1; p=none", B, [], ["fail", "none", "none"]],
    [
      "one of several passes",
      "v=DMARC1; p=reject",
      B,
      [by("dkim", B, false), by("dkim", "heronpost.example"), by("dkim", B)],
      ["pass", "reject", "none"],
    ],
    ["aligned, and could not be checked", "v=DMARC1; p=reject", B, [by("spf", B, false, true)], ["temperror", "reject", "none"]],
    [
      "could not be checked, and not aligned anyway",
      "v=DMARC1; p=reject",
      B,
      [by("spf", "heronpost.example", false, true)],
      ["fail", "reject", "reject"],
    ],
    [
      "could not be checked, and another passes",
      "v=DMARC1; p=reject",
      B,
      [by("spf", B, false, true), by("dkim", B)],
      ["pass", "reject", "none"],
    ],
    ["sp for a subdomain", "v=DMARC1; p=none; sp=reject", `news.${B}`, [], ["fail", "reject", "reject"]],
    ["p for a subdomain without sp", "v=DMARC1; p=quarantine", `news.${B}`, [], ["fail", "quarantine", "quarantine"]],
    ["p for the domain itself", "v=DMARC1; p=none; sp=reject", B, [], ["fail", "none", "none"]],
    ["np for a name that does not exist", "v=DMARC1; p=none; np=reject", `news.${B}`, [], ["fail", "reject", "reject"]],
    [
      "sp for one that exists, beside np",
      "v=DMARC1; p=none; sp=quarantine; np=reject",
      `news.${B}`,
      [],
      ["fail", "quarantine", "quarantine"],
      { [`news.${B}`]: "A 192.0.2.1" },
    ],
    [
      "p for one that exists, beside np",
      "v=DMARC1; p=none; np=reject",
      `news.${B}`,
      [],
      ["fail", "none", "none"],
      { [`news.${B}`]: "A 192.0.2.1" },
    ],
    ["t=y makes reject quarantine", "v=DMARC1; p=reject; t=y", B, [], ["fail", "reject", "quarantine"]],
    ["t=y makes quarantine none", "v=DMARC1; p=quarantine; t=y", B, [], ["fail", "quarantine", "none"]],
    ["pct means nothing to the successor", "v=DMARC1; p=reject; pct=0", B, [], ["fail", "reject", "reject"]],
    ["no record", "hello", B, [by("dkim", B)], ["none", undefined, "none"]],
    ["a record that cannot be used", "v=DMARC1; p=x", B, [by("dkim", B)], ["permerror", undefined, "none"]],
    ["a wrong policy with a report address", "v=DMARC1; p=x; rua=mailto:a@b.example", B, [], ["fail", "none", "none"]],
  ])("%s", async (_, record, from, identifiers, expected, ...[more]) => {
    const verdict = await evaluateDmarc(name(from), identifiers, world({ [`_dmarc.${B}`]: record, ...more }));
    expect(allInWords([verdict.result, verdict.policy, verdict.disposition])).toEqual(expected);
  });
  test.each<[string, string, Expected]>([
    ["pct=0 makes it one step milder", "v=DMARC1; p=reject; pct=0", ["fail", "reject", "quarantine"]],
    ["pct=50 is said, and the policy stays", "v=DMARC1; p=reject; pct=50", ["fail", "reject", "reject"]],
    ["t=y means nothing to RFC 7489", "v=DMARC1; p=reject; t=y", ["fail", "reject", "reject"]],
  ])("by the list: %s", async (_, record, expected) => {
    const verdict = await evaluateDmarc(name(B), [], world({ [`_dmarc.${B}`]: record }), list);
    expect(allInWords([verdict.result, verdict.policy, verdict.disposition])).toEqual(expected);
    if (record.includes("50")) expect(allInWords(verdict.because)).toContain("50 %");
  });
  test("a walk that could not be finished is not a failure", async () => {
    const base = world({ [`_dmarc.${B}`]: "v=DMARC1; p=reject" });
    const lookup: Lookup = {
      ask: async (at, type) => (at === `_dmarc.m.${B}.` ? failed("timeout", verbatim("silence")) : base.ask(at, type)),
    };
    const verdict = await evaluateDmarc(name(`news.${B}`), [by("dkim", `m.${B}`)], lookup);
    expect(allInWords([verdict.result, verdict.disposition])).toEqual(["temperror", "none"]);
  });
  test("by the list, siblings below a public suffix are not aligned", async () => {
    const verdict = await evaluateDmarc(
      name(B),
      [by("dkim", "heronpost.example")],
      world({ [`_dmarc.${B}`]: "v=DMARC1; p=reject" }),
      list,
    );
    expect(allInWords(verdict)).toMatchObject({ result: "fail", alignments: [{ aligned: false }] });
  });
});

describe("where reports may go (RFC 7489 section 7.1)", () => {
  const lookup = world({
    "brackwater.example._report._dmarc.heronpost.example": "v=DMARC1",
    "*._report._dmarc.swiftquill.example": "v=DMARC1;",
    "brackwater.example._report._dmarc.pagewick.example": "yes",
  });
  test.each<[string, string]>([
    ["brackwater.example", "own"],
    ["mail.brackwater.example", "own"],
    ["heronpost.example", "granted"],
    ["swiftquill.example", "granted"],
    ["pagewick.example", "missing"],
    ["inglemail.example", "missing"],
  ])("%s: %s", async (destination, permission) =>
    expect(
      allInWords(
        await verifyExternalDestination(name("brackwater.example"), name("brackwater.example"), name(destination), lookup),
      ),
    ).toBe(permission),
  );
  test("could not be asked", async () =>
    expect(
      allInWords(
        await verifyExternalDestination(name("brackwater.example"), name("brackwater.example"), name("heronpost.example"), {
          ask: async () => failed("timeout", verbatim("silence")),
        }),
      ),
    ).toEqual({ failed: "silence" }));
});

test("what happens to real, unproven and forged mail, for the domain, a subdomain and a made-up one", async () => {
  const lookup = world({ "_dmarc.brackwater.example": "v=DMARC1; p=quarantine; sp=none; np=reject" });
  expect(
    allInWords(
      (await scenarios(name("brackwater.example"), lookup, { way: "tree-walk" })).map(({ kind, tag, forged, unaligned }) => [
        kind,
        tag,
        unaligned,
        forged,
      ]),
    ),
  ).toEqual([
    ["domain", "p", "quarantine", "quarantine"],
    ["subdomain", "sp", "none", "none"],
    ["made-up", "np", "reject", "reject"],
  ]);
  expect(allInWords((await scenarios(name("brackwater.example"), lookup, list)).at(-1))).toMatchObject({
    tag: "sp",
    forged: "none",
  });
});
