import { dmarcNameOf, type Policy } from "../dmarc/index.ts";
import type { DomainName } from "../name/index.ts";
import {
  type DataOf,
  decodeUtf8,
  isOfType,
  octetsOf,
  type RecordSet,
  type ResourceRecord,
  recordsOf,
  splitCharacterStrings,
  toSets,
  txtValue,
} from "../record/index.ts";
import type { WebProof } from "../site/index.ts";
import { isSpf, readSpfRecord, type SpfRecord } from "../spf/index.ts";

interface InDns {
  /** Where it is wanted; absolute. */
  readonly name: DomainName;
  /** Seconds. */
  readonly ttl: number;
}

/** Records that have to be there to the letter, one set a name and type. */
export interface RecordsWant extends RecordSet {
  readonly kind: "records";
}

/** Terms that the one SPF record of a name has to hold (RFC 7208 section 3.2). */
export interface SpfWant extends InDns {
  readonly kind: "spf-terms";
  readonly type: "TXT";
  /** The terms; a record that ends with `all` also says how a first record ends. */
  readonly record: SpfRecord;
  /** Terms that must not be in it any more, because those of this wish stand in their place. */
  readonly without?: SpfRecord;
  /** The terms as its ask asks for them, where another ask has put others in the place of some. */
  readonly asked?: SpfRecord;
}

/** A DMARC policy that is at least this strict; `none` is met by every record that can be used. */
export interface DmarcWant extends InDns {
  readonly kind: "dmarc-minimum";
  readonly type: "TXT";
  readonly policy: Policy;
}

/** Records that must not be there any more, because the service's page says so. */
export interface AbsentWant extends RecordSet {
  readonly kind: "absent";
}

/** A proof on the web, where the service looks at the site instead of the DNS. */
interface WebWant {
  readonly kind: "web";
  readonly proof: WebProof;
}

/** What an ask wants in the DNS. */
export type DnsWant = RecordsWant | SpfWant | DmarcWant | AbsentWant;

/** What an ask wants. */
export type Want = DnsWant | WebWant;

/** The SPF terms that a text asks for; undefined where it is not an SPF record, or one that cannot be read. */
function spfWant(text: string, name: DomainName, ttl: number): SpfWant | undefined {
  const read = isSpf(text) ? readSpfRecord(text) : undefined;
  return read?.ok === true ? { kind: "spf-terms", name, type: "TXT", ttl, record: read.value } : undefined;
}

/**
 * Reads wishes out of records as a zone writes them: a text that is an SPF record is wanted as its terms, because a
 * name has one SPF record only (RFC 7208 section 3.2); everything else is wanted to the letter.
 */
export function wantsOf(records: readonly ResourceRecord[]): DnsWant[] {
  return toSets(records).flatMap((set): DnsWant[] => {
    if (!isOfType(set, "TXT")) return [{ kind: "records", ...set }];
    const terms = set.data.flatMap((data) => spfWant(decodeUtf8(txtValue(data)), set.name, set.ttl) ?? []);
    const literal = set.data.filter((data) => spfWant(decodeUtf8(txtValue(data)), set.name, set.ttl) === undefined);
    return [...(literal.length === 0 ? [] : [{ kind: "records" as const, ...set, data: literal }]), ...terms];
  });
}

const textSet = ({ name, ttl }: InDns, text: string): RecordSet<DataOf["TXT"]> => ({
  name,
  type: "TXT",
  ttl,
  data: [{ strings: splitCharacterStrings(octetsOf(text)) }],
});

/** Reads wishes that records go. */
export const absentOf = (records: readonly ResourceRecord[]): AbsentWant[] =>
  toSets(records).map((set) => ({ kind: "absent", ...set }));

/** The records that would meet a wish by themselves. */
export function asRecords(want: DnsWant): RecordSet {
  switch (want.kind) {
    case "absent":
      return { name: want.name, type: want.type, ttl: want.ttl, data: [] };
    case "records":
      return { name: want.name, type: want.type, ttl: want.ttl, data: want.data };
    case "spf-terms":
      return textSet(want, want.record.text);
    case "dmarc-minimum":
      return textSet(want, `v=DMARC1; p=${want.policy}`);
  }
}

/** Every record that would meet what an ask wants in the DNS, one by one. */
export const recordsWanted = (wants: readonly Want[]): ResourceRecord[] =>
  dnsWants(wants).flatMap((want) => recordsOf(asRecords(want)));

/** The same wishes as their ask asks for them, whatever another ask has put in the place of some terms. */
export const asAsked = (wants: readonly Want[]): Want[] =>
  wants.map((want) => (want.kind === "spf-terms" ? { ...want, record: want.asked ?? want.record } : want));

/** What is wanted in the DNS. */
export const dnsWants = (wants: readonly Want[]): DnsWant[] => wants.filter((want): want is DnsWant => want.kind !== "web");

/** The proof that is wanted on the web, where one is. */
export const webProofOf = (wants: readonly Want[]): WebProof | undefined => wants.find((want) => want.kind === "web")?.proof;

/** Where the DMARC record of a domain stands. */
export const dmarcName = (domain: DomainName): DomainName => dmarcNameOf(domain) as DomainName;

/** How many records, terms, policies and proofs an ask wants. */
export const wantedCount = ({
  records,
  ...others
}: {
  readonly records: readonly unknown[];
  readonly spf?: string;
  readonly dmarc?: string;
  readonly web?: object;
}): number => records.length + [others.spf, others.dmarc, others.web].filter((want) => want !== undefined).length;
