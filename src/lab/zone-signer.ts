import { generateKeyPairSync, type KeyObject, sign } from "node:crypto";
import type { Clock } from "../clock.ts";
import { DAY } from "../core/day.ts";
import { compareNames, dsFor, keyTag, ownerOctets, signedOctets } from "../core/dnssec/index.ts";
import { type DomainName, isBelow, labelsOf, parentOf, upwards, wildcardOf } from "../core/name/index.ts";
import type { DataOf, RecordSet, RecordType, ResourceRecord } from "../core/record/index.ts";
import type { Zone } from "../core/zone/index.ts";

/** ECDSA P-256 with SHA-256 (RFC 6605). */
const ALGORITHM = 13;

/** Signs one zone while it answers, with one key for everything, and proves what is not there by NSEC (RFC 4034, RFC 4035). */
export class ZoneSigner {
  readonly apex: DomainName;
  readonly key: DataOf["DNSKEY"];
  readonly #privateKey: KeyObject;
  readonly #clock: Clock;
  /** Since when nothing is signed again, in seconds since 1970: a host that forgot to. */
  stoppedAt: number | undefined;
  #chain: { readonly zone: Zone; readonly owners: readonly DomainName[] } | undefined;

  constructor(apex: DomainName, clock: Clock) {
    this.apex = apex;
    this.#clock = clock;
    const { privateKey, publicKey } = generateKeyPairSync("ec", { namedCurve: "P-256" });
    const { x = "", y = "" } = publicKey.export({ format: "jwk" });
    const octets = Buffer.concat([x, y].map((part) => Buffer.from(part, "base64url")));
    this.key = { flags: 257, protocol: 3, algorithm: ALGORITHM, key: octets.toString("hex") };
    this.#privateKey = privateKey;
  }

  /** The DS record that its parent has to publish. */
  get ds(): DataOf["DS"] {
    return dsFor(this.apex, this.key) as DataOf["DS"];
  }

  /** The signature of a set, valid for two weeks; what a wildcard made is signed as the wildcard. */
  signatureOf(set: RecordSet, madeFrom?: DomainName): ResourceRecord {
    const owner = madeFrom ?? set.name;
    const now = this.stoppedAt ?? Math.floor(this.#clock.now() / 1000);
    const labels = labelsOf(owner);
    const rrsig: DataOf["RRSIG"] = {
      covered: set.type,
      algorithm: ALGORITHM,
      labels: labels.length - (labels[0] === "*" ? 1 : 0),
      originalTtl: set.ttl,
      expiration: now + 14 * DAY,
      inception: now - DAY,
      keyTag: keyTag(this.key),
      signer: this.apex,
      signature: "",
    };
    const octets = signedOctets({ ...set, name: owner }, rrsig) as Buffer;
    const nonSharedBuffer = sign("sha256", octets, { key: this.#privateKey, dsaEncoding: "ieee-p1363" });
    return { name: set.name, type: "RRSIG", ttl: set.ttl, data: { ...rrsig, signature: nonSharedBuffer.toString("hex") } };
  }

  /** The wildcard that made an answer for a name; undefined where the name has records of its own. */
  madeFrom(zone: Zone, name: DomainName): DomainName | undefined {
    if (zone.names.has(name)) return undefined;
    const encloser = [...upwards(parentOf(name))].find((above) => zone.names.has(above));
    const wildcard = encloser === undefined ? undefined : wildcardOf(encloser);
    return wildcard !== undefined && zone.nodes.has(wildcard) ? wildcard : undefined;
  }

  /** NSEC records that prove that a name has no such type, or is not there, or only by a wildcard (RFC 4035 section 3.1.3). */
  denial(zone: Zone, name: DomainName): RecordSet[] {
    const owners = this.#ownersOf(zone);
    if (zone.nodes.has(name) && owners.includes(name)) return [this.#nsec(zone, owners, name)];
    const before = (of: DomainName) => owners.findLast((owner) => compareNames(owner, of) <= 0) ?? (owners.at(-1) as DomainName);
    const wildcard = this.madeFrom(zone, name);
    const encloser = [...upwards(parentOf(name))].find((above) => zone.names.has(above)) ?? this.apex;
    const proofs = new Set([before(name), wildcard ?? before(wildcardOf(encloser) ?? name)]);
    return [...proofs].map((owner) => this.#nsec(zone, owners, owner));
  }

  /** Names that have records, in order; what is below a delegation belongs to somebody else. */
  #ownersOf(zone: Zone): readonly DomainName[] {
    if (this.#chain?.zone !== zone) {
      const cuts = [...zone.nodes].filter(([name, node]) => name !== this.apex && node.has("NS")).map(([name]) => name);
      const owners = [...zone.nodes.keys()].filter((name) => !cuts.some((cut) => isBelow(name, cut)));
      this.#chain = { zone, owners: owners.sort(compareNames) };
    }
    return this.#chain.owners;
  }

  #nsec(zone: Zone, owners: readonly DomainName[], owner: DomainName): RecordSet {
    const next = owners[(owners.indexOf(owner) + 1) % owners.length] as DomainName;
    const types: RecordType[] = [...(zone.nodes.get(owner)?.keys() ?? []), "RRSIG", "NSEC"];
    const { minimum = 300 } = (zone.soa?.data[0] ?? {}) as { minimum?: number };
    const data = { next: { name: next, octets: ownerOctets(next).toString("hex") }, types };
    return { name: owner, type: "NSEC", ttl: Math.min(minimum, zone.soa?.ttl ?? minimum), data: [data] };
  }
}
