import { createHash, generateKeyPairSync, type KeyObject, sign } from "node:crypto";
import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { verbatim } from "../clause/index.ts";
import { DAY } from "../day.ts";
import { type DomainName, isAtOrBelow, isBelow, name, parentOf, ROOT, upwards, wildcardOf } from "../name/index.ts";
import { type DataOf, type RecordSet, type ResourceRecord, recordsOf, toBase32, toSets } from "../record/index.ts";
import { readRecords } from "../zone/index.ts";
import {
  ChainOfTrust,
  compareNames,
  keyTag,
  nsec3Hash,
  type SignedAnswer,
  type SignedLookup,
  signedOctets,
  standsFor,
  type TrustAnchor,
  verifySet,
} from "./index.ts";
import { ownerOctets, rdataOf } from "./keys.ts";

const NOW = Date.parse("2026-03-02T09:00:00Z") / 1000;
const WEEK = 7 * DAY;

interface Signer {
  readonly key: DataOf["DNSKEY"];
  readonly privateKey: KeyObject;
}

/** A key pair of an algorithm, with its public half as a zone publishes it. */
function signer(algorithm = 13, flags = 257): Signer {
  const raw = (jwk: { x?: string; y?: string; n?: string; e?: string }, ...parts: ("x" | "y" | "n" | "e")[]) =>
    Buffer.concat(parts.map((part) => Buffer.from(jwk[part] as string, "base64url")));
  const pairs: Readonly<Record<number, () => { publicKey: KeyObject; privateKey: KeyObject }>> = {
    8: () => generateKeyPairSync("rsa", { modulusLength: 1024 }),
    10: () => generateKeyPairSync("rsa", { modulusLength: 1024 }),
    13: () => generateKeyPairSync("ec", { namedCurve: "P-256" }),
    14: () => generateKeyPairSync("ec", { namedCurve: "P-384" }),
    15: () => generateKeyPairSync("ed25519"),
    16: () => generateKeyPairSync("ed448"),
  };
  const pair = (pairs[algorithm] as () => { publicKey: KeyObject; privateKey: KeyObject })();
  const jwk = pair.publicKey.export({ format: "jwk" }) as Record<string, string>;
  const octets =
    jwk.kty === "RSA"
      ? Buffer.concat([Buffer.from([Buffer.from(jwk.e as string, "base64url").length]), raw(jwk, "e", "n")])
      : jwk.kty === "EC"
        ? raw(jwk, "x", "y")
        : raw(jwk, "x");
  return { key: { flags, protocol: 3, algorithm, key: octets.toString("hex") }, privateKey: pair.privateKey };
}

const DIGEST: Readonly<Record<number, string | null>> = {
  8: "sha256",
  10: "sha512",
  13: "sha256",
  14: "sha384",
  15: null,
  16: null,
};

function signature(
  set: RecordSet,
  zone: DomainName,
  { key, privateKey }: Signer,
  change: Partial<DataOf["RRSIG"]> = {},
): ResourceRecord {
  const labels = set.name === ROOT ? 0 : set.name.split(".").length - 1 - (set.name.startsWith("*.") ? 1 : 0);
  const rrsig: DataOf["RRSIG"] = {
    covered: set.type,
    algorithm: key.algorithm,
    labels,
    originalTtl: set.ttl,
    expiration: NOW + WEEK,
    inception: NOW - WEEK,
    keyTag: keyTag(key),
    signer: zone,
    signature: "",
    ...change,
  };
  const octets = signedOctets(set, rrsig) as Buffer;
  const made = sign(DIGEST[key.algorithm] ?? null, octets, { key: privateKey, dsaEncoding: "ieee-p1363" });
  return { name: set.name, type: "RRSIG", ttl: set.ttl, data: { ...rrsig, signature: made.toString("hex") } };
}

const dsOf = (zone: DomainName, key: DataOf["DNSKEY"], digestType = 2): DataOf["DS"] => ({
  keyTag: keyTag(key),
  algorithm: key.algorithm,
  digestType,
  digest: createHash({ 1: "sha1", 2: "sha256", 4: "sha384" }[digestType] as string)
    .update(ownerOctets(zone))
    .update(rdataOf("DNSKEY", key))
    .digest("hex"),
});

interface ZoneOptions {
  readonly denial?: "nsec" | "nsec3" | "opt-out";
  readonly iterations?: number;
  /** What becomes of the signatures of a set. */
  readonly change?: (set: RecordSet) => Partial<DataOf["RRSIG"]> | "none" | undefined;
  readonly key?: Signer;
}

/** A signed zone that answers as a name server does. */
class SignedZone {
  readonly apex: DomainName;
  readonly key: Signer;
  readonly sets: RecordSet[];
  readonly #options: ZoneOptions;
  readonly #chain: RecordSet[];

  constructor(apex: string, lines: string, options: ZoneOptions = {}) {
    this.apex = name(apex);
    this.key = options.key ?? signer();
    this.#options = options;
    const { records, issues } = readRecords(`@ SOA ns.example. h.example. 1 1 1 1 300\n@ NS ns.example.\n${lines}`, {
      origin: this.apex,
      ttl: 3600,
    });
    expect(issues).toEqual([]);
    this.sets = [...toSets(records), { name: this.apex, type: "DNSKEY", ttl: 3600, data: [this.key.key] }];
    this.#chain = this.#makeChain();
  }

  #delegated(of: DomainName): boolean {
    return this.sets.some((set) => set.type === "NS" && set.name !== this.apex && isAtOrBelow(of, set.name));
  }

  #makeChain(): RecordSet[] {
    const { denial = "nsec", iterations = 0 } = this.#options;
    const owners = [...new Set(this.sets.map((set) => set.name))].filter(
      (owner) => !this.sets.some((set) => set.type === "NS" && set.name !== this.apex && isBelow(owner, set.name)),
    );
    const typesAt = (owner: DomainName) => [...this.sets.filter((set) => set.name === owner).map(({ type }) => type), "RRSIG"];
    if (denial === "nsec") {
      const sorted = owners.sort(compareNames);
      return sorted.map((owner, i) => {
        const next = sorted[(i + 1) % sorted.length] as DomainName;
        return {
          name: owner,
          type: "NSEC",
          ttl: 300,
          data: [{ next: { name: next, octets: ownerOctets(next).toString("hex") }, types: [...typesAt(owner), "NSEC"] }],
        };
      });
    }
    // Names between the apex and an owner exist too (empty non-terminals).
    const all = new Set(owners.flatMap((owner) => [...upwards(owner)].filter((one) => isAtOrBelow(one, this.apex))));
    const optOut = denial === "opt-out";
    const kept = [...all].filter(
      (owner) =>
        !optOut ||
        !this.sets.some((set) => set.type === "NS" && set.name === owner && owner !== this.apex) ||
        this.sets.some((set) => set.type === "DS" && set.name === owner),
    );
    const hashed = kept
      .map((owner) => ({ owner, hash: nsec3Hash(owner, { salt: "ab", iterations }) }))
      .sort((a, b) => (a.hash < b.hash ? -1 : 1));
    return hashed.map(({ owner, hash }, i) => {
      const present = this.sets.some((set) => set.name === owner);
      const data: DataOf["NSEC3"] = {
        hash: 1,
        flags: optOut ? 1 : 0,
        iterations,
        salt: "ab",
        next: (hashed[(i + 1) % hashed.length] as { hash: string }).hash,
        types: present ? typesAt(owner) : [],
      };
      return { name: name(toBase32(hash), this.apex), type: "NSEC3", ttl: 300, data: [data] };
    });
  }

  #signed(set: RecordSet): ResourceRecord[] {
    const change = this.#options.change?.(set);
    const isDelegation = set.type === "NS" && set.name !== this.apex;
    return [...recordsOf(set), ...(change === "none" || isDelegation ? [] : [signature(set, this.apex, this.key, change)])];
  }

  answer(of: DomainName, type: string): SignedAnswer {
    const at = this.sets.filter((set) => set.name === of);
    const soa = this.sets.find((set) => set.type === "SOA") as RecordSet;
    const everything = (): ResourceRecord[] => [...this.#signed(soa), ...this.#chain.flatMap((set) => this.#signed(set))];
    const found = at.find((set) => set.type === type) ?? at.find((set) => set.type === "CNAME");
    if (found !== undefined) return { kind: "answer", exists: true, answer: this.#signed(found), authority: [] };
    const present = this.sets.some((set) => isAtOrBelow(set.name, of));
    if (!present && !this.#delegated(of)) {
      const encloser = [...upwards(parentOf(of))].find((above) =>
        this.sets.some((set) => isAtOrBelow(set.name, above)),
      ) as DomainName;
      const star = this.sets.filter((set) => set.name === wildcardOf(encloser));
      const made = star.find((set) => set.type === type) ?? star.find((set) => set.type === "CNAME");
      if (made !== undefined)
        return {
          kind: "answer",
          exists: true,
          answer: this.#signed(made).map((one) => ({ ...one, name: of })),
          authority: everything(),
        };
      return { kind: "answer", exists: star.length > 0, answer: [], authority: everything() };
    }
    return { kind: "answer", exists: true, answer: [], authority: everything() };
  }
}

/** Name servers of some zones: a DS is asked at the parent. */
const lookupOf = (...zones: SignedZone[]): SignedLookup & { asked: number } => {
  const lookup = {
    asked: 0,
    async askSigned(of: DomainName, type: string): Promise<SignedAnswer> {
      lookup.asked += 1;
      const holders = zones
        .filter(({ apex }) => isAtOrBelow(of, apex) && !(type === "DS" && apex === of))
        .sort((a, b) => b.apex.length - a.apex.length);
      return holders[0]?.answer(of, type) ?? { kind: "failed", detail: verbatim("nobody holds it") };
    },
  };
  return lookup;
};

const anchorOf = (zone: SignedZone): TrustAnchor => ({ zone: zone.apex, ds: [dsOf(zone.apex, zone.key.key)] });
const dsLine = (zone: SignedZone, digestType = 2): string => {
  const { keyTag: tag, algorithm, digest } = dsOf(zone.apex, zone.key.key, digestType);
  return `${zone.apex} DS ${tag} ${algorithm} ${digestType} ${digest}\n`;
};

const LINES = '@ TXT "v=spf1 -all"\nwww A 192.0.2.80\nalias CNAME www\n*.wild TXT "w"\na.b.c TXT "deep"\n';

/** The root, example. and brackwater.example., each as its options say. */
function world(
  own: ZoneOptions = {},
  { parent = {}, ds, extra = "" }: { parent?: ZoneOptions; ds?: (zone: SignedZone) => string; extra?: string } = {},
) {
  const zone = new SignedZone("brackwater.example.", `${LINES}${extra}`, own);
  const example = new SignedZone(
    "example.",
    `brackwater NS ns.example.\n${(ds ?? dsLine)(zone)}unsigned NS ns.example.\n`,
    parent,
  );
  const root = new SignedZone(".", `example. NS ns.example.\n${dsLine(example)}`);
  const unsigned: SignedZone = new SignedZone("unsigned.example.", LINES);
  const lookup = lookupOf(root, example, zone, unsigned);
  return { lookup, root, example, zone, chain: new ChainOfTrust(lookup, [anchorOf(root)], NOW) };
}
const judge = async (made: ReturnType<typeof world>, of: string, type = "TXT") => made.chain.judge(name(of), type);

describe("what is published in the standards", () => {
  test("the canonical order of names (RFC 4034 section 6.1)", () => {
    const order = [
      "example.",
      "a.example.",
      "yljkjljk.a.example.",
      "z.a.example.",
      "zabc.a.example.",
      "z.example.",
      "\\001.z.example.",
      "*.z.example.",
      "\\200.z.example.",
    ].map((one) => name(one));
    expect([...order].reverse().sort(compareNames)).toEqual(order);
  });
  test("a key, its tag and its DS (RFC 4034 section 5.4)", () => {
    const { records } = readRecords(
      "dskey.example.com. 86400 IN DNSKEY 256 3 5 ( AQOeiiR0GOMYkDshWoSKz9Xz fwJr1AYtsmx3TGkJaNXVbfi/ 2pHm822aJ5iI9BMzNXxeYCmZ DRD99WYwYqUSdjMmmAphXdvx egXd/M5+X7OrzKBaMbCVdFLU Uh6DhweJBjEVv5f2wwjM9Xzc nOf+EPbtG9DMBmADjFDc2w/r ljwvFw== )\ndskey.example.com. 86400 IN DS 60485 5 1 ( 2BB183AF5F22588179A53B0A 98631FAD1A292118 )\n",
      { origin: ROOT },
    );
    const [key, ds] = records.map(({ data }) => data) as [DataOf["DNSKEY"], DataOf["DS"]];
    expect(keyTag(key)).toBe(60485);
    expect(standsFor(ds, name("dskey.example.com."), key)).toBe(true);
    expect(standsFor({ ...ds, digest: ds.digest.replace("2b", "2c") }, name("dskey.example.com."), key)).toBe(false);
  });
  test("a key, its DS and a signature by ECDSA P-256 (RFC 6605 section 6.1)", () => {
    const { records } = readRecords(
      "example.net. 3600 DNSKEY 257 3 13 GojIhhXUN/u4v54ZQqGSnyhWJwaubCvTmeexv7bR6edbkrSqQpF64cYbcB7wNcP+e+MAnLr+Wi9xMWyQLc8NAA==\nexample.net. 3600 DS 55648 13 2 b4c8c1fe2e7477127b27115656ad6256f424625bf5c1e2770ce6d6e37df61d17\nwww.example.net. 3600 A 192.0.2.1\nwww.example.net. 3600 RRSIG A 13 3 3600 20100909100439 20100812100439 55648 example.net. qx6wLYqmh+l9oCKTN6qIc+bw6ya+KJ8oMz0YP107epXAyGmt+3SNruPFKG7tZoLBLlUzGGus7ZwmwWep666VCw==\n",
      { origin: ROOT },
    );
    const [key, ds, , rrsig] = records.map(({ data }) => data) as [DataOf["DNSKEY"], DataOf["DS"], never, DataOf["RRSIG"]];
    const zone = name("example.net.");
    expect(standsFor(ds, zone, key)).toBe(true);
    const [set] = toSets(records.filter(({ type }) => type === "A")) as [RecordSet];
    const then = Date.parse("2010-08-20T00:00:00Z") / 1000;
    expect(verifySet(set, [rrsig], zone, [key], then)).toMatchObject({ ttl: 3600 });
    expect(verifySet({ ...set, data: [{ address: "192.0.2.2" }] }, [rrsig], zone, [key], then)).toHaveProperty("flaw");
  });
  test.each([
    ["example.", "0p9mhaveqvm6t7vbl5lop2u3t2rp3tom"],
    ["a.example.", "35mthgpgcu1qg68fab165klnsnk3dpvl"],
    ["*.w.example.", "r53bq7cc2uvmubfu5ocmm6pers9tk9en"],
  ])("the hash of %s (RFC 5155 appendix A)", (of, hash) => {
    expect(toBase32(nsec3Hash(name(of), { salt: "aabbccdd", iterations: 12 }))).toBe(hash);
  });
});

describe("a whole chain", () => {
  test.each([8, 10, 13, 14, 15, 16])("algorithm %i is validated, and no octet of a signed answer can be changed", (algorithm) => {
    const key = signer(algorithm);
    const set: RecordSet = {
      name: name("brackwater.example."),
      type: "TXT",
      ttl: 3600,
      data: [{ strings: ["v=spf1 -all"] }, { strings: ["b"] }],
    };
    const { data } = signature(set, set.name, key);
    const made = data as DataOf["RRSIG"];
    const check = (one: RecordSet, rrsig: DataOf["RRSIG"]) => verifySet(one, [rrsig], set.name, [key.key], NOW);
    expect(check(set, made)).toEqual({ expires: NOW + WEEK, ttl: 3600 });
    // The order of records and the TTL that is left say nothing.
    expect(check({ ...set, ttl: 5, data: [...set.data].reverse() }, made)).toEqual({ expires: NOW + WEEK, ttl: 3600 });
    const octets = Buffer.from(made.signature, "hex");
    for (let i = 0; i < octets.length; i += algorithm === 8 || algorithm === 10 ? 7 : 1) {
      const changed = Buffer.from(octets);
      changed[i] = (changed[i] as number) ^ 1;
      expect(check(set, { ...made, signature: changed.toString("hex") })).toEqual({
        flaw: { code: "signature-wrong", keyTag: keyTag(key.key) },
      });
    }
    for (const change of [
      { labels: 1 },
      { originalTtl: 3601 },
      { expiration: made.expiration + 1 },
      { inception: made.inception - 1 },
    ])
      expect(check(set, { ...made, ...change })).toHaveProperty("flaw");
    expect(check({ ...set, data: [{ strings: ["v=spf1 -alL"] }, { strings: ["b"] }] }, made)).toHaveProperty("flaw");
  });

  for (const denial of ["nsec", "nsec3"] as const)
    test.each([
      ["brackwater.example.", "TXT"],
      ["www.brackwater.example.", "A"],
      ["www.brackwater.example.", "TXT"],
      ["nothing.brackwater.example.", "TXT"],
      ["alias.brackwater.example.", "A"],
      ["x.wild.brackwater.example.", "TXT"],
      ["x.wild.brackwater.example.", "MX"],
      ["b.c.brackwater.example.", "TXT"],
      ["nothing.b.c.brackwater.example.", "TXT"],
      ["brackwater.example.", "DS"],
      ["example.", "SOA"],
    ])(`%s %s is secure, with ${denial}`, async (of, type) => {
      expect(await judge(world({ denial }), of, type)).toMatchObject({ kind: "secure" });
    });

  test.each<[string, "nsec" | "nsec3" | "opt-out"]>([
    ["nsec", "nsec"],
    ["nsec3", "nsec3"],
    ["opt-out", "opt-out"],
  ])("a delegation without DS is proven to be unsigned, by %s", async (_, denial) => {
    expect(await judge(world({}, { parent: { denial } }), "unsigned.example.")).toEqual({
      kind: "insecure",
      zone: "unsigned.example.",
      why: "no-ds",
    });
  });
  test("hashes that are repeated too often count as no signature", async () => {
    expect(await judge(world({ denial: "nsec3", iterations: 200 }), "nothing.brackwater.example.")).toMatchObject({
      kind: "insecure",
      why: "too-costly",
    });
  });
  test("DS records of unknown algorithms or digests are as good as none", async () => {
    const ds = (zone: SignedZone) =>
      `brackwater DS 4711 99 2 ${dsOf(zone.apex, zone.key.key).digest}\nbrackwater DS 4711 13 9 ab\n`;
    expect(await judge(world({}, { ds }), "brackwater.example.")).toEqual({
      kind: "insecure",
      zone: "brackwater.example.",
      why: "unknown-algorithm",
    });
  });
  test("without an anchor, or where nobody answers, nothing is said", async () => {
    const { lookup, root } = world();
    expect(await new ChainOfTrust(lookup, [], NOW).judge(name("brackwater.example"), "TXT")).toMatchObject({
      kind: "indeterminate",
    });
    const foreign = { zone: root.apex, ds: [dsOf(root.apex, signer().key)] };
    expect(await new ChainOfTrust(lookup, [foreign], NOW).judge(name("brackwater.example"), "TXT")).toMatchObject({
      kind: "indeterminate",
    });
    const deaf: SignedLookup = { askSigned: async () => ({ kind: "failed", detail: verbatim("nobody answered") }) };
    expect(await new ChainOfTrust(deaf, [anchorOf(root)], NOW).judge(name("brackwater.example"), "TXT")).toEqual({
      kind: "indeterminate",
      why: "unresolved",
      because: verbatim("nobody answered"),
    });
  });
  test("what was found out about a zone is not asked again", async () => {
    const made = world();
    await judge(made, "brackwater.example.");
    const { asked } = made.lookup;
    await judge(made, "www.brackwater.example.", "A");
    // The question itself: the zone says that it signed the answer, so that no label has to be asked whether it is one.
    expect(made.lookup.asked - asked).toBe(1);
  });
});

describe("what breaks a chain", () => {
  const other = signer();
  const at = (type: string, change: Partial<DataOf["RRSIG"]> | "none") => ({
    change: (set: RecordSet) => (set.type === type ? change : undefined),
  });
  test.each<[string, Parameters<typeof world>, string, string, object]>([
    [
      "a DS left over from another DNS host",
      [{}, { ds: () => dsLine({ apex: name("brackwater.example"), key: other } as SignedZone) }],
      "brackwater.example.",
      "TXT",
      { code: "ds-without-key", zone: "brackwater.example.", dsTags: [keyTag(other.key)] },
    ],
    [
      "a signature that has ended",
      [at("TXT", { expiration: NOW - 86_400 })],
      "brackwater.example.",
      "TXT",
      { code: "signature-expired", at: NOW - 86_400, type: "TXT" },
    ],
    [
      "a signature that has not begun",
      [at("TXT", { inception: NOW + 86_400 })],
      "brackwater.example.",
      "TXT",
      { code: "signature-early", type: "TXT" },
    ],
    ["no signature", [at("TXT", "none")], "brackwater.example.", "TXT", { code: "signature-missing", type: "TXT" }],
    [
      "a signature by a key that is not there",
      [at("TXT", { keyTag: 1 })],
      "brackwater.example.",
      "TXT",
      { code: "signature-key-missing", keyTag: 1 },
    ],
    [
      "keys whose signature has ended",
      [at("DNSKEY", { expiration: NOW - 86_400 })],
      "brackwater.example.",
      "TXT",
      { code: "signature-expired", type: "DNSKEY" },
    ],
    [
      "keys that the right key did not sign",
      [at("DNSKEY", { keyTag: 1 })],
      "brackwater.example.",
      "TXT",
      { code: "keys-not-signed" },
    ],
    [
      "keys without a signature, as a server shows them that knows no EDNS",
      [at("DNSKEY", "none")],
      "brackwater.example.",
      "TXT",
      { code: "signature-missing", type: "DNSKEY" },
    ],
    [
      "a DS whose digest is another one",
      [
        {},
        {
          ds: (zone: SignedZone) =>
            dsLine(zone).replace(/\S+\n$/, (digest) => digest.replace(/^./, (first) => (first === "0" ? "1" : "0"))),
        },
      ],
      "brackwater.example.",
      "TXT",
      { code: "ds-digest-wrong" },
    ],
    ["nothing that proves a name away", [at("NSEC", "none")], "nothing.brackwater.example.", "TXT", { code: "denial-missing" }],
    [
      "a proof whose signature has ended",
      [at("NSEC", { expiration: NOW - 86_400 })],
      "nothing.brackwater.example.",
      "TXT",
      { code: "signature-expired" },
    ],
    [
      "a wildcard's answer without a proof that the name is not there",
      [at("NSEC", "none")],
      "x.wild.brackwater.example.",
      "TXT",
      { code: "wildcard-unproven" },
    ],
    [
      "a DS whose signature has ended",
      [{}, { parent: at("DS", { expiration: NOW - 86_400 }) }],
      "brackwater.example.",
      "TXT",
      { code: "signature-expired", zone: "example.", type: "DS" },
    ],
  ])("%s", async (_, given, of, type, flaw) => {
    expect(await judge(world(...given), of, type)).toMatchObject({ kind: "bogus", flaw });
  });
  test("a zone that is not signed, below a parent that says it is", async () => {
    const made = world();
    const bare = {
      ...made.zone,
      apex: made.zone.apex,
      answer: (of: DomainName, type: string): SignedAnswer => {
        const answer = made.zone.answer(of, type);
        return answer.kind === "failed"
          ? answer
          : { ...answer, answer: type === "DNSKEY" ? [] : answer.answer.filter((one) => one.type !== "RRSIG"), authority: [] };
      },
    } as unknown as SignedZone;
    const chain = new ChainOfTrust(lookupOf(made.root, made.example, bare), [anchorOf(made.root)], NOW);
    expect(await chain.judge(name("brackwater.example"), "TXT")).toMatchObject({
      kind: "bogus",
      flaw: { code: "keys-missing", dsTags: [keyTag(made.zone.key.key)] },
    });
  });
  test("clocks that differ by a few minutes do not break it; by a year they do", async () => {
    const made = world(at("TXT", { expiration: NOW - 200 }));
    expect(await judge(made, "brackwater.example.")).toMatchObject({ kind: "secure" });
    // At the root nobody can tell a clock that is wrong from another DNS.
    const later = new ChainOfTrust(made.lookup, [anchorOf(made.root)], NOW + 365 * DAY);
    expect(await later.judge(name("brackwater.example"), "TXT")).toMatchObject({ kind: "indeterminate" });
  });
  test("keys that only cost time are none, and a set of 64 KiB of them ends", () => {
    const set: RecordSet = { name: name("brackwater.example."), type: "TXT", ttl: 60, data: [{ strings: ["a"] }] };
    const rsa = signer(8);
    const modulus = rsa.key.key.slice(8);
    // An exponent of 4096 bits, in the long form of its length.
    const slow = { ...rsa.key, key: `000200${"ff".repeat(512)}${modulus}` };
    const { data } = signature(set, set.name, rsa);
    const made = { ...(data as DataOf["RRSIG"]), keyTag: keyTag(slow) };
    expect(verifySet(set, [made], set.name, [slow], NOW)).toEqual({ flaw: { code: "signature-wrong", keyTag: keyTag(slow) } });
    const many = Array.from({ length: 250 }, (_, i) => ({
      ...rsa.key,
      key: `${rsa.key.key.slice(0, -4)}${String(i).padStart(4, "0")}`,
    }));
    expect(verifySet(set, [data as DataOf["RRSIG"]], set.name, [...many, rsa.key], NOW)).toMatchObject({ ttl: 60 });
  });
  test("a crowd of signatures and keys with one tag is bounded work, and never secure by mistake", () => {
    const key = signer();
    const set: RecordSet = { name: name("brackwater.example."), type: "TXT", ttl: 3600, data: [{ strings: ["a"] }] };
    const { data } = signature(set, set.name, key);
    const wrong = { ...(data as DataOf["RRSIG"]), signature: "00".repeat(64) };
    expect(
      verifySet(
        set,
        Array.from({ length: 5000 }, () => wrong),
        set.name,
        [key.key],
        NOW,
      ),
    ).toHaveProperty("flaw");
  });
  test("what an alias leads to lasts no longer than either of them", async () => {
    const until = async (change: Partial<Record<"alias" | "www", number>>, of: string) => {
      const made = world({
        change: (set) => {
          const label = set.name.split(".")[0] as "alias" | "www";
          return change[label] === undefined ? undefined : { expiration: change[label] };
        },
      });
      const verdict = await judge(made, of, "A");
      return verdict.kind === "secure" ? verdict.until : verdict;
    };
    const usual = await until({}, "alias.brackwater.example.");
    expect(usual).toBeGreaterThan(NOW + 100);
    expect(await until({ alias: NOW + 50 }, "alias.brackwater.example.")).toBe(NOW + 50);
    expect(await until({ www: NOW + 60 }, "alias.brackwater.example.")).toBe(NOW + 60);
    expect(await until({ alias: NOW + 70, www: NOW + 60 }, "alias.brackwater.example.")).toBe(NOW + 60);
    expect(await until({ alias: NOW + 50 }, "www.brackwater.example.")).toBe(usual);
  });
  test("the alias that a DNAME makes is never believed by itself", async () => {
    const made = world({}, { extra: 'old DNAME new\nx.new TXT "right"\nx.bad TXT "wrong"\n' });
    const zone = made.zone;
    const led = (target: string): SignedLookup => ({
      async askSigned(of, type) {
        const answer = await made.lookup.askSigned(of, type);
        if (of !== name("x.old.brackwater.example") || answer.kind === "failed") return answer;
        const dname = zone.answer(name("old.brackwater.example"), "DNAME");
        const alias = { name: of, type: "CNAME", ttl: 60, data: { target: name(target) } };
        return dname.kind === "failed" ? dname : { ...dname, answer: [...dname.answer, alias] };
      },
    });
    const judged = (lookup: SignedLookup) =>
      new ChainOfTrust(lookup, [anchorOf(made.root)], NOW).judge(name("x.old.brackwater.example"), "TXT");
    expect(await judged(led("x.new.brackwater.example"))).toMatchObject({ kind: "secure" });
    // A forged alias leads nowhere: what is judged is the name that the DNAME makes.
    const asked: string[] = [];
    const watched = led("x.bad.brackwater.example");
    await judged({
      askSigned(of, type) {
        asked.push(of);
        return watched.askSigned(of, type);
      },
    });
    expect(asked).toContain("x.new.brackwater.example.");
    expect(asked).not.toContain("x.bad.brackwater.example.");
  });
  test("a name below more labels than are followed is not called anything", async () => {
    const deep = `${"a.".repeat(70)}brackwater.example.`;
    expect(await judge(world(), deep)).toMatchObject({ kind: "indeterminate" });
  });
  test("names whose aliases form a loop end", async () => {
    expect(await judge(world({}, { extra: "r1 CNAME r2\nr2 CNAME r1\n" }), "r1.brackwater.example.", "A")).toMatchObject({
      kind: "indeterminate",
    });
  });
});

test("the order of names is one, whatever they are", () => {
  const names = fc
    .array(fc.stringMatching(/^[a-z0-9*-]{1,6}$/), { minLength: 1, maxLength: 4 })
    .map((labels) => name(`${labels.join(".")}.example`));
  fc.assert(
    fc.property(names, names, names, (a, b, c) => {
      expect(Math.sign(compareNames(a, b)) + Math.sign(compareNames(b, a))).toBe(0);
      if (compareNames(a, b) <= 0 && compareNames(b, c) <= 0) expect(compareNames(a, c)).toBeLessThanOrEqual(0);
      expect(compareNames(a, b) === 0).toBe(a === b);
    }),
  );
});
