import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { allInWords, inWords } from "../../present/clauses/index.ts";
import { composeDmarc, describePolicy, isDmarc, readDmarcRecord } from "./index.ts";

const RUA = "rua=mailto:dmarc@brackwater.example";
const read = (text: string) => {
  const parsed = readDmarcRecord(text);
  if (!parsed.ok) throw new Error(text);
  return parsed.value;
};

describe("records that receivers use (RFC 7489 section 6.3, and the tags of its successor)", () => {
  test.each<[string, object]>([
    [
      "v=DMARC1; p=none",
      {
        policy: "none",
        percent: 100,
        testing: false,
        dkimAlignment: "relaxed",
        spfAlignment: "relaxed",
        aggregate: [],
        interval: 86_400,
      },
    ],
    ["v=DMARC1;p=quarantine", { policy: "quarantine" }],
    ["v=DMARC1; p=reject;", { policy: "reject" }],
    ["v = DMARC1 ; p = reject ; ", { policy: "reject" }],
    ["v=DMARC1; p=REJECT", { policy: "reject" }],
    ["v=DMARC1; p=none; sp=reject", { subdomains: "reject" }],
    ["v=DMARC1; p=none; np=reject", { nonexistent: "reject" }],
    ["v=DMARC1; p=none; adkim=s", { dkimAlignment: "strict" }],
    ["v=DMARC1; p=none; adkim=r; aspf=s", { dkimAlignment: "relaxed", spfAlignment: "strict" }],
    ["v=DMARC1; p=none; pct=0", { percent: 0 }],
    ["v=DMARC1; p=none; pct=50", { percent: 50 }],
    ["v=DMARC1; p=none; t=y", { testing: true }],
    ["v=DMARC1; p=none; t=n", { testing: false }],
    ["v=DMARC1; p=none; psd=y", { publicSuffix: true }],
    ["v=DMARC1; p=none; psd=n", { publicSuffix: false }],
    ["v=DMARC1; p=none; psd=u", { policy: "none" }],
    ["v=DMARC1; p=none; fo=1:d:s", { failureOptions: ["1", "d", "s"] }],
    ["v=DMARC1; p=none; ri=3600", { interval: 3600 }],
    ["v=DMARC1; p=none; rf=afrf", { policy: "none" }],
    [`v=DMARC1; p=none; ${RUA}`, { aggregate: [{ address: "dmarc@brackwater.example" }] }],
    [`v=DMARC1; p=none; ${RUA}!10m`, { aggregate: [{ address: "dmarc@brackwater.example", most: 10 << 20 }] }],
    [
      `v=DMARC1; p=none; ${RUA}!50K,mailto:r@heronpost.example`,
      { aggregate: [{ most: 50 << 10 }, { address: "r@heronpost.example" }] },
    ],
    ["v=DMARC1; p=none; rua=mailto:a%2Cb@brackwater.example", { aggregate: [{ address: "a,b@brackwater.example" }] }],
    [
      "v=DMARC1; p=none; rua=mailto:a%21b@brackwater.example!1g",
      { aggregate: [{ address: "a!b@brackwater.example", most: 1 << 30 }] },
    ],
    [
      "v=DMARC1; p=none; rua=https://reports.heronpost.example/x",
      { aggregate: [{ text: "https://reports.heronpost.example/x" }] },
    ],
    ["v=DMARC1; p=none; ruf=mailto:f@brackwater.example", { failure: [{ address: "f@brackwater.example" }] }],
    ["v=DMARC1; p=none; rua=mailto:a@b.example?subject=x", { aggregate: [{ address: "a@b.example" }] }],
    // Section 6.6.3: a policy that cannot be used, and reports that are wanted: p=none.
    [`v=DMARC1; ${RUA}`, { policy: "none", mistakes: [{ message: "the policy p= is missing" }] }],
    [`v=DMARC1; p=quarrantine; ${RUA}`, { policy: "none", mistakes: [{ at: 10, meant: "p=quarantine" }] }],
    [`v=DMARC1; p=reject; sp=nothing; ${RUA}`, { policy: "none" }],
    [`v=DMARC1; p=reject; np=nothing; ${RUA}`, { policy: "none" }],
  ])("%s", (text, expected) => expect(allInWords(read(text))).toMatchObject(expected));
  test("sp= that is wrong leaves no policy for subdomains either", () =>
    expect(allInWords(read(`v=DMARC1; p=reject; sp=x; ${RUA}`))).not.toHaveProperty("subdomains"));
});

describe("what receivers pass over, said at its character", () => {
  test.each<[string, string, string?]>([
    ["v=DMARC1; p=none; x=1", "no tag “x”"],
    ["v=DMARC1; p=none; adkmi=s", "no tag “adkmi”", "adkim=s"],
    ["v=DMARC1; p=none; RUA=mailto:a@b.example", "no tag “RUA”", "rua=mailto:a@b.example"],
    ["v=DMARC1; p=none; adkim=strict", "adkim= is r or s", "adkim=s"],
    ["v=DMARC1; p=none; aspf=", "aspf= is r or s"],
    ["v=DMARC1; p=none; pct=101", "pct= is a whole number"],
    ["v=DMARC1; p=none; pct=50%", "pct= is a whole number"],
    ["v=DMARC1; p=none; ri=daily", "ri= is a whole number"],
    ["v=DMARC1; p=none; fo=2", "fo= lists"],
    ["v=DMARC1; p=none; t=yes", "t= is y or n", "t=y"],
    ["v=DMARC1; p=none; rua=dmarc@brackwater.example", "needs mailto:", "mailto:dmarc@brackwater.example"],
    ["v=DMARC1; p=none; rua=mailto:d@bühne.example!5m", "has letters", "mailto:d@xn--bhne-0ra.example!5m"],
    ["v=DMARC1; p=none; rua=é@bühne.example", "needs mailto:", "mailto:%C3%A9@xn--bhne-0ra.example"],
    ["v=DMARC1; p=none; rua=mailto:dmarc", "is not an address"],
    ["v=DMARC1; p=none; rua=nobody", "is not an address"],
    ["v=DMARC1; p=none; rua=mailto:a%2@b.example", "broken percent"],
    ["v=DMARC1; p=none; rua=mailto:a!b@b.example", "exclamation mark"],
    ["v=DMARC1; p=none; rua=mailto:a@b.example mailto:c@d.example", "is not an address"],
    ["v=DMARC1; p=none;; sp=none", "nothing between"],
    ["v=DMARC1; p=none; p=reject", "only once"],
    [`v=DMARC1; ${RUA}; p=none`, "directly behind"],
  ])("%s: %s", (text, message, ...[meant]) => {
    const [mistake] = read(text).mistakes;
    expect(allInWords(mistake?.message)).toContain(message);
    if (typeof meant === "string") expect(allInWords(mistake?.meant)).toBe(meant);
  });
});

describe("records that receivers ignore (RFC 7489 section 6.6.3)", () => {
  test.each<[string, string, string?]>([
    ["v=dmarc1; p=none", "exactly v=DMARC1", "v=DMARC1; p=none"],
    ["v=DMARC2; p=none", "exactly v=DMARC1", "v=DMARC1; p=none"],
    ["v=DMARC11; p=none;", "exactly v=DMARC1", "v=DMARC1; p=none"],
    ["v=DMARC p=none", "exactly v=DMARC1", "v=DMARC1; p=none"],
    ["v:DMARC1; p=none", "exactly v=DMARC1", "v=DMARC1; p=none"],
    ["DMARC1, p=none", "exactly v=DMARC1", "v=DMARC1; p=none"],
    ['"v=DMARC1; p=none"', "exactly v=DMARC1", "v=DMARC1; p=none"],
    ["“v=DMARC1; p=none;”", "exactly v=DMARC1", "v=DMARC1; p=none"],
    ["p=none; v=DMARC1", "exactly v=DMARC1", "v=DMARC1; p=none"],
    ["p=none; v=DMARC1; pct=50", "exactly v=DMARC1", "v=DMARC1; p=none; pct=50"],
    ["dmarc=pass", "begins with v=DMARC1"],
    ["p=none", "begins with v=DMARC1"],
    ["v=DMARC; p=none", "exactly v=DMARC1", "v=DMARC1; p=none"],
    [" v=DMARC1; p=none", "exactly v=DMARC1"],
    ["v=DMARC1 p=none", "exactly v=DMARC1"],
    ["v=spf1 -all", "begins with v=DMARC1"],
    ["", "begins with v=DMARC1"],
    ["v=DMARC1", "p= is missing"],
    ["v=DMARC1;", "p= is missing", "v=DMARC1; p=none;"],
    ["v=DMARC1; sp=reject", "p= is missing"],
    ["v=DMARC1; p=quarrantine", "p= is none or quarantine or reject", "p=quarantine"],
    ["v=DMARC1; p=QUAR", "p= is none or quarantine or reject", "p=quarantine"],
    ["v=DMARC1; p=Rejected", "p= is none or quarantine or reject", "p=reject"],
    ["v=DMARC1; p=reject; sp=never", "sp= is none"],
    ["v=DMARC1; p=; rua=mailto:x", "p= is none"],
  ])("%j: %s", (text, message, ...[meant]) => {
    const parsed = readDmarcRecord(text);
    const [mistake] = parsed.ok ? [] : parsed.error;
    expect(allInWords(mistake?.message)).toContain(message);
    if (typeof meant === "string") expect(allInWords(mistake?.meant)).toBe(meant);
  });
});

describe("the records RFC 7489 appendix B prints", () => {
  test.each<[string, string, object]>([
    [
      "B.2.1 monitoring",
      "v=DMARC1; p=none; rua=mailto:dmarc-feedback@example.com",
      { policy: "none", aggregate: [{ address: "dmarc-feedback@example.com" }] },
    ],
    [
      "B.2.2 with failure reports",
      "v=DMARC1; p=none; rua=mailto:dmarc-feedback@example.com; ruf=mailto:auth-reports@example.com",
      { failure: [{ address: "auth-reports@example.com" }] },
    ],
    [
      "B.2.3 to a third party",
      "v=DMARC1; p=none; rua=mailto:dmarc-feedback@example.com; ruf=mailto:auth-reports@thirdparty.example.net",
      { failure: [{ address: "auth-reports@thirdparty.example.net" }] },
    ],
    [
      "B.2.4 a subdomain, sampled",
      "v=DMARC1; p=quarantine; rua=mailto:dmarc-feedback@example.com,mailto:tld-test@thirdparty.example.net!10m; pct=25",
      { policy: "quarantine", percent: 25, aggregate: [{}, { address: "tld-test@thirdparty.example.net", most: 10 << 20 }] },
    ],
  ])("%s", (_, text, expected) => {
    expect(allInWords(read(text))).toMatchObject(expected);
    expect(allInWords(read(text).mistakes)).toEqual([]);
  });
});

describe("composing (guard rails)", () => {
  const situation = {
    domain: "brackwater.example." as never,
    organizational: "brackwater.example." as never,
    rua: "wanted",
    insists: false,
  } as const;
  const answers = {
    policy: "none",
    aggregate: ["dmarc@brackwater.example"],
    failure: [],
    strictDkim: false,
    strictSpf: false,
    gradual: false,
  } as const;
  const existing = read("v=DMARC1; p=reject");
  test.each<[string, object, object, string, string[]]>([
    ["the first record", {}, {}, "v=DMARC1; p=none; rua=mailto:dmarc@brackwater.example", []],
    [
      "a domain with umlauts",
      { aggregate: ["dmarc@bühne.example"] },
      {},
      "v=DMARC1; p=none; rua=mailto:dmarc@xn--bhne-0ra.example",
      [],
    ],
    [
      "a name with umlauts",
      { aggregate: ["bü,ro@Brackwater.example"] },
      {},
      "v=DMARC1; p=none; rua=mailto:b%C3%BC%2Cro@brackwater.example",
      [],
    ],
    ["no address at all", { aggregate: ["nobody"] }, {}, "v=DMARC1; p=none; rua=mailto:nobody", ["not-an-address"]],
    ["nobody gets reports", { aggregate: [] }, {}, "v=DMARC1; p=none", ["no-reports"]],
    ["no reports are wanted", { aggregate: [] }, { rua: "declined" }, "v=DMARC1; p=none", []],
    ["strict at once", { policy: "reject" }, {}, "v=DMARC1; p=reject; rua=mailto:dmarc@brackwater.example", ["strict-too-soon"]],
    [
      "strict, and insisting",
      { policy: "reject" },
      { insists: true },
      "v=DMARC1; p=reject; rua=mailto:dmarc@brackwater.example",
      [],
    ],
    [
      "strict, and reports allow it",
      { policy: "reject" },
      { reportsAllow: true },
      "v=DMARC1; p=reject; rua=mailto:dmarc@brackwater.example",
      [],
    ],
    [
      "strict, and reports forbid it",
      { policy: "quarantine" },
      { reportsAllow: false },
      "v=DMARC1; p=quarantine; rua=mailto:dmarc@brackwater.example",
      ["strict-too-soon"],
    ],
    [
      "no stricter than before",
      { policy: "quarantine" },
      { existing },
      "v=DMARC1; p=quarantine; rua=mailto:dmarc@brackwater.example",
      [],
    ],
    [
      "strict for subdomains only",
      { subdomains: "reject" },
      {},
      "v=DMARC1; p=none; sp=reject; rua=mailto:dmarc@brackwater.example",
      ["strict-too-soon"],
    ],
    [
      "names that do not exist may be refused at once",
      { nonexistent: "reject" },
      {},
      "v=DMARC1; p=none; np=reject; rua=mailto:dmarc@brackwater.example",
      [],
    ],
    [
      "strict alignment, gradually",
      { strictDkim: true, strictSpf: true, gradual: true },
      {},
      "v=DMARC1; p=none; t=y; adkim=s; aspf=s; rua=mailto:dmarc@brackwater.example",
      [],
    ],
    ["an address that is none", { aggregate: ["dmarc"] }, {}, "v=DMARC1; p=none; rua=mailto:dmarc", ["not-an-address"]],
    [
      "characters that must be escaped",
      { aggregate: ["a,b!c;d@brackwater.example"] },
      {},
      "v=DMARC1; p=none; rua=mailto:a%2Cb%21c%3Bd@brackwater.example",
      [],
    ],
  ])("%s", (_, given, where, text, obstacles) => {
    const composed = composeDmarc({ ...answers, ...given }, { ...situation, ...where });
    expect(allInWords(composed.text)).toBe(text);
    expect(allInWords(composed.obstacles.map((one) => one.kind))).toEqual(obstacles);
  });
  test("another organization must agree first (section 7.1); a subdomain of one's own need not", () => {
    const { permissions } = composeDmarc(
      { ...answers, aggregate: ["a@heronpost.example", "b@mail.brackwater.example"] },
      situation,
    );
    expect(allInWords(permissions)).toEqual([
      { destination: "heronpost.example.", name: "brackwater.example._report._dmarc.heronpost.example.", text: "v=DMARC1;" },
    ]);
  });
  test("what is composed reads back without a mistake, whatever the answers", () =>
    fc.assert(
      fc.property(
        fc.constantFrom("none", "quarantine", "reject"),
        fc.option(fc.constantFrom("none", "quarantine", "reject"), { nil: undefined }),
        fc.array(fc.stringMatching(/^[a-z!%,;+]{1,8}$/), { minLength: 1, maxLength: 3 }),
        fc.tuple(fc.boolean(), fc.boolean(), fc.boolean()),
        (policy, subdomains, locals, [strictDkim, strictSpf, gradual]) => {
          const aggregate = locals.map((local) => `${local}@brackwater.example`);
          const { text } = composeDmarc(
            {
              policy,
              ...(subdomains === undefined ? {} : { subdomains }),
              aggregate,
              failure: [],
              strictDkim,
              strictSpf,
              gradual,
            } as never,
            situation,
          );
          const back = read(text);
          expect(allInWords(back.mistakes)).toEqual([]);
          expect(allInWords(back)).toMatchObject({
            policy,
            testing: gradual,
            aggregate: aggregate.map((address) => ({ address })),
          });
        },
      ),
    ));
});

test("in words, every tag that changes anything is named", () => {
  const words = describePolicy(
    read(
      `v=DMARC1; p=reject; sp=quarantine; np=reject; t=y; pct=5; adkim=s; aspf=s; psd=n; ${RUA}!1m; ruf=mailto:f@brackwater.example`,
    ),
  )
    .map(inWords)
    .join(" ");
  for (const part of [
    "refuse",
    "subdomains",
    "do not exist",
    "t=y",
    "5 %",
    "DKIM counts only",
    "SPF counts only",
    "Daily reports",
    "single messages",
    "1048576",
    "psd=n",
  ])
    expect(allInWords(words)).toContain(part);
});

test("no text makes the parser throw, and what it accepts says so itself", () =>
  fc.assert(
    fc.property(fc.string({ maxLength: 60 }), fc.boolean(), (tail, prefixed) => {
      const text = prefixed ? `v=DMARC1; p=none; ${tail}` : tail;
      const parsed = readDmarcRecord(text);
      if (parsed.ok) expect(allInWords(isDmarc(text))).toBe(true);
      else expect(allInWords(parsed.error.length)).toBeGreaterThan(0);
    }),
    { numRuns: 1000 },
  ));
