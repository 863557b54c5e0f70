import { generateKeyPairSync } from "node:crypto";
import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { allInWords } from "../../present/clauses/index.ts";
import { field } from "../message/index.ts";
import { splitCharacterStrings } from "../record/index.ts";
import { readTagList } from "../tag-list.ts";
import { keyRecordText, readKeyRecord, readSignature } from "./index.ts";

describe("tag lists (RFC 6376 section 3.2)", () => {
  test.each<[string, [string, string][], string?]>([
    ["", []],
    ["a=b", [["a", "b"]]],
    ["a=b;", [["a", "b"]]],
    [
      " a = b ; c = d ",
      [
        ["a", "b"],
        ["c", "d"],
      ],
    ],
    [
      "a=;b=c",
      [
        ["a", ""],
        ["b", "c"],
      ],
    ],
    ["a=b=c;", [["a", "b=c"]]],
    ["a=\r\n\tb c", [["a", "b c"]]],
    [
      "a=1;A=2",
      [
        ["a", "1"],
        ["A", "2"],
      ],
    ],
    [
      "a=1;a=2",
      [
        ["a", "1"],
        ["a", "2"],
      ],
      "may stand only once",
    ],
    [
      "a=1;;b=2",
      [
        ["a", "1"],
        ["b", "2"],
      ],
      "nothing between",
    ],
    ["a", [], "a tag is a name"],
    ["1a=b", [["1a", "b"]], "a tag's name"],
    ["=b", [["", "b"]], "a tag's name"],
  ])("%j", (text, tags, ...[mistake]) => {
    const list = readTagList(text);
    expect(allInWords(list.tags.map(({ name, value }) => [name, value]))).toEqual(tags);
    if (mistake === undefined) expect(allInWords(list.mistakes)).toEqual([]);
    else expect(allInWords(list.mistakes[0]?.message)).toContain(mistake);
  });
  test("what it says of a value's place is where the value is", () =>
    fc.assert(
      fc.property(fc.array(fc.tuple(fc.stringMatching(/^[a-z]{1,3}$/), fc.stringMatching(/^[ a-z=]{0,6}$/))), (pairs) => {
        const text = pairs.map(([name, value]) => `${name}=${value}`).join(";");
        for (const tag of readTagList(text).tags) {
          expect(allInWords(text.slice(tag.at, tag.at + tag.name.length))).toBe(tag.name);
          expect(allInWords(text.slice(tag.valueStart, tag.valueEnd).trim())).toBe(tag.value.trim());
        }
      }),
    ));
});

const GOOD: Readonly<Record<string, string>> = {
  v: "1",
  a: "rsa-sha256",
  b: "AAAA",
  bh: "AAAA",
  d: "brackwater.example",
  h: "from",
  s: "k1",
};
const made = (more: Readonly<Record<string, string | undefined>>): string =>
  `DKIM-Signature: ${Object.entries({ ...GOOD, ...more })
    .filter(([, value]) => value !== undefined)
    .map(([name, value]) => `${name}=${value}`)
    .join("; ")}`;

describe("DKIM-Signature (RFC 6376 section 3.5)", () => {
  test.each<[string, Record<string, string | undefined>]>([
    ["as short as it can be", {}],
    ["c: one word for the header only", { c: "relaxed" }],
    ["c: both", { c: "simple/relaxed" }],
    ["h: white space around names, names twice", { h: "From : To:\r\n\tSubject : from" }],
    ["b: folded", { b: "AA\r\n\tAA" }],
    ["i below d", { i: "news@mail.brackwater.example" }],
    ["i without a local part", { i: "@brackwater.example" }],
    ["q with an unknown method beside", { q: "dns/txt:other" }],
    ["t before x", { t: "1", x: "2" }],
    ["x alone", { x: "2" }],
    ["l=0", { l: "0" }],
    ["unknown tags are ignored", { zz: "anything", z: "From:box@brackwater.example" }],
    ["ed25519 (RFC 8463 section 3)", { a: "ed25519-sha256" }],
    ["a selector with dots", { s: "2026.march" }],
    ["a U-label (RFC 8616 section 5)", { d: "b\xc3\xbchne.example" }],
    ["rsa-sha1 can be read, and is refused later (RFC 8301)", { a: "rsa-sha1" }],
  ])("reads %s", (_, more) => expect(allInWords(readSignature(field(made(more))))).toMatchObject({ ok: true }));

  test.each<[string, Record<string, string | undefined>, string]>([
    ["no version", { v: undefined }, "v=1 is missing"],
    ["another version", { v: "2" }, "not 1"],
    ["no algorithm", { a: undefined }, "a= is missing"],
    ["an unknown algorithm", { a: "rsa-md5" }, "no algorithm"],
    ["no signature", { b: undefined }, "b= is missing"],
    ["an empty signature", { b: "" }, "b= is not base64"],
    ["a signature that is not base64", { b: "A*" }, "b= is not base64"],
    ["no body hash", { bh: undefined }, "bh= is missing"],
    ["no domain", { d: undefined }, "d= is missing"],
    ["a broken domain", { d: "a..b" }, "d= is not a domain"],
    ["no header list", { h: undefined }, "h= is missing"],
    ["an empty name in the header list", { h: "from::to" }, "h= is not a list"],
    ["From is not signed", { h: "to:subject" }, "From field is not signed"],
    ["no selector", { s: undefined }, "s= is missing"],
    ["a broken selector", { s: "a b" }, "s= is not a selector"],
    ["an unknown canonicalization", { c: "nowsp" }, "canonicalization"],
    ["three canonicalizations", { c: "simple/simple/simple" }, "canonicalization"],
    ["i elsewhere", { i: "news@heronpost.example" }, "not at or below"],
    ["i above d", { d: "mail.brackwater.example", i: "@brackwater.example" }, "not at or below"],
    ["i without an at sign", { i: "brackwater.example" }, "i= is not an address"],
    ["q in a way that does not exist", { q: "carrier/pigeon" }, "q="],
    ["x not after t", { t: "5", x: "5" }, "expires before"],
    ["t no number", { t: "soon" }, "t= is not a number"],
    ["l negative", { l: "-1" }, "l= is not a number"],
    ["x in words", { x: "never" }, "x= is not a number"],
  ])("refuses: %s", (_, more, because) => {
    const parsed = readSignature(field(made(more)));
    expect(allInWords(parsed)).toMatchObject({ ok: false, error: { message: expect.stringContaining(because) } });
  });
  test("a tag twice is an error, not a choice (section 3.2)", () =>
    expect(allInWords(readSignature(field(`${made({})}; d=heronpost.example`)))).toMatchObject({
      ok: false,
      error: { message: expect.stringContaining("only once") },
    }));
  test("an error still says whose signature it is", () =>
    expect(allInWords(readSignature(field(made({ h: "to" }))))).toMatchObject({
      error: { domain: "brackwater.example.", selector: "k1" },
    }));
  const rest = "v=1; a=rsa-sha256; bh=QUJD; d=a.example; h=from; s=k";
  test.each<[string, string]>([
    [`DKIM-Signature: ${rest}; b=QUJD`, `DKIM-Signature: ${rest}; b=`],
    [`DKIM-Signature: ${rest}; b = QU\r\n JD`, `DKIM-Signature: ${rest}; b =`],
    [`DKIM-Signature: b=QUJD; ${rest};`, `DKIM-Signature: b=; ${rest};`],
  ])("only the value of b= and the white space around it is taken out (section 3.5): %j", (raw, unsigned) =>
    expect(allInWords(readSignature(field(raw)))).toMatchObject({ value: { unsigned: { raw: unsigned } } }),
  );
});

const rsa = generateKeyPairSync("rsa", { modulusLength: 2048 });
const P = rsa.publicKey.export({ type: "spki", format: "der" }).toString("base64");
const weak = generateKeyPairSync("rsa", { modulusLength: 768 })
  .publicKey.export({ type: "spki", format: "der" })
  .toString("base64");
const pkcs1 = rsa.publicKey.export({ type: "pkcs1", format: "der" }).toString("base64");
const ed = "11qYAYKxCrfVS/7TyWQHOg7hcvPapiMlrwIaaPcHURo=";

describe("key records (RFC 6376 section 3.6.1)", () => {
  test.each<[string, string[], Record<string, unknown>]>([
    ["RSA", [`v=DKIM1; k=rsa; p=${P}`], { type: "rsa", bits: 2048, testing: false, services: ["*"] }],
    ["only the key", [`p=${P}`], { bits: 2048 }],
    ["split into strings", splitCharacterStrings(`v=DKIM1; p=${P}`), { bits: 2048 }],
    ["white space inside the key is legal", [`p=${P.slice(0, 40)} \t${P.slice(40)}`], { bits: 2048 }],
    ["RSAPublicKey without its frame", [`p=${pkcs1}`], { bits: 2048 }],
    ["Ed25519 (RFC 8463 appendix A)", [`v=DKIM1; k=ed25519; p=${ed}`], { type: "ed25519" }],
    ["test mode", [`t=y; p=${P}`], { testing: true }],
    ["exact domain", [`t=s:y; p=${P}`], { exactDomain: true, testing: true }],
    ["hashes", [`h=sha1:sha256; p=${P}`], { hashes: ["sha1", "sha256"] }],
    ["services", [`s=email:other; p=${P}`], { services: ["email", "other"] }],
    ["a note", [`n=made in March; p=${P}`], { note: "made in March" }],
    ["unknown tags and a semicolon at the end", [`zz=1; p=${P};`], { bits: 2048 }],
  ])("reads %s", (_, strings, expected) => {
    const key = readKeyRecord(strings);
    expect(key.problem).toBeUndefined();
    expect(allInWords(key)).toMatchObject(expected);
    expect(key.key).toBeDefined();
  });
  test.each<[string, string[], string, string]>([
    ["another text", ["seekmere-owner=4f1d"], "not-a-key-record", "no DKIM key"],
    ["no equals sign", ["v=DKIM1; p"], "not-a-key-record", "a tag is a name"],
    ["another version", [`v=DKIM2; p=${P}`], "version", "DKIM2"],
    ["the version not first", [`k=rsa; v=DKIM1; p=${P}`], "version", "must come first"],
    ["an unknown type", [`k=dsa; p=${P}`], "key-type", "dsa"],
    ["no key", ["v=DKIM1; k=rsa"], "no-key", "p="],
    ["revoked", ["v=DKIM1; p="], "revoked", "revoked"],
    ["quotes inside", [`p=${P.slice(0, 50)}" "${P.slice(50)}`], "quotes", "quotation marks"],
    ["a backslash inside", [`p=${P.slice(0, 50)}\\${P.slice(50)}`], "quotes", "backslashes"],
    ["a foreign character", [`p=${P.slice(0, 50)}-${P.slice(51)}`], "not-base64", "“-”"],
    ["an equals sign in the middle", [`p=${P.slice(0, 50)}=${P.slice(51)}`], "not-base64", "“=”"],
    ["cut at 255", [`v=DKIM1; k=rsa; p=${P}`.slice(0, 255)], "cut", "294 octets"],
    ["the middle string lost", [`p=${P.slice(0, 200)}`, P.slice(220)], "cut", "lost"],
    ["characters doubled at the split", [`p=${P.slice(0, 200)}`, P.slice(196)], "doubled", "4 characters"],
    ["something added", [`p=${P}AAAA`], "too-long", "doubled or added"],
    ["no ASN.1", ["p=AAAAAAAA"], "not-a-key", "not an RSA"],
    ["ASN.1 of something else", [`p=${Buffer.from("3003020101", "hex").toString("base64")}`], "not-a-key", "not an RSA"],
    ["a weak key (RFC 8301 section 3.2)", [`p=${weak}`], "weak", "768"],
    ["Ed25519 too short", ["k=ed25519; p=AAAA"], "cut", "32 octets"],
    ["Ed25519 too long", [`k=ed25519; p=${Buffer.alloc(44).toString("base64")}`], "too-long", "32 octets"],
    ["RSA where the record says Ed25519", [`k=ed25519; p=${P}`], "too-long", "32 octets"],
  ])("says of %s", (_, strings, kind, because) => {
    const key = readKeyRecord(strings);
    expect(allInWords(key.problem)).toMatchObject({ kind, message: expect.stringContaining(because) });
    expect(key.key).toBeUndefined();
  });
  test("what is written for a key reads back as that key", () => {
    const pair = generateKeyPairSync("ed25519");
    for (const key of [rsa.publicKey, pair.publicKey])
      expect(allInWords(readKeyRecord(splitCharacterStrings(keyRecordText(key))).key?.equals(key))).toBe(true);
  });
  test("no text at all makes it throw", () =>
    fc.assert(
      fc.property(fc.array(fc.string({ maxLength: 80 }), { maxLength: 4 }), fc.boolean(), (strings, asKey) => {
        expect(allInWords(typeof readKeyRecord(asKey ? [`p=${strings.join("")}`] : strings).testing)).toBe("boolean");
      }),
      { numRuns: 500 },
    ));
  test("broken ASN.1: every octet of a key changed once gives a verdict, never an exception", () => {
    const der = Buffer.from(P, "base64");
    for (let i = 0; i < 60; i++) {
      const broken = Buffer.from(der);
      broken[i] = (broken[i] as number) ^ 0x5a;
      const { key, problem } = readKeyRecord([`p=${broken.toString("base64")}`]);
      expect(allInWords(key === undefined)).toBe(problem !== undefined);
    }
  });
});
