import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { judgeChain, newKey, type SecondKey, withDkim, withSet } from "../../../tests/arc-second.ts";
import { allInWords, inWords } from "../../present/clauses/index.ts";
import { verbatim } from "../clause/index.ts";
import { BodyHash, BodyHashes } from "../dkim/index.ts";
import { type Answer, failed, type Lookup } from "../lookup/index.ts";
import { scanMessage } from "../message/index.ts";
import { name } from "../name/index.ts";
import { splitCharacterStrings } from "../record/index.ts";
import { judgeMessage } from "../verdict/index.ts";
import { Chain, type ChainVerdict, explainChain, makeSet, readAuthenticationResults, verifyChain } from "./index.ts";

/** Chains that a second implementation makes, judged by ours, and ours by the second one; and everything that a chain can be broken by. */

const AUTHOR = newKey("brackwater.example", "rsa", "hpa");
const SEALERS = [
  newKey("lists.example", "rsa"),
  newKey("gate.example", "ed25519"),
  newKey("school.test", "rsa"),
  newKey("archive.test", "ed25519"),
];
const KEYS = new Map([AUTHOR, ...SEALERS].map((key) => [`${key.selector}._domainkey.${key.domain}`, key]));

/** A DNS with the keys, and whatever else is said. */
const dns = (more: Readonly<Record<string, string | "unreachable">> = {}): Lookup => ({
  async ask(at): Promise<Answer> {
    const text = more[at.slice(0, -1)] ?? KEYS.get(at.slice(0, -1))?.record;
    const common = { chain: [], authoritative: false } as const;
    if (text === undefined) return { kind: "nxdomain", ...common };
    if (text === "unreachable") return failed("timeout", verbatim("nobody answered"));
    const data = [{ strings: splitCharacterStrings(text) }];
    return { kind: "found", set: { name: at, type: "TXT", ttl: 60, data }, ...common };
  },
});

const source = (text: string) => ({ chunks: () => [Buffer.from(text, "latin1")] });

async function verify(message: string, lookup = dns()): Promise<ChainVerdict> {
  let chain: Chain | undefined;
  const bodies = new BodyHashes();
  const header = await scanMessage(source(message), (found) => {
    chain = new Chain(found, bodies);
    return bodies.all;
  });
  if (!header.ok) throw new Error(header.error.code);
  return explainChain(await verifyChain(chain as Chain, header.value, lookup, 1_772_442_100), source(message));
}

const LETTER =
  "From: Box office <box@brackwater.example>\r\nTo: members@lists.example\r\nSubject: Strings wanted\r\nDate: Mon, 2 Mar 2026 09:00:00 +0000\r\n\r\nDear guild,\r\nwe look for strings.\r\n";
const SIGNED = withDkim(LETTER, AUTHOR);
const SAW = "lists.example; dkim=pass header.d=brackwater.example; dmarc=pass header.from=brackwater.example";

/** A message that went through sealers, each of which may change it first; each says what it found. */
const through = (message: string, ...hops: readonly { readonly by: SecondKey; readonly change?: (text: string) => string }[]) =>
  hops.reduce(
    (text, { by, change = (same) => same }, i) =>
      withSet(change(text), by, {
        instance: i + 1,
        results: i === 0 ? SAW : `${by.domain}; arc=pass; dkim=fail; dmarc=fail header.from=brackwater.example`,
        cv: i === 0 ? "none" : "pass",
      }),
    message,
  );

const footer = (text: string) => `${text}-- \r\nThe list. Leave it whenever you like.\r\n`;
const marked = (text: string) => text.replace(/^Subject: /m, "Subject: [guild] ");
const [LISTS, GATE, SCHOOL, ARCHIVE] = SEALERS as [SecondKey, SecondKey, SecondKey, SecondKey];

describe("chains of a second implementation", () => {
  test.each([
    ["one set", through(SIGNED, { by: LISTS }), "pass", 0],
    ["one set, changed before it", through(SIGNED, { by: LISTS, change: footer }), "pass", 0],
    ["two sets", through(SIGNED, { by: LISTS }, { by: GATE }), "pass", 0],
    ["two sets, the second one changed it", through(SIGNED, { by: LISTS }, { by: GATE, change: footer }), "pass", 2],
    [
      "four sets, the third one changed it",
      through(SIGNED, { by: LISTS }, { by: GATE }, { by: SCHOOL, change: marked }, { by: ARCHIVE }),
      "pass",
      3,
    ],
    ["nobody sealed it", SIGNED, "none", 0],
    ["changed behind the last one", footer(through(SIGNED, { by: LISTS })), "fail", 0],
  ])("%s", async (_, message, result, oldestPass) => {
    expect(judgeChain(message, KEYS)).toBe(result);
    expect(await verify(message)).toMatchObject({ result, ...(result === "fail" ? {} : { oldestPass }) });
  });

  test("hops and changes at random: both say the same, and the oldest set that holds is the last that changed it", async () => {
    const hop = fc.record({ by: fc.constantFrom(...SEALERS), change: fc.constantFrom("none", "footer", "subject", "header") });
    const change = {
      none: (text: string) => text,
      footer,
      subject: marked,
      header: (text: string) => `X-Scanned: yes\r\nReceived: from a by b; Mon, 2 Mar 2026 09:00:01 +0000\r\n${text}`,
    };
    await fc.assert(
      fc.asyncProperty(fc.array(hop, { minLength: 1, maxLength: 5 }), fc.boolean(), async (hops, spoilt) => {
        const sent = through(SIGNED, ...hops.map(({ by, change: kind }) => ({ by, change: change[kind] })));
        const message = spoilt ? footer(sent) : sent;
        const verdict = await verify(message);
        expect(verdict.result).toBe(judgeChain(message, KEYS));
        if (spoilt) return;
        const last = hops.findLastIndex(({ change: kind }) => kind === "footer" || kind === "subject");
        expect(verdict.oldestPass).toBe(last <= 0 ? 0 : last + 1);
      }),
      { numRuns: 60 },
    );
  });
});

test("sets of our own hold for the second implementation, whoever sealed before", async () => {
  for (const before of [SIGNED, through(SIGNED, { by: LISTS, change: footer }), through(SIGNED, { by: LISTS }, { by: GATE })]) {
    const body = new BodyHash("relaxed");
    const header = await scanMessage(source(before), () => [body]);
    if (!header.ok) throw new Error(header.error.code);
    const set = makeSet(header.value, body, {
      domain: name(SCHOOL.domain),
      selector: SCHOOL.selector,
      key: SCHOOL.key,
      results: "school.test; dkim=pass header.d=brackwater.example",
      cv: before === SIGNED ? "none" : "pass",
      sealedAt: 1_772_442_000,
    });
    const message = `${(set ?? []).map(({ raw }) => `${raw}\r\n`).join("")}${before}`;
    expect(judgeChain(message, KEYS)).toBe("pass");
    expect(await verify(message)).toMatchObject({ result: "pass" });
  }
});

describe("what breaks a chain", () => {
  const two = through(SIGNED, { by: LISTS }, { by: GATE });
  const without = (header: string, instance: number) => two.replace(new RegExp(`^${header}: i=${instance};.*\\r\\n`, "m"), "");
  test.each<[string, string, RegExp]>([
    ["a set without its results", without("ARC-Authentication-Results", 1), /set 1 has no arc-authentication-results/],
    ["a set without its signature", without("ARC-Message-Signature", 2), /set 2 has no arc-message-signature/],
    ["a set without its seal", without("ARC-Seal", 1), /set 1 has no arc-seal/],
    ["a set twice", two.replace(/^ARC-Seal: i=1;.*\r\n/m, "$&$&"), /two of its arc-seal fields have one number/],
    ["a number of nothing", two.replaceAll("i=1;", "i=0;"), /has no number from 1 to 50/],
    ["a number beyond fifty", two.replaceAll("i=2;", "i=51;"), /has no number from 1 to 50/],
    ["a number that is none", two.replaceAll("i=2;", "i=two;"), /has no number from 1 to 50/],
    ["a gap", two.replaceAll("i=2;", "i=3;"), /set 2 has no/],
    [
      "more than fifty",
      `${"ARC-Seal: i=1; a=rsa-sha256; cv=none; d=a.test; s=b; b=AA==\r\n".repeat(51)}${two}`,
      /it has 5\d sets/,
    ],
    [
      "results that were changed",
      two.replace("dmarc=pass", "dmarc=fail"),
      /does not hold: one of the sets before it was changed/,
    ],
    ["a seal of another key", two.replaceAll("d=lists.example; s=seal; t", "d=gate.example; s=seal; t"), /does not hold/],
    ["a seal that covers fields", two.replace("cv=none;", "cv=none; h=from;"), /it has h=, which a seal does not have/],
    ["a seal that covers a body", two.replace("cv=none;", "cv=none; bh=AA==;"), /it has bh=/],
    ["a seal without a domain", two.replace(/cv=none; d=lists.example;/, "cv=none;"), /cannot be read/],
    ["a seal with a value of its own", two.replace("cv=pass", "cv=maybe"), /neither none, pass nor fail/],
    [
      "a signature that covers a seal",
      two.replace("ARC-Message-Signature: i=2; a=ed25519-sha256; c=relaxed/relaxed; d=gate.example; s=seal; h=", "$&arc-seal:"),
      /covers a seal/,
    ],
    [
      "a first one that says pass",
      withSet(SIGNED, LISTS, { instance: 1, results: SAW, cv: "pass" }),
      /says cv=pass in set 1, where none belongs/,
    ],
    [
      "a second one that says none",
      withSet(through(SIGNED, { by: LISTS }), GATE, { instance: 2, results: "gate.example; none", cv: "none" }),
      /says cv=none in set 2, where pass belongs/,
    ],
    [
      "one who found it broken",
      withSet(through(SIGNED, { by: LISTS }), GATE, { instance: 2, results: "gate.example; arc=fail", cv: "fail" }),
      /gate.example found the chain broken/,
    ],
    ["an old algorithm", two.replaceAll("ARC-Seal: i=2; a=ed25519-sha256", "ARC-Seal: i=2; a=rsa-sha1"), /no longer accept/],
    ["the text of a list behind it", footer(two), /2 lines were added at the end of the body|the body was changed/],
    ["another subject", marked(two), /the newest signature, of gate.example \(set 2\), does not hold/],
  ])("%s", async (_, message, because) => {
    const verdict = await verify(message);
    expect(verdict.result).toBe("fail");
    expect(allInWords(verdict.because)).toMatch(because);
  });

  test.each<[string, Record<string, string>, string, RegExp]>([
    ["a key that is not there", { "seal._domainkey.lists.example": "x" }, "fail", /lists.example/],
    ["a revoked key", { "seal._domainkey.gate.example": "v=DKIM1; k=ed25519; p=" }, "fail", /revoked/],
    [
      "a key for other things than mail",
      { "seal._domainkey.lists.example": `${LISTS.record}; s=other` },
      "fail",
      /not for mail|mail/,
    ],
    [
      "the newest key cannot be asked for",
      { "seal._domainkey.gate.example": "unreachable" },
      "temperror",
      /could not be asked for/,
    ],
    [
      "an older key cannot be asked for",
      { "seal._domainkey.lists.example": "unreachable" },
      "temperror",
      /could not be asked for/,
    ],
    ["a flag for exact domains binds nobody here", { "seal._domainkey.lists.example": `${LISTS.record}; t=s` }, "pass", /^$/],
  ])("keys: %s", async (_, more, result, because) => {
    const verdict = await verify(two, dns(more));
    expect(verdict.result).toBe(result);
    expect(inWords(verdict.because)).toMatch(because);
  });

  test("a seal that cannot hold counts before a key that cannot be asked for", async () => {
    const verdict = await verify(two.replace("dmarc=pass", "dmarc=none"), dns({ "seal._domainkey.gate.example": "unreachable" }));
    expect(verdict.result).toBe("fail");
  });

  test("fifty sets are judged, whatever stands around them", async () => {
    const fifty = through(SIGNED, ...Array.from({ length: 50 }, (_, i) => ({ by: SEALERS[i % 4] as SecondKey })));
    expect(await verify(fifty)).toMatchObject({ result: "pass", oldestPass: 0 });
    expect((await verify(through(fifty, { by: LISTS }))).result).toBe("fail");
  });

  test("whatever is written into the fields, nothing is thrown", async () => {
    const fields = fc.constantFrom("ARC-Seal", "ARC-Message-Signature", "ARC-Authentication-Results");
    const text = fc.oneof(
      fc.string({ maxLength: 60 }),
      fc.constantFrom(
        "i=1; cv=none; a=rsa-sha256; d=a.test; s=b; b=AA==",
        "i=1; a; (((",
        'i=1; "a;b"; dkim=pass',
        "i=1;;;",
        "i = 1 ; x",
      ),
    );
    await fc.assert(
      fc.asyncProperty(fc.array(fc.tuple(fields, text), { maxLength: 6 }), async (lines) => {
        const top = lines.map(([field, value]) => `${field}: ${value.replace(/[\r\n]/g, " ")}\r\n`).join("");
        expect(["none", "fail"]).toContain((await verify(top + LETTER)).result);
      }),
    );
  });
});

describe("what a receiver wrote down (RFC 8601)", () => {
  test.each<[string, unknown]>([
    ["mx.example; none", { authserv: "mx.example", results: [] }],
    [
      "mx.example 1; spf=pass smtp.mailfrom=a@b.test",
      { authserv: "mx.example", results: [["spf", "pass", { "smtp.mailfrom": "a@b.test" }]] },
    ],
    [
      'mx.example (a (nested) comment; no end) ;\r\n\tDKIM = Pass (good; really) reason="it; fits" header.d = b.test;\r\n\tdmarc=fail (p=reject dis=none) header.from=b.test',
      {
        authserv: "mx.example",
        results: [
          ["dkim", "pass", { reason: "it; fits", "header.d": "b.test" }],
          ["dmarc", "fail", { "header.from": "b.test" }],
        ],
      },
    ],
    ['"a b"; dkim/1=pass', { authserv: "a b", results: [["dkim", "pass", {}]] }],
    ["", { authserv: "", results: [] }],
    ["mx; (((( dkim=pass", { authserv: "mx", results: [] }],
  ])("%s", (text, expected) => {
    const { authserv, results } = readAuthenticationResults(text);
    expect({
      authserv,
      results: results.map(({ method, result, properties }) => [method, result, Object.fromEntries(properties)]),
    }).toEqual(expected);
  });
});

describe("what it means for the message", () => {
  const policy = { "_dmarc.brackwater.example": "v=DMARC1; p=reject" };
  const judge = async (message: string, trusted?: readonly string[]) => {
    const judged = await judgeMessage(source(message), {
      envelope: { ip: "192.0.2.77", helo: "lists.example", mailFrom: "bounce@lists.example" },
      lookup: dns(policy),
      now: 1_772_442_100,
      ...(trusted === undefined ? {} : { trustedSealers: trusted.map((domain) => name(domain)) }),
    });
    if (!judged.ok) throw new Error(judged.error.code);
    return judged.value;
  };
  test.each<[string, string, readonly string[] | undefined, string, boolean]>([
    [
      "the list broke the signature",
      through(SIGNED, { by: LISTS, change: footer }),
      undefined,
      "it passed DMARC when lists.example received it; lists.example added 2 lines at the end of the text, which broke the signature; receivers that trust lists.example may deliver it",
      false,
    ],
    [
      "a trusted list did",
      through(SIGNED, { by: LISTS, change: (text) => marked(footer(text)) }),
      ["lists.example"],
      "it passed DMARC when lists.example received it; lists.example added 2 lines at the end of the text and changed the field Subject, which broke the signature; this receiver trusts lists.example, and delivers it in spite of DMARC",
      true,
    ],
    [
      "somebody behind the list did",
      through(SIGNED, { by: LISTS }, { by: GATE, change: footer }),
      ["lists.example"],
      "it passed DMARC when lists.example received it; gate.example added 2 lines at the end of the text, which broke the signature; this receiver does not trust lists.example and gate.example, so the chain changes nothing here",
      false,
    ],
    [
      "nothing was broken",
      through(SIGNED, { by: LISTS }),
      ["lists.example"],
      "it passed DMARC when lists.example received it; it still passes by itself, so nobody needs the chain",
      false,
    ],
    [
      "it was not proven there either",
      withSet(footer(SIGNED), LISTS, {
        instance: 1,
        results: "lists.example; dmarc=fail header.from=brackwater.example",
        cv: "none",
      }),
      ["lists.example"],
      "lists.example forwarded it, and says that it did not pass DMARC there either: the chain helps nobody",
      false,
    ],
    [
      "it was proven for somebody else",
      withSet(footer(SIGNED), LISTS, { instance: 1, results: "lists.example; dmarc=pass header.from=other.test", cv: "none" }),
      ["lists.example"],
      "lists.example forwarded it, and does not say whether it passed DMARC there: the chain helps nobody",
      false,
    ],
    [
      "only its signature was seen",
      withSet(footer(SIGNED), LISTS, {
        instance: 1,
        results: "lists.example; dkim=pass header.d=brackwater.example",
        cv: "none",
      }),
      undefined,
      "it had a good signature of its author when lists.example received it; lists.example added 2 lines at the end of the text, which broke the signature; receivers that trust lists.example may deliver it",
      false,
    ],
    [
      "a lie about a chain that does not hold",
      through(SIGNED, { by: LISTS, change: footer }).replace("lists.example; dkim=pass", "lists.example; dkim=neutral"),
      ["lists.example"],
      "the chain of those who forwarded it is broken, so nothing in it can be relied on: the seal of lists.example (set 1) does not hold: one of the sets before it was changed after it was sealed, or another key made it",
      false,
    ],
  ])("%s", async (_, message, trusted, because, overrides) => {
    const { forwarded, dmarc } = await judge(message, trusted);
    expect(inWords(forwarded?.because)).toBe(because);
    expect(forwarded?.overrides).toBe(overrides);
    expect(dmarc.result).toBe(/still passes/.test(because) ? "pass" : "fail");
  });
});
