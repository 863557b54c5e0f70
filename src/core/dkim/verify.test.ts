import { createPrivateKey, generateKeyPairSync, type KeyObject } from "node:crypto";
import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { allInWords } from "../../present/clauses/index.ts";
import { verbatim } from "../clause/index.ts";
import { type Answer, failed, type Lookup } from "../lookup/index.ts";
import { type MessageSource, scanMessage } from "../message/index.ts";
import { name } from "../name/index.ts";
import { splitCharacterStrings } from "../record/index.ts";
import {
  BodyHash,
  type Canonicalization,
  type DkimVerdict,
  explainBody,
  keyRecordText,
  makeSignature,
  Signatures,
  type SignOptions,
  signatureObstacle,
  verifySignatures,
} from "./index.ts";

const source = (text: string): MessageSource => ({ chunks: () => [Buffer.from(text, "latin1")] });

/** A DNS that holds these key records; a name may also be one that cannot be asked. */
const dns = (records: Readonly<Record<string, string | readonly string[] | "unreachable">>): Lookup => ({
  async ask(at): Promise<Answer> {
    const texts = records[at.slice(0, -1)];
    const common = { chain: [], authoritative: false } as const;
    if (texts === undefined) return { kind: "nxdomain", ...common };
    if (texts === "unreachable") return failed("timeout", verbatim("nobody answered"));
    const data = [texts].flat().map((text) => ({ strings: splitCharacterStrings(text) }));
    return { kind: "found", set: { name: at, type: "TXT", ttl: 60, data }, ...common };
  },
});

async function verify(message: string, lookup: Lookup, now = 1_772_442_000): Promise<DkimVerdict[]> {
  let signatures: Signatures | undefined;
  const header = await scanMessage(source(message), (found) => (signatures = new Signatures(found)).sinks);
  if (!header.ok) throw new Error(header.error.code);
  const verdicts = await verifySignatures(signatures as Signatures, header.value, lookup, now);
  return Promise.all(verdicts.map((one) => explainBody(source(message), one)));
}

/** Signs as the command does: the field on top, line ends as the message has them. */
async function signed(message: string, options: Partial<SignOptions> & { key: KeyObject }): Promise<string> {
  const all: SignOptions = {
    domain: name("brackwater.example"),
    selector: "k1",
    header: "relaxed",
    body: "relaxed",
    signedAt: 1_772_441_000,
    ...options,
  };
  const body = new BodyHash(all.body, all.length);
  const header = await scanMessage(source(message), () => [body]);
  if (!header.ok) throw new Error(header.error.code);
  const raw = makeSignature(header.value, body, all)?.raw;
  if (raw === undefined) throw new Error("no From");
  return (header.value.bareLf ? `${raw}\n`.replaceAll("\r\n", "\n") : `${raw}\r\n`) + message;
}

const rsa = generateKeyPairSync("rsa", { modulusLength: 2048 });
const other = generateKeyPairSync("rsa", { modulusLength: 2048 });
const ed = generateKeyPairSync("ed25519");
const KEYS = {
  "k1._domainkey.brackwater.example": keyRecordText(rsa.publicKey),
  "ed._domainkey.brackwater.example": keyRecordText(ed.publicKey),
};
const NEWSLETTER = [
  "From: Box office <box@brackwater.example>",
  "To: friends@puppetfest.example",
  "Subject: The Dragon,  with\t strings",
  "Date: Mon, 2 Mar 2026 09:00:00 +0000",
  "Message-ID: <1@brackwater.example>",
  "",
  "Dear friends,",
  "",
  "all seats  are taken. ",
  "",
  "",
].join("\r\n");

describe("RFC 8463 appendix A: one message, an Ed25519 and an RSA signature", () => {
  const message = `DKIM-Signature: v=1; a=ed25519-sha256; c=relaxed/relaxed;
 d=football.example.com; i=@football.example.com;
 q=dns/txt; s=brisbane; t=1528637909; h=from : to :
 subject : date : message-id : from : subject : date;
 bh=2jUSOH9NhtVGCQWNr9BrIAPreKQjO6Sn7XIkfJVOzv8=;
 b=/gCrinpcQOoIfuHNQIbq4pgh9kyIK3AQUdt9OdqQehSwhEIug4D11Bus
 Fa3bT3FY5OsU7ZbnKELq+eXdp1Q1Dw==
DKIM-Signature: v=1; a=rsa-sha256; c=relaxed/relaxed;
 d=football.example.com; i=@football.example.com;
 q=dns/txt; s=test; t=1528637909; h=from : to : subject :
 date : message-id : from : subject : date;
 bh=2jUSOH9NhtVGCQWNr9BrIAPreKQjO6Sn7XIkfJVOzv8=;
 b=F45dVWDfMbQDGHJFlXUNB2HKfbCeLRyhDXgFpEL8GwpsRe0IeIixNTe3
 DhCVlUrSjV4BwcVcOF6+FF3Zo9Rpo1tFOeS9mPYQTnGdaSGsgeefOsk2Jz
 dA+L10TeYt9BgDfQNZtKdN1WO//KgIqXP7OdEFE4LjFYNcUxZQ4FADY+8=
From: Joe SixPack <joe@football.example.com>
To: Suzie Q <suzie@shopping.example.net>
Subject: Is dinner ready?
Date: Fri, 11 Jul 2003 21:00:37 -0700 (PDT)
Message-ID: <20030712040037.46341.5F8J@football.example.com>

Hi.

We lost the game.  Are you hungry yet?

Joe.
`;
  const keys = dns({
    "brisbane._domainkey.football.example.com": "v=DKIM1; k=ed25519; p=11qYAYKxCrfVS/7TyWQHOg7hcvPapiMlrwIaaPcHURo=",
    "test._domainkey.football.example.com":
      "v=DKIM1; k=rsa; p=MIGfMA0GCSqGSIb3DQEBAQUAA4GNADCBiQKBgQDkHlOQoBTzWRiGs5V6NpP3idY6Wk08a5qhdR6wy5bdOKb2jLQiY/J16JYi0Qvx/byYzCNb3W91y3FutACDfzwQ/BC/e/8uBsCR+yz1Lxj+PL6lHvqMKrM3rG4hstT5QjvHO9PzoxZyVYLzBfO2EeC3Ip3G+2kryOTIKT+l/K4w3QIDAQAB",
  });
  test("both pass, with CRLF and with bare LF", async () => {
    for (const text of [message, message.replaceAll("\n", "\r\n")])
      expect(allInWords((await verify(text, keys)).map(({ result, selector }) => [selector, result]))).toEqual([
        ["brisbane", "pass"],
        ["test", "pass"],
      ]);
  });
  test("Ed25519 signatures come out as published, from the published secret key (appendix A.2)", async () => {
    const seed = Buffer.from("nWGxne/9WmC6hEr0kuwsxERJxWl7MmkZcDusAxyuf2A=", "base64");
    const key = createPrivateKey({
      key: Buffer.concat([Buffer.from("302e020100300506032b657004220420", "hex"), seed]),
      format: "der",
      type: "pkcs8",
    });
    const text = await signed(message.slice(message.indexOf("From:")), {
      key,
      domain: name("football.example.com"),
      selector: "brisbane",
    });
    expect(allInWords((await verify(text, keys))[0]?.result)).toBe("pass");
  });
});

describe("verdicts (RFC 6376 section 6, RFC 8301, RFC 8601 section 2.7.1)", () => {
  const p = KEYS["k1._domainkey.brackwater.example"];
  const NOW = 1_772_442_000;
  interface Case {
    readonly options?: Partial<SignOptions>;
    readonly message?: string;
    readonly change?: (text: string) => string;
    readonly keys?: Parameters<typeof dns>[0];
  }
  const key = (text: string | readonly string[]) => ({ "k1._domainkey.brackwater.example": text });
  test.each<[string, Case, string, string | undefined, string?]>([
    ["as it was sent", {}, "pass", undefined],
    ["Ed25519", { options: { key: ed.privateKey, selector: "ed" } }, "pass", undefined],
    ["simple/simple", { options: { header: "simple", body: "simple" } }, "pass", undefined],
    ["a subdomain as identity", { options: { identity: "box@mail.brackwater.example" } }, "pass", undefined],
    ["an empty body", { message: "From: box@brackwater.example\r\n\r\n" }, "pass", undefined],
    ["no empty line at all", { message: "From: box@brackwater.example\r\n" }, "pass", undefined],
    ["bare line feeds", { message: NEWSLETTER.replaceAll("\r\n", "\n") }, "pass", undefined],
    ["a lone CR in the body", { message: `${NEWSLETTER}a\rb\r\n` }, "pass", undefined],
    ["NUL in the body", { message: `${NEWSLETTER}a\0b\r\n` }, "pass", undefined],
    [
      "an older signature below, signed too",
      { message: `DKIM-Signature: v=1; d=x.example\r\n${NEWSLETTER}`, options: { fields: ["from", "dkim-signature"] } },
      "pass",
      undefined,
    ],
    [
      "its own name among the fields it signs, twice",
      { options: { fields: ["from", "DKIM-Signature", "dkim-signature"] } },
      "pass",
      undefined,
    ],
    ["a field that is not signed", { change: (text) => `X-Note: new\r\n${text}` }, "pass", undefined],
    ["a Received on top", { change: (text) => `Received: from a by b\r\n${text}` }, "pass", undefined],
    [
      "white space changed, relaxed",
      { change: (text) => text.replace("with\t strings", "with strings").replace("seats  are", "seats are") },
      "pass",
      undefined,
    ],
    ["folded again, relaxed", { change: (text) => text.replace("Subject: The ", "Subject: The\r\n\t") }, "pass", undefined],
    ["names in other case, relaxed", { change: (text) => text.replace("Subject:", "SUBJECT:") }, "pass", undefined],
    ["empty lines at the end", { change: (text) => `${text}\r\n\r\n` }, "pass", undefined],
    [
      "white space changed in the header, simple",
      { options: { header: "simple" }, change: (text) => text.replace("with\t strings", "with strings") },
      "fail",
      "header-changed",
    ],
    [
      "white space changed in the body, simple",
      { options: { body: "simple" }, change: (text) => text.replace("seats  are", "seats are") },
      "fail",
      "body-changed",
    ],
    ["l= covers all", { options: { length: 39 } }, "pass", undefined],
    [
      "l= covers a part, something added",
      { options: { length: 5 }, change: (text) => `${text}Buy now!\r\n` },
      "pass",
      undefined,
      "not signed",
    ],
    [
      "l= and a change inside",
      { options: { length: 5 }, change: (text) => text.replace("Dear", "Fear") },
      "fail",
      "body-changed",
    ],
    [
      "l= more than arrived",
      { options: { length: 20 }, change: (text) => text.slice(0, text.indexOf("all seats")) },
      "fail",
      "body-cut",
    ],
    ["the body changed", { change: (text) => text.replace("taken", "free") }, "fail", "body-changed", "was changed"],
    [
      "a footer",
      { change: (text) => `${text}-- \r\nThe list\r\nunsubscribe here\r\n` },
      "fail",
      "body-changed",
      "added at the end",
    ],
    [
      "a footer behind a simple body",
      { options: { body: "simple" }, change: (text) => `${text}-- \r\nThe list\r\n` },
      "fail",
      "body-changed",
      "added at the end",
    ],
    [
      "the canonicalization named wrongly",
      { options: { body: "simple" }, change: (text) => text.replace("relaxed/simple", "relaxed/relaxed") },
      "fail",
      "body-changed",
      "names its canonicalization wrongly",
    ],
    [
      "a list's mark in the Subject",
      { change: (text) => text.replace("Subject: The", "Subject: [friends] The") },
      "fail",
      "header-changed",
      "field Subject was changed",
    ],
    [
      "a warning in the Subject",
      { change: (text) => text.replace("Subject: The", "Subject: EXTERNAL: The") },
      "fail",
      "header-changed",
      "field Subject was changed",
    ],
    [
      "Re: in the Subject",
      { change: (text) => text.replace("Subject: The", "Subject: Re: The") },
      "fail",
      "header-changed",
      "field Subject was changed",
    ],
    [
      "another From in front",
      { change: (text) => text.replace("From: ", "From: forger@heronpost.example\r\nFrom: ") },
      "fail",
      "header-changed",
      "From was added",
    ],
    ["From changed", { change: (text) => text.replace("box@", "fox@") }, "fail", "header-changed", "one of the signed fields"],
    ["the Date taken away", { change: (text) => text.replace(/Date:.*\r\n/, "") }, "fail", "header-changed"],
    [
      "the key of somebody else",
      { keys: key(keyRecordText(generateKeyPairSync("rsa", { modulusLength: 2048 }).publicKey)) },
      "fail",
      "other-key",
      "did not make",
    ],
    [
      "Ed25519 changed or another key",
      { options: { key: ed.privateKey, selector: "ed" }, change: (text) => text.replace("Dragon", "Drago") },
      "fail",
      "header-changed",
      "or another key",
    ],
    ["expired", { options: { expires: NOW - 1 } }, "fail", "expired", "2026-03-02"],
    ["expires now", { options: { expires: NOW } }, "pass", undefined],
    ["expires later", { options: { expires: NOW + 1 } }, "pass", undefined],
    ["no key", { keys: {} }, "permerror", "no-key", "no key at k1._domainkey"],
    ["nobody could be asked for the key", { keys: key("unreachable") }, "temperror", "key-unreachable", "nobody answered"],
    ["revoked", { keys: key("v=DKIM1; p=") }, "permerror", "revoked"],
    ["a broken key", { keys: key(p.slice(0, 200)) }, "permerror", "bad-key", "lost"],
    ["another text at the selector", { keys: key("hello") }, "permerror", "bad-key"],
    ["a key for another type", { keys: key(KEYS["ed._domainkey.brackwater.example"]) }, "permerror", "key-forbids", "ed25519"],
    ["a key for other hashes", { keys: key(p.replace("k=rsa;", "k=rsa; h=sha1;")) }, "permerror", "key-forbids", "SHA-256"],
    [
      "a key for other services",
      { keys: key(p.replace("k=rsa;", "k=rsa; s=tlsrpt;")) },
      "permerror",
      "key-forbids",
      "not for mail",
    ],
    [
      "t=s with a subdomain",
      { keys: key(p.replace("k=rsa;", "k=rsa; t=s;")), options: { identity: "@mail.brackwater.example" } },
      "permerror",
      "key-forbids",
    ],
    ["t=s with the very domain", { keys: key(p.replace("k=rsa;", "k=rsa; t=s;")) }, "pass", undefined],
    // What tells most about why it failed is said, whichever key comes first.
    [
      "two keys, one unreadable, one of somebody else",
      { keys: key(["v=DKIM1; p=AAAA", keyRecordText(other.publicKey)]) },
      "fail",
      "other-key",
    ],
    ["the same, the other way round", { keys: key([keyRecordText(other.publicKey), "v=DKIM1; p=AAAA"]) }, "fail", "other-key"],
    ["two keys, one of them right", { keys: key(["v=DKIM1; p=AAAA", p]) }, "pass", undefined],
    ["rsa-sha1", { change: (text) => text.replace("a=rsa-sha256", "a=rsa-sha1") }, "fail", "historic-algorithm"],
    ["a field that cannot be read", { change: (text) => text.replace("v=1;", "") }, "permerror", "malformed"],
  ])("%s", async (_, { options, message = NEWSLETTER, change = (text) => text, keys = KEYS }, result, reason, ...[because]) => {
    const text = change(await signed(message, { key: rsa.privateKey, ...options }));
    const [verdict] = await verify(text, dns(keys), NOW);
    expect(allInWords([verdict?.result, verdict?.reason])).toEqual([result, reason]);
    if (because !== undefined) expect(allInWords(verdict?.because)).toContain(because);
  });

  test("a weak key fails, even where the signature fits (RFC 8301 section 3.2)", async () => {
    const weak = generateKeyPairSync("rsa", { modulusLength: 768 });
    const text = await signed(NEWSLETTER, { key: weak.privateKey });
    expect(
      allInWords((await verify(text, dns({ "k1._domainkey.brackwater.example": keyRecordText(weak.publicKey) })))[0]),
    ).toMatchObject({
      result: "fail",
      reason: "weak-key",
      bits: 768,
    });
  });
  test("several signatures get a verdict each, from top to bottom; the thousandth is not looked at", async () => {
    const twice = await signed(await signed(NEWSLETTER, { key: rsa.privateKey }), { key: ed.privateKey, selector: "ed" });
    expect(allInWords((await verify(twice.replace("k1;", "k9;"), dns(KEYS))).map((one) => one.result))).toEqual([
      "pass",
      "permerror",
    ]);
    const header = await scanMessage(source(`${"DKIM-Signature: x\r\n".repeat(1000)}${twice}`), () => []);
    expect(allInWords(header.ok && new Signatures(header.value))).toMatchObject({ ignored: 982 });
  });
  test("repeated names sign from the lowest field upwards, and their absence (section 5.4.2)", async () => {
    const message = `Received: 3\r\nReceived: 2\r\nReceived: 1\r\n${NEWSLETTER}`;
    const text = await signed(message, { key: rsa.privateKey, fields: ["received", "received", "from", "cc"] });
    const results = async (change: (text: string) => string) => (await verify(change(text), dns(KEYS)))[0]?.result;
    expect(allInWords(await results((one) => one.replace("Received: 3", "Received: 4")))).toBe("pass");
    expect(allInWords(await results((one) => one.replace("Received: 2", "Received: 4")))).toBe("fail");
    expect(allInWords(await results((one) => one.replace("To:", "Cc: fox@brackwater.example\r\nTo:")))).toBe("fail");
  });
});

describe("a message that was changed in two places", () => {
  test("has both named: the footer, and the Subject", async () => {
    const message = await signed(NEWSLETTER, { key: rsa.privateKey });
    const changed = `${message.replace("Subject: The", "Subject: [Friends] The")}--\r\nThe list\r\n`;
    const [verdict] = await verify(changed, dns(KEYS));
    expect(allInWords(verdict)).toMatchObject({ result: "fail", reason: "body-changed" });
    expect(allInWords(verdict?.because)).toMatch(/added at the end of the body .*; and the field Subject was changed/);
    const [body] = await verify(message.replace("taken", "free"), dns(KEYS));
    expect(allInWords(body?.because)).toBe("the body was changed after it was signed");
  });
});

test("a signature that was put on top of one that signs the absence of others breaks it", async () => {
  const message = await signed(NEWSLETTER, { key: rsa.privateKey, fields: ["from", "dkim-signature"] });
  const verdicts = await verify(`DKIM-Signature: v=1\r\n${message}`, dns(KEYS));
  expect(allInWords(verdicts.map((one) => one.reason))).toEqual(["malformed", "header-changed"]);
});

describe("domains in a signature (RFC 6376 section 3.5)", () => {
  test.each([
    "c\\orp.example",
    "\\099orp.example",
    "brack water.example",
    "brackwater.example (theatre)",
    "brackwater.example.",
    "[192.0.2.1]",
    "@",
  ])("d=%s is not a domain", async (domain) => {
    const message = (await signed(NEWSLETTER, { key: rsa.privateKey })).replace("d=brackwater.example;", `d=${domain};`);
    expect(allInWords(await verify(message, dns(KEYS)))).toMatchObject([
      { result: "permerror", reason: "malformed", because: "d= is not a domain" },
    ]);
  });
});

describe("signing (RFC 6376 section 5)", () => {
  const base: SignOptions = {
    domain: name("brackwater.example"),
    selector: "k1",
    key: rsa.privateKey,
    header: "relaxed",
    body: "relaxed",
    signedAt: 10,
  };
  test.each<[string, Partial<SignOptions>, string]>([
    ["From must be signed", { fields: ["to"] }, "From field"],
    ["an identity elsewhere", { identity: "box@heronpost.example" }, "at or below"],
    ["an identity without an address", { identity: "box" }, "at or below"],
    ["an identity that would end its tag", { identity: "a;b@brackwater.example" }, "at or below"],
    ["an identity with a space", { identity: "a b@brackwater.example" }, "at or below"],
    ["fields that are not names", { fields: ["from", "a b"] }, "without colons"],
    ["a domain that no mail has", { domain: name("brack\\032water.example") }, "no domain in mail"],
    ["an end before the beginning", { expires: 10 }, "expire before"],
    ["a selector that is none", { selector: "a b" }, "selector"],
    [
      "a key that is neither RSA nor Ed25519",
      { key: generateKeyPairSync("ec", { namedCurve: "P-256" }).privateKey },
      "neither RSA",
    ],
    ["a key that is too small", { key: generateKeyPairSync("rsa", { modulusLength: 768 }).privateKey }, "fewer than 1024"],
  ])("refuses: %s", (_, more, because) => expect(allInWords(signatureObstacle({ ...base, ...more }))).toContain(because));
  test("a message without From is not signed", async () => {
    const header = await scanMessage(source("To: a@b.example\r\n\r\n"), () => []);
    expect(header.ok && makeSignature(header.value, new BodyHash("simple"), base)).toBeUndefined();
  });
  test("lines stay within 78 characters, however many fields are signed", async () => {
    const text = await signed(NEWSLETTER, {
      key: rsa.privateKey,
      fields: ["from", ...Array.from({ length: 40 }, (_, i) => `x-field-number-${i}`)],
    });
    for (const line of text.slice(0, text.indexOf("From:")).split("\r\n"))
      expect(allInWords(line.length)).toBeLessThanOrEqual(78);
    expect(allInWords((await verify(text, dns(KEYS)))[0]?.result)).toBe("pass");
  });
  const word = fc.stringMatching(/^[ -~\t]{0,30}$/);
  const lines = fc.array(fc.oneof(word, fc.constantFrom("", "", " ", "\xe9\xff", "a\rb")), { maxLength: 12 });
  test("what was signed verifies, whatever the message", () =>
    fc.assert(
      fc.asyncProperty(
        lines,
        lines,
        fc.constantFrom<Canonicalization>("simple", "relaxed"),
        fc.constantFrom<Canonicalization>("simple", "relaxed"),
        fc.boolean(),
        fc.constantFrom("\r\n", "\n"),
        async (subjects, body, header, how, curve, end) => {
          const fields = subjects.map((subject, i) => `${i % 2 ? "Subject" : "To"}:${subject.replace(/\r/g, "")}${end}`).join("");
          const message = `${fields}From: box@brackwater.example${end}${end}${body.join(end)}`;
          const options = curve ? { key: ed.privateKey, selector: "ed" } : { key: rsa.privateKey };
          const [verdict] = await verify(await signed(message, { ...options, header, body: how }), dns(KEYS));
          expect(allInWords(verdict?.result)).toBe("pass");
        },
      ),
      { numRuns: 300 },
    ));
});

describe("every change of what is signed fails, every change that is forgiven passes", () => {
  test.each<[Canonicalization, Canonicalization]>([
    ["simple", "simple"],
    ["relaxed", "relaxed"],
  ])("%s/%s: each octet in turn", async (header, body) => {
    const text = await signed(NEWSLETTER, { key: ed.privateKey, selector: "ed", header, body });
    const lookup = dns(KEYS);
    const bodyAt = text.indexOf("\r\n\r\n") + 4;
    const signatureEnd = text.indexOf("From:");
    const isWhiteSpace = (character: string | undefined) => character === " " || character === "\t";
    let failedOnes = 0;
    for (let i = signatureEnd; i < text.length; i++) {
      const was = text[i] as string;
      // Line ends and white space are what canonicalization is about; they have cases of their own above.
      if (was === "\r" || was === "\n" || (body === "relaxed" && isWhiteSpace(was))) continue;
      const changed = text.slice(0, i) + (was === "x" ? "y" : "x") + text.slice(i + 1);
      const before = text.slice(text.lastIndexOf("\n", i) + 1, i);
      // The case of a name is forgiven, its letters are not.
      const [verdict] = await verify(changed, lookup);
      expect(allInWords([i, before, verdict?.result])).toEqual([i, before, "fail"]);
      failedOnes += 1;
    }
    expect(allInWords(failedOnes)).toBeGreaterThan(text.length - bodyAt + 100);
  });
  test("relaxed/relaxed: white space may grow, shrink to one, and end lines", async () => {
    const text = await signed(NEWSLETTER, { key: ed.privateKey, selector: "ed" });
    const from = text.indexOf("From:");
    for (let i = from; i < text.length; i++) {
      const inName = /\n[^\s:]*$/.test(text.slice(0, i)) && i < text.indexOf("\r\n\r\n");
      if (text[i] !== " " || inName) continue;
      const [verdict] = await verify(`${text.slice(0, i)} \t ${text.slice(i + 1)}`, dns(KEYS));
      expect(allInWords([i, verdict?.result])).toEqual([i, "pass"]);
    }
  });
  test("each octet of the signature value", async () => {
    const text = await signed(NEWSLETTER, { key: rsa.privateKey });
    const start = text.indexOf("b=", text.indexOf("bh=") + 3) + 2;
    for (let i = start; i < start + 300; i++) {
      if (!/[A-Za-z0-9+/]/.test(text[i] as string)) continue;
      const changed = text.slice(0, i) + (text[i] === "A" ? "B" : "A") + text.slice(i + 1);
      expect(allInWords((await verify(changed, dns(KEYS)))[0]?.result)).toBe("fail");
    }
  });
});

test("what is signed passes, for every option and in any chunks", async () => {
  const field = fc.constantFrom("to", "subject", "date", "x-none", "dkim-signature", "from", "received");
  const options = fc.record({
    header: fc.constantFrom<"simple" | "relaxed">("simple", "relaxed"),
    body: fc.constantFrom<"simple" | "relaxed">("simple", "relaxed"),
    fields: fc.option(
      fc.array(field, { maxLength: 6 }).map((names) => ["from", ...names]),
      { nil: undefined },
    ),
    expires: fc.option(fc.constant(1_772_450_000), { nil: undefined }),
    identity: fc.option(fc.constantFrom("@brackwater.example", "box+x=y@mail.brackwater.example", "bühne@brackwater.example"), {
      nil: undefined,
    }),
    length: fc.option(fc.constantFrom(0, 1, 10), { nil: undefined }),
    ed25519: fc.boolean(),
  });
  await fc.assert(
    fc.asyncProperty(
      options,
      fc.array(fc.constantFrom("a", " ", "\t", "\r\n", "\n", "\r", "ü", "."), { maxLength: 40 }),
      async ({ ed25519, ...some }, body) => {
        const given = Object.fromEntries(Object.entries(some).filter(([, value]) => value !== undefined)) as Partial<SignOptions>;
        if ((given.length ?? 0) > body.join("").length) return;
        const key = ed25519 ? { key: ed.privateKey, selector: "ed" } : { key: rsa.privateKey };
        const identity = given.identity === undefined ? {} : { identity: Buffer.from(given.identity).toString("latin1") };
        const message = Buffer.from(
          `DKIM-Signature: v=1; d=old.example\r\nReceived: from a by b\r\n${NEWSLETTER}${body.join("")}`,
        ).toString("latin1");
        const sealed = await signed(message, { ...given, ...key, ...identity });
        const [verdict] = await verify(sealed, dns(KEYS));
        if (verdict?.reason === "body-cut") return;
        expect(allInWords(verdict?.result)).toBe("pass");
      },
    ),
    { numRuns: 150 },
  );
});
