import type { Clause } from "../clause/index.ts";
import { type DomainName, isAtOrBelow, isBelow, labelsOf, substituted, upwards } from "../name/index.ts";
import { type DataOf, isOfType, type RecordSet, type RecordType, type ResourceRecord, toSets } from "../record/index.ts";
import { type Denial, deniesName, nsec3Denial, nsecDenial } from "./denial.ts";
import { ALGORITHMS, DIGESTS, dsFor, isZoneKey, keyTag } from "./keys.ts";
import { type SignatureFlaw, type Verified, verifySet } from "./signature.ts";

/** An answer with everything that proves it: asked with DO and CD, so that nobody in between judges it (RFC 4035 section 3.2). */
export type SignedAnswer =
  | {
      readonly kind: "answer";
      readonly exists: boolean;
      readonly answer: readonly ResourceRecord[];
      readonly authority: readonly ResourceRecord[];
    }
  | { readonly kind: "failed"; readonly detail: Clause };

/** Whoever can be asked for signed answers. */
export interface SignedLookup {
  askSigned(name: DomainName, type: RecordType): Promise<SignedAnswer>;
}

/** Where trust begins: DS records of a zone that is known beforehand. */
export interface TrustAnchor {
  readonly zone: DomainName;
  readonly ds: readonly DataOf["DS"][];
}

/**
 * What is wrong with a chain of trust, with the zone and the set that it concerns.
 * - `ds-without-key`: the DS records at the parent fit none of the zone's keys
 * - `ds-digest-wrong`: a DS record names one of the zone's keys, and its digest is not that key's
 * - `keys-missing`: the zone has no keys, and its parent says that it is signed
 * - `keys-not-signed`: the key that the DS stands for did not sign the zone's keys
 * - `denial-missing`: the answer that something is not there is not proven
 * - `wildcard-unproven`: a wildcard answered, and that the name itself is not there is not proven
 * - and what may be wrong with a signature
 */
export type ChainFlaw = (
  | {
      readonly code: "ds-without-key";
      readonly dsTags: readonly number[];
      readonly keyTags: readonly number[];
      /** How long the DS set may be remembered, in seconds. */
      readonly dsTtl?: number;
    }
  | { readonly code: "ds-digest-wrong"; readonly keyTag: number; readonly dsTtl?: number }
  | { readonly code: "keys-missing"; readonly dsTags: readonly number[]; readonly dsTtl?: number }
  | { readonly code: "keys-not-signed"; readonly dsTags: readonly number[] }
  | { readonly code: "denial-missing" }
  | { readonly code: "wildcard-unproven"; readonly wildcard: DomainName }
  | (SignatureFlaw & {
      /** How long the keys that were judged by may be remembered, in seconds. */
      readonly keysTtl?: number;
    })
) & { readonly zone: DomainName; readonly name: DomainName; readonly type: RecordType };

/**
 * What may be believed of an answer (RFC 4033 section 5).
 * - `secure`: signed from a trust anchor on, without a gap
 * - `insecure`: the parent of `zone` proves that it is not signed, or not in a way that anybody can check
 * - `bogus`: it should be signed, and is not, or not rightly: checking resolvers refuse it
 * - `indeterminate`: it could not be asked, or no trust anchor is known
 */
export type Verdict =
  | { readonly kind: "secure" /** Seconds since 1970 at which the first signature of the chain ends. */; readonly until: number }
  | { readonly kind: "insecure"; readonly zone: DomainName; readonly why: "no-ds" | "unknown-algorithm" | "too-costly" }
  | { readonly kind: "bogus"; readonly flaw: ChainFlaw }
  /** Somebody could not be asked; `because` is what happened. */
  | { readonly kind: "indeterminate"; readonly why: "unresolved"; readonly because: Clause }
  /** There is nothing to begin from, or no end. */
  | { readonly kind: "indeterminate"; readonly why: "no-anchor" | "endless" };

/** A zone whose keys are trusted, or why they are not. */
type Trust =
  | { readonly keys: readonly DataOf["DNSKEY"][]; readonly until: number; readonly keysTtl: number }
  | Exclude<Verdict, { kind: "secure" }>;

/** How many delegations, and how many aliases, are followed. */
const MAX_DEPTH = 60;
const MAX_ALIASES = 12;

const isTrusted = (trust: Trust): trust is Extract<Trust, { keys: unknown }> => "keys" in trust;

/** Follows chains of trust; what was found out about a zone is kept. */
export class ChainOfTrust {
  readonly #lookup: SignedLookup;
  readonly #anchors: readonly TrustAnchor[];
  readonly #now: number;
  readonly #zones = new Map<DomainName, Promise<Trust>>();

  /** @param now seconds since 1970 */
  constructor(lookup: SignedLookup, anchors: readonly TrustAnchor[], now: number) {
    this.#lookup = lookup;
    this.#anchors = anchors;
    this.#now = now;
  }

  /** Judges what the DNS says of a name and type. */
  async judge(name: DomainName, type: RecordType, aliases = 0): Promise<Verdict> {
    const answer = await this.#lookup.askSigned(name, type);
    const signer = answer.kind === "failed" ? undefined : signerOf(answer, name);
    const found = await this.#zoneOf(name, type, signer);
    if (!("zone" in found && "trust" in found)) return found;
    const { zone, trust } = found;
    if (answer.kind === "failed") return { kind: "indeterminate", why: "unresolved", because: answer.detail };
    const sets = setsOf(answer.answer);
    const about = { zone, name, type };
    const own = sets.find((set) => set.name === name && set.type === type);
    const alias = sets.find((set) => set.name === name && set.type === "CNAME");
    const wanted = own ?? alias;
    if (wanted === undefined) return this.#judgeDenial(answer, zone, trust, name, type);
    // An alias that a DNAME makes is not signed; the DNAME is (RFC 6672 section 5.3.1).
    const dname =
      own === undefined
        ? sets.find((set): set is RecordSet<DataOf["DNAME"]> => isOfType(set, "DNAME") && isBelow(name, set.name))
        : undefined;
    const checked = this.#verify(dname ?? wanted, answer.answer, zone, trust.keys);
    if ("flaw" in checked) {
      const { keysTtl } = trust;
      return { kind: "bogus", flaw: { ...checked.flaw, keysTtl, ...about, name: wanted.name, type: wanted.type } };
    }
    if (checked.wildcard !== undefined && dname === undefined) {
      const { nsec, nsec3 } = this.#denials(answer.authority, zone, trust.keys);
      if (!deniesName(nsec, nsec3, zone, name, checked.wildcard))
        return { kind: "bogus", flaw: { code: "wildcard-unproven", wildcard: checked.wildcard, ...about } };
    }
    let until = Math.min(trust.until, checked.expires);
    if (checked.wildcard !== undefined) until = Math.min(until, this.#denials(answer.authority, zone, trust.keys).until);
    if (own !== undefined) return { kind: "secure", until };
    // What the unsigned alias says is never taken; it is what the DNAME makes of the name.
    const to = dname?.data[0]?.target;
    const target =
      dname === undefined
        ? (alias as RecordSet<DataOf["CNAME"]>).data[0]?.target
        : to === undefined
          ? undefined
          : substituted(name, dname.name, to);
    if (target === undefined || aliases >= MAX_ALIASES) return { kind: "indeterminate", why: "endless" };
    const behind = await this.judge(target, type, aliases + 1);
    return behind.kind === "secure" ? { kind: "secure", until: Math.min(until, behind.until) } : behind;
  }

  /** The keys of the zone at which trust begins. Where they are others than those known, nothing can be said: it is another DNS. */
  #anchored({ zone, ds }: TrustAnchor): Promise<Trust> {
    let known = this.#zones.get(zone);
    if (known === undefined) {
      known = this.#fromDs(zone, ds, Number.POSITIVE_INFINITY).then((trust) =>
        !isTrusted(trust) && trust.kind === "bogus" ? { kind: "indeterminate", why: "no-anchor" } : trust,
      );
      this.#zones.set(zone, known);
    }
    return known;
  }

  /**
   * The zone that holds a name, from the trust anchor down: each label may be where a zone is delegated. Where a zone says that it
   * signed the answer, its keys will tell whether it did, and the labels below it need not be asked about.
   */
  async #zoneOf(
    name: DomainName,
    type: RecordType,
    signer: DomainName | undefined,
  ): Promise<
    { readonly zone: DomainName; readonly trust: Extract<Trust, { keys: unknown }> } | Exclude<Verdict, { kind: "secure" }>
  > {
    const anchor = this.#anchorOf(name);
    if (anchor === undefined) return { kind: "indeterminate", why: "no-anchor" };
    let zone = anchor.zone;
    let trust = await this.#anchored(anchor);
    // A DS record stands on the parent's side.
    const below = [...upwards(name)].filter((cut) => isBelow(cut, anchor.zone) && !(type === "DS" && cut === name)).reverse();
    if (below.length > MAX_DEPTH) return { kind: "indeterminate", why: "endless" };
    for (const cut of below) {
      if (!isTrusted(trust)) return trust;
      if (zone === signer) break;
      const cutTrust = await this.#cut(cut, zone, trust);
      if (cutTrust === "no-cut") continue;
      zone = cut;
      trust = cutTrust;
    }
    return isTrusted(trust) ? { zone, trust } : trust;
  }

  readonly #cuts = new Map<string, Promise<Trust | "no-cut">>();

  #cut(cut: DomainName, parent: DomainName, trust: Extract<Trust, { keys: unknown }>): Promise<Trust | "no-cut"> {
    const key = `${cut} ${parent}`;
    let known = this.#cuts.get(key);
    if (known === undefined) this.#cuts.set(key, (known = this.#findCut(cut, parent, trust)));
    return known;
  }

  /** Whether a zone is delegated at a name, and what may be believed of it. */
  async #findCut(cut: DomainName, parent: DomainName, trust: Extract<Trust, { keys: unknown }>): Promise<Trust | "no-cut"> {
    const answer = await this.#lookup.askSigned(cut, "DS");
    if (answer.kind === "failed") return { kind: "indeterminate", why: "unresolved", because: answer.detail };
    const sets = setsOf(answer.answer);
    const ds = sets.find((set): set is RecordSet<DataOf["DS"]> => set.name === cut && isOfType(set, "DS"));
    if (ds !== undefined) {
      const checked = this.#verify(ds, answer.answer, parent, trust.keys);
      if ("flaw" in checked) return { kind: "bogus", flaw: { ...checked.flaw, zone: parent, name: cut, type: "DS" } };
      return this.#fromDs(cut, ds.data, Math.min(trust.until, checked.expires), checked.ttl);
    }
    // A name that is an alias is not a zone.
    if (sets.some((set) => set.name === cut && set.type === "CNAME")) return "no-cut";
    switch (this.#denial(answer, parent, trust.keys, cut, "DS")) {
      case "unsigned-below":
        return { kind: "insecure", zone: cut, why: "no-ds" };
      case "too-costly":
        return { kind: "insecure", zone: parent, why: "too-costly" };
      case "no-type":
      case "no-name":
        return "no-cut";
      case undefined:
        return { kind: "bogus", flaw: this.#denialFlaw(answer, parent, trust.keys, cut, "DS") };
    }
  }

  #anchorOf(name: DomainName): TrustAnchor | undefined {
    const above = this.#anchors.filter(({ zone }) => isAtOrBelow(name, zone));
    return above.sort((a, b) => labelsOf(b.zone).length - labelsOf(a.zone).length)[0];
  }

  /** The keys of a zone, by the DS records that stand for one of them (RFC 4035 section 5.2). */
  async #fromDs(zone: DomainName, ds: readonly DataOf["DS"][], until: number, ttl?: number): Promise<Trust> {
    const usable = ds
      .slice(0, MAX_KEYS)
      .filter((delegationSigner) => ALGORITHMS.has(delegationSigner.algorithm) && DIGESTS.has(delegationSigner.digestType));
    if (usable.length === 0) return { kind: "insecure", zone, why: "unknown-algorithm" };
    const answer = await this.#lookup.askSigned(zone, "DNSKEY");
    if (answer.kind === "failed") return { kind: "indeterminate", why: "unresolved", because: answer.detail };
    if (answer.answer.length > 2 * MAX_KEYS) return { kind: "indeterminate", why: "endless" };
    const dsTags = [...new Set(usable.map((delegationSigner) => delegationSigner.keyTag))];
    const about = { zone, name: zone, type: "DNSKEY" } as const;
    const dsTtl = ttl === undefined ? {} : { dsTtl: ttl };
    const set = setsOf(answer.answer).find(
      (recordSet): recordSet is RecordSet<DataOf["DNSKEY"]> => recordSet.name === zone && isOfType(recordSet, "DNSKEY"),
    );
    if (set === undefined) return { kind: "bogus", flaw: { code: "keys-missing", dsTags, ...dsTtl, ...about } };
    const { entry, named } = keysOfDs(usable, zone, set.data);
    if (entry.length === 0) {
      const [{ keyTag: tag } = { keyTag: 0 }] = named;
      const flaw =
        named.length > 0
          ? ({ code: "ds-digest-wrong", keyTag: tag } as const)
          : ({ code: "ds-without-key", dsTags, keyTags: entryKeys(set.data).map(keyTag) } as const);
      return { kind: "bogus", flaw: { ...flaw, ...dsTtl, ...about } };
    }
    const checked = this.#verify(set, answer.answer, zone, entry);
    // Signed, and not by the key that the DS record stands for; everything else is what is wrong with the signature itself.
    if ("flaw" in checked)
      return {
        kind: "bogus",
        flaw: {
          ...(checked.flaw.code === "signature-key-missing" ? ({ code: "keys-not-signed", dsTags } as const) : checked.flaw),
          ...about,
        },
      };
    return { keys: set.data, until: Math.min(until, checked.expires), keysTtl: checked.ttl };
  }

  #verify(set: RecordSet, from: readonly ResourceRecord[], zone: DomainName, keys: readonly DataOf["DNSKEY"][]): Verified {
    return verifySet(set, signaturesAt(from, set.name), zone, keys, this.#now);
  }

  /** The NSEC and NSEC3 records that the zone signed. */
  #denials(from: readonly ResourceRecord[], zone: DomainName, keys: readonly DataOf["DNSKEY"][]) {
    const sets = setsOf(from).filter((set) => (isOfType(set, "NSEC") || isOfType(set, "NSEC3")) && isAtOrBelow(set.name, zone));
    let until = Number.POSITIVE_INFINITY;
    const verified = sets.slice(0, MAX_PROOFS).filter((set) => {
      const checked = this.#verify(set, from, zone, keys);
      if ("flaw" in checked) return false;
      until = Math.min(until, checked.expires);
      return true;
    });
    return {
      all: sets,
      until,
      nsec: verified.filter((set): set is RecordSet<DataOf["NSEC"]> => isOfType(set, "NSEC")),
      nsec3: verified.filter((set): set is RecordSet<DataOf["NSEC3"]> => isOfType(set, "NSEC3")),
    };
  }

  #denial(
    answer: Extract<SignedAnswer, { kind: "answer" }>,
    zone: DomainName,
    keys: readonly DataOf["DNSKEY"][],
    name: DomainName,
    type: RecordType,
  ): Denial {
    const { nsec, nsec3 } = this.#denials(answer.authority, zone, keys);
    const denied = nsec.length > 0 ? nsecDenial(nsec, zone, name, type) : nsec3Denial(nsec3, zone, name, type);
    // A name that exists is not to be called missing, nor the other way round.
    return denied === "no-name" && answer.exists && type !== "DS" ? undefined : denied;
  }

  /** Why a denial is not believed: the signature of one of its records does not count, or records are missing. */
  #denialFlaw(
    { authority }: Extract<SignedAnswer, { kind: "answer" }>,
    zone: DomainName,
    keys: readonly DataOf["DNSKEY"][],
    name: DomainName,
    type: RecordType,
  ): ChainFlaw {
    const soa = setsOf(authority).find((set) => set.type === "SOA");
    for (const set of [...this.#denials(authority, zone, keys).all, ...(soa === undefined ? [] : [soa])]) {
      const checked = this.#verify(set, authority, zone, keys);
      if ("flaw" in checked && checked.flaw.code !== "signature-missing")
        return { ...checked.flaw, zone, name: set.name, type: set.type };
    }
    return { code: "denial-missing", zone, name, type };
  }

  #judgeDenial(
    answer: Extract<SignedAnswer, { kind: "answer" }>,
    zone: DomainName,
    trust: Extract<Trust, { keys: unknown }>,
    name: DomainName,
    type: RecordType,
  ): Verdict {
    switch (this.#denial(answer, zone, trust.keys, name, type)) {
      case "no-name":
      case "no-type":
        return { kind: "secure", until: Math.min(trust.until, this.#denials(answer.authority, zone, trust.keys).until) };
      case "unsigned-below":
        return { kind: "insecure", zone, why: "no-ds" };
      case "too-costly":
        return { kind: "insecure", zone, why: "too-costly" };
      case undefined:
        return { kind: "bogus", flaw: this.#denialFlaw(answer, zone, trust.keys, name, type) };
    }
  }
}

/** The zone that says it signed an answer about a name; undefined where none does that could. */
function signerOf({ answer, authority }: Extract<SignedAnswer, { kind: "answer" }>, name: DomainName): DomainName | undefined {
  const own = signaturesAt(answer, name)[0] ?? authority.find((record) => record.type === "RRSIG")?.data;
  const signer = own === undefined ? undefined : (own as DataOf["RRSIG"]).signer;
  return signer !== undefined && isAtOrBelow(name, signer) ? signer : undefined;
}

/** DS records of a zone that are looked at, and half of what its keys and their signatures may be: no zone has as many. */
const MAX_KEYS = 64;

/** Keys of one zone that are hashed: more with the same tag are an attack on the time of the reader. */
const MAX_HASHED = 16;

/** The keys that DS records stand for, and the DS records that name a key of the zone, whatever their digest. Each key is hashed once. */
function keysOfDs(
  ds: readonly DataOf["DS"][],
  zone: DomainName,
  keys: readonly DataOf["DNSKEY"][],
): { readonly entry: readonly DataOf["DNSKEY"][]; readonly named: readonly DataOf["DS"][] } {
  const nameOf = (tag: number, algorithm: number) => `${tag} ${algorithm}`;
  const wanted = new Set(ds.map((record) => nameOf(record.keyTag, record.algorithm)));
  const candidates = keys.filter((key) => isZoneKey(key) && wanted.has(nameOf(keyTag(key), key.algorithm))).slice(0, MAX_HASHED);
  const digestTypes = [...new Set(ds.map(({ digestType }) => digestType))];
  const known = new Set(
    ds.map(({ keyTag: tag, algorithm, digestType, digest }) => `${tag} ${algorithm} ${digestType} ${digest}`),
  );
  const entry = candidates.filter((key) =>
    digestTypes.some((digestType) => {
      const own = dsFor(zone, key, digestType);
      return own !== undefined && known.has(`${own.keyTag} ${own.algorithm} ${digestType} ${own.digest}`);
    }),
  );
  const there = new Set(candidates.map((key) => nameOf(keyTag(key), key.algorithm)));
  return { entry, named: ds.filter((record) => there.has(nameOf(record.keyTag, record.algorithm))) };
}

/** The keys that a DS record may stand for: those marked as entry points, or all (RFC 4034 section 2.1.1). */
function entryKeys(keys: readonly DataOf["DNSKEY"][]): DataOf["DNSKEY"][] {
  const zoneKeys = keys.filter(isZoneKey);
  const marked = zoneKeys.filter(({ flags }) => (flags & 1) !== 0);
  return marked.length > 0 ? marked : zoneKeys;
}

/** NSEC and NSEC3 sets that one proof is worth. */
const MAX_PROOFS = 16;

/** The sets of a section, without signatures, which belong to them. */
const setsOf = (records: readonly ResourceRecord[]): RecordSet[] => toSets(records.filter(({ type }) => type !== "RRSIG"));

const signaturesAt = (records: readonly ResourceRecord[], name: DomainName): DataOf["RRSIG"][] =>
  records.flatMap((record) => (record.type === "RRSIG" && record.name === name ? [record.data as DataOf["RRSIG"]] : []));
