import type { DomainName } from "../name/index.ts";

/**
 * The data of each record type that has a shape of its own. An *octet string* is a JavaScript string in
 * which every character stands for one octet (0 to 255), because DNS text has no character set.
 */
export interface DataOf {
  /** RFC 1035 section 3.4.1; dotted decimal. */
  readonly A: { readonly address: string };
  /** RFC 3596 section 2.2; in the spelling of RFC 5952. */
  readonly AAAA: { readonly address: string };
  /** RFC 1035 section 3.3.1. */
  readonly CNAME: { readonly target: DomainName };
  /** RFC 6672 section 2.1. */
  readonly DNAME: { readonly target: DomainName };
  /** RFC 1035 section 3.3.11. */
  readonly NS: { readonly target: DomainName };
  /** RFC 1035 section 3.3.12. */
  readonly PTR: { readonly target: DomainName };
  /** RFC 1035 section 3.3.9. */
  readonly MX: { readonly preference: number; readonly exchange: DomainName };
  /** RFC 1035 section 3.3.13; times in seconds. */
  readonly SOA: {
    readonly primary: DomainName;
    readonly contact: DomainName;
    readonly serial: number;
    readonly refresh: number;
    readonly retry: number;
    readonly expire: number;
    readonly minimum: number;
  };
  /** RFC 1035 section 3.3.14; octet strings of at most 255 octets. */
  readonly TXT: { readonly strings: readonly string[] };
  /** Like TXT, and no longer read by anybody (RFC 7208 section 3.1). */
  readonly SPF: { readonly strings: readonly string[] };
  /** RFC 8659 section 4.1; `value` is an octet string. */
  readonly CAA: { readonly flags: number; readonly tag: string; readonly value: string };
  /** RFC 2782. */
  readonly SRV: { readonly priority: number; readonly weight: number; readonly port: number; readonly target: DomainName };
  /** RFC 6698 section 2.1; `certificate` in lower-case hexadecimal. */
  readonly TLSA: { readonly usage: number; readonly selector: number; readonly matching: number; readonly certificate: string };
  /** RFC 4034 section 5.1; `digest` in lower-case hexadecimal. */
  readonly DS: DelegationSigner;
  /** RFC 4034 section 2.1; `key` in lower-case hexadecimal. */
  readonly DNSKEY: ZoneKey;
  /** RFC 4034 section 3.1; `expiration` and `inception` in seconds since 1970, modulo 2^32; `signature` in lower-case hexadecimal. */
  readonly RRSIG: {
    readonly covered: RecordType;
    readonly algorithm: number;
    readonly labels: number;
    readonly originalTtl: number;
    readonly expiration: number;
    readonly inception: number;
    readonly keyTag: number;
    readonly signer: DomainName;
    readonly signature: string;
  };
  /** RFC 4034 section 4.1. */
  readonly NSEC: { readonly next: SpelledName; readonly types: readonly RecordType[] };
  /** RFC 5155 section 3.2; `salt` and `next` (the hash of the next owner) in lower-case hexadecimal. */
  readonly NSEC3: {
    readonly hash: number;
    readonly flags: number;
    readonly iterations: number;
    readonly salt: string;
    readonly next: string;
    readonly types: readonly RecordType[];
  };
  /** RFC 5155 section 4.2. */
  readonly NSEC3PARAM: {
    readonly hash: number;
    readonly flags: number;
    readonly iterations: number;
    readonly salt: string;
  };
  /** What the DS at the parent should become (RFC 7344 section 3.1). */
  readonly CDS: DelegationSigner;
  /** The same as keys (RFC 7344 section 3.2). */
  readonly CDNSKEY: ZoneKey;
  /** Where a service is, and how it is spoken to (RFC 9460 section 2.2); 0 as priority makes it an alias. */
  readonly SVCB: ServiceBinding;
  /** The same for web servers (RFC 9460 section 9). */
  readonly HTTPS: ServiceBinding;
  /** RFC 4255 section 3.1; `fingerprint` in lower-case hexadecimal. */
  readonly SSHFP: { readonly algorithm: number; readonly fingerprintType: number; readonly fingerprint: string };
  /** RFC 3403 section 4.1; octet strings. */
  readonly NAPTR: {
    readonly order: number;
    readonly preference: number;
    readonly flags: string;
    readonly services: string;
    readonly regexp: string;
    readonly replacement: DomainName;
  };
  /** RFC 1876 section 2. */
  readonly LOC: { readonly location: Location };
  /** RFC 1035 section 3.3.2; octet strings. */
  readonly HINFO: { readonly cpu: string; readonly system: string };
  /** RFC 1183 section 2.2. */
  readonly RP: { readonly mailbox: DomainName; readonly texts: DomainName };
  /** RFC 4398 section 2; `certificate` in lower-case hexadecimal. */
  readonly CERT: { readonly kind: number; readonly keyTag: number; readonly algorithm: number; readonly certificate: string };
  /** RFC 8162 section 2. */
  readonly SMIMEA: DataOf["TLSA"];
  /** RFC 7929 section 2.1; in lower-case hexadecimal. */
  readonly OPENPGPKEY: { readonly key: string };
  /** RFC 7477 section 2.1. */
  readonly CSYNC: { readonly serial: number; readonly flags: number; readonly types: readonly RecordType[] };
  /** RFC 8976 section 2.2; `digest` in lower-case hexadecimal. */
  readonly ZONEMD: { readonly serial: number; readonly scheme: number; readonly hash: number; readonly digest: string };
  /** RFC 7553 section 4.5; `uri` is an octet string. */
  readonly URI: { readonly priority: number; readonly weight: number; readonly uri: string };
}

interface ServiceBinding {
  readonly priority: number;
  /** The root: the owner of the record itself. */
  readonly host: SpelledName;
  readonly parameters: readonly ServiceParameter[];
}

/** A parameter of a service binding; `value` as zone files write it between quotes, as an octet string (RFC 9460 section 2.1). */
export interface ServiceParameter {
  readonly key: string;
  readonly value: string;
}

/** Thousandths of a second of arc, north and east of 0, and centimetres. */
export interface Location {
  readonly latitude: number;
  readonly longitude: number;
  readonly altitude: number;
  readonly size: number;
  readonly horizontal: number;
  readonly vertical: number;
}

interface DelegationSigner {
  readonly keyTag: number;
  readonly algorithm: number;
  readonly digestType: number;
  readonly digest: string;
}

interface ZoneKey {
  readonly flags: number;
  readonly protocol: number;
  readonly algorithm: number;
  readonly key: string;
}

/** A name with its octets as they came, in hexadecimal: where a signature covers it, the case of letters counts (RFC 6840 section 5.1). */
export interface SpelledName {
  readonly name: DomainName;
  readonly octets: string;
}

export type KnownType = keyof DataOf;

/** The data of a type without a shape here: its octets in lower-case hexadecimal (RFC 3597). */
interface UnknownData {
  readonly rdata: string;
}

/** The mnemonic of a record type in upper case: `TXT`, `TYPE65280`. */
export type RecordType = KnownType | (string & {});

/** The data of one record, without its type. */
export type RecordData = DataOf[KnownType] | UnknownData;

/** One resource record (RFC 1035 section 3.2.1), class IN; `ttl` in seconds. */
export interface ResourceRecord<D extends RecordData = RecordData> {
  readonly name: DomainName;
  readonly type: RecordType;
  readonly ttl: number;
  readonly data: D;
}

/** All records of one name and type, which share one TTL (RFC 2181 section 5.2); never empty. */
export interface RecordSet<D extends RecordData = RecordData> {
  readonly name: DomainName;
  readonly type: RecordType;
  readonly ttl: number;
  readonly data: readonly D[];
}
