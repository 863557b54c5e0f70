import type { KeyObject } from "node:crypto";
import type { Clause } from "../clause/index.ts";
import type { SelectorCheck } from "../dkim/index.ts";
import type { Discovery, DmarcRecord, Permission, PublishedDmarc } from "../dmarc/index.ts";
import type { ChainFlaw, Verdict } from "../dnssec/index.ts";
import type { Answer, Authority, Lookup } from "../lookup/index.ts";
import type { DomainName } from "../name/index.ts";
import { type DataOf, decodeUtf8, type KnownType, txtValue } from "../record/index.ts";
import type { SiteCheck } from "../site/index.ts";
import type { lookupSpf, SpfRecord, SpfTree } from "../spf/index.ts";
import type { Area } from "./area.ts";

/** What the audit is told; everything else it asks the DNS for. */
export interface AuditInput {
  readonly domain: DomainName;
  /** The areas that are looked at; all of them where none is named. Nothing is asked for the others. */
  readonly areas?: readonly Area[];
  readonly role: "main" | "secondary" | "redirect" | "sending" | "parked" | undefined;
  /** The domain as its own servers show it, and everything else. */
  readonly lookup: Lookup;
  readonly world: Lookup;
  /** Seconds since 1970; without it nothing is said about what ends soon. */
  readonly now?: number;
  readonly authority: Authority;
  readonly organizationalDomain: (of: DomainName) => DomainName;
  /** Selectors that are known, with the private key where the workspace has it. */
  readonly selectors: readonly { readonly selector: string; readonly own?: KeyObject }[];
  /** Private keys that others on this machine may read. */
  readonly openKeyFiles: readonly string[];
  /** Asks of the workspace and where they stand. */
  readonly asks: readonly {
    readonly id: string;
    readonly state: string;
    readonly because: Clause;
    /** Whether it is as asked, and resolvers that check signatures refuse it. */
    readonly isRefused?: boolean;
  }[];
  /** What stood beside what was published, and is gone or was changed, a sentence each. */
  readonly missed?: readonly Clause[];
  /** Texts that asks want at the domain itself. */
  readonly wantedTexts: readonly string[];
  /** Titles of DNS hosts of the workspace that the domain is not delegated to. */
  readonly undelegatedHosts: readonly string[];
  /** Hosts below the domain that asks name, such as those of bounces. */
  readonly hosts: readonly DomainName[];
  /** Whether what the DNS says may be believed, by its signatures; undefined where that is not looked at. */
  readonly trust?: (name: DomainName, type: string) => Promise<Verdict>;
  /** The same, as one name server of the domain shows it. */
  readonly trustAt?: (server: string, name: DomainName, type: string) => Promise<Verdict>;
  /** The DS records as the parent's servers have them; asked like everything else where it is not given. */
  readonly dsAtParent?: () => Promise<Answer>;
  /** The keys as a name server, by its address, shows them; likewise. */
  readonly keysAt?: (server: string) => Promise<Answer>;
  /** Whether a name server, by its address, answers over TCP. */
  readonly takesTcp?: (server: string) => Promise<boolean>;
  /** Whether it takes questions with EDNS. */
  readonly takesEdns?: (server: string) => Promise<boolean>;
  /** What visitors meet at the names of the site; undefined where the web was not looked at. */
  readonly web?: readonly SiteCheck[] | undefined;
  /** Certificate issuers of the workspace. */
  readonly issuers: readonly { readonly title: string; readonly issuer: string }[];
  /** Includes that were replaced by addresses, as remembered. */
  readonly flattened: readonly { readonly term: string; readonly addresses: readonly string[] }[];
}

/** A question that nobody could answer. */
export interface Unresolved {
  readonly name: DomainName;
  readonly type: string;
  readonly because: Clause;
}

/** What is published at a name: its data of one type, empty where there are none. */
export interface Published<T extends KnownType> {
  readonly answer: Answer;
  readonly data: readonly DataOf[T][];
}

export interface Host {
  readonly name: DomainName;
  readonly a: Published<"A">;
  readonly aaaa: Published<"AAAA">;
  readonly addresses: readonly string[];
  /** The alias that stands at the name, where one does. */
  readonly alias: DomainName | undefined;
  /** Whether it is certain that the name has no address. */
  readonly hasNone: boolean;
}

/** Everything the rules judge. */
export interface Facts extends AuditInput {
  readonly unresolved: readonly Unresolved[];
  /** Whether the domain is meant to send mail; unknown roles are taken to. */
  readonly sends: boolean;
  readonly servers: readonly {
    readonly name: DomainName;
    readonly address: string;
    readonly soa: Published<"SOA">;
    readonly ns: Published<"NS">;
    /** False where it answers over UDP, and over TCP it does not. */
    readonly takesTcp: boolean;
    /** False where it answers, and only to questions without EDNS. */
    readonly takesEdns: boolean;
    /** What it shows of the sets that are the same at every server. */
    readonly shows: readonly { readonly name: DomainName; readonly type: string; readonly answer: Answer }[];
  }[];
  readonly nameServers: readonly Host[];
  readonly apex: Host;
  readonly www: Host;
  readonly soa: Published<"SOA">;
  readonly ns: Published<"NS">;
  readonly mx: Published<"MX">;
  readonly exchanges: readonly (Host & { readonly preference: number })[];
  readonly caa: Published<"CAA">;
  readonly ds: Answer;
  readonly dnskey: Answer;
  /** What may be believed of the domain, of each set that is relied on, and of a name that nobody made. */
  readonly chains: readonly Verdict[];
  /** The sets that resolvers which check signatures refuse. */
  readonly refused: readonly { readonly name: DomainName; readonly type: string }[];
  /** Name servers whose signatures do not verify, where the domain as a whole is signed rightly. */
  readonly badServers: readonly { readonly name: DomainName; readonly flaw: ChainFlaw }[];
  /** What the zone asks its parent to put in the place of its DS records. */
  readonly cds: Answer;
  readonly type99: Answer;
  /** Texts at the domain itself. */
  readonly txt: Published<"TXT">;
  readonly texts: readonly string[];
  /** What a name that nobody made answers with. */
  readonly anyA: Published<"A">;
  readonly anyTxt: Published<"TXT">;
  readonly anyMx: Published<"MX">;
  readonly anyKey: Published<"TXT">;
  readonly anyDmarc: Published<"TXT">;
  /** Names at which the domain was written twice, and which therefore should not be there. */
  readonly doubled: readonly DomainName[];
  readonly spfTexts: readonly string[];
  readonly spf: Awaited<ReturnType<typeof lookupSpf>>;
  readonly spfTree: SpfTree | undefined;
  /** The addresses remembered includes stand for today. */
  readonly flattenedNow: readonly { readonly term: string; readonly before: readonly string[]; readonly now: SpfTree }[];
  readonly keys: readonly SelectorCheck[];
  readonly publishedDmarc: PublishedDmarc;
  readonly dmarc: Discovery;
  readonly dmarcByList: Discovery;
  readonly dmarcRecord: DmarcRecord | undefined;
  readonly destinations: readonly {
    readonly destination: DomainName;
    readonly permission: Permission;
    readonly takesMail: boolean | undefined;
  }[];
  readonly mtaSts: Published<"TXT">;
  readonly mtaStsHost: Host;
  readonly tlsRpt: Published<"TXT">;
  /** Texts of MTA-STS and TLS reporting at names that nobody looks at. */
  readonly misplaced: readonly { readonly name: DomainName; readonly right: DomainName; readonly text: string }[];
  /** DMARC records of hosts below the domain. */
  readonly subPolicies: readonly { readonly name: DomainName; readonly record: DmarcRecord }[];
  /** Hosts below the domain that take bounces, and whether SPF lets anybody send with them as the return path. */
  readonly returnPaths: readonly { readonly name: DomainName; readonly spf: Awaited<ReturnType<typeof lookupSpf>> }[];
  /** Single addresses the SPF record names, and whether their names lead back to them. */
  readonly reverse: readonly { readonly address: string; readonly met: boolean | undefined; readonly because: Clause }[];
}

/** Whether an SPF record lets anybody pass by its own terms. */
export const letsSomebodyPass = ({ terms }: SpfRecord): boolean =>
  terms.some((term) => (term.kind === "modifier" ? term.name === "redirect" : term.qualifier === "+"));

/**
 * Whether mail passes SPF with a return path at a host below the domain: receivers look at that host alone, and it counts for the domain
 * unless the policy says that only the very same name does (RFC 7489 section 3.1.2).
 */
export const passesByReturnPath = ({ returnPaths, dmarcRecord }: Facts): boolean =>
  dmarcRecord?.spfAlignment !== "strict" && returnPaths.some(({ spf }) => "record" in spf && letsSomebodyPass(spf.record));

/** The texts among them. */
export const textsIn = (published: Published<"TXT">): string[] => published.data.map((data) => decodeUtf8(txtValue(data)));
