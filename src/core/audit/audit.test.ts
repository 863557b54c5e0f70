import { generateKeyPairSync } from "node:crypto";
import { describe, expect, test } from "@jest/globals";
import { SAID_CATALOGUE, sayFinding, sayRight } from "../../present/audit/findings.ts";
import { allInWords } from "../../present/clauses/index.ts";
import { verbatim } from "../clause/index.ts";
import { keyRecordText } from "../dkim/index.ts";
import type { ChainFlaw } from "../dnssec/index.ts";
import { type Authority, failed, type Lookup, zoneLookup } from "../lookup/index.ts";
import { name } from "../name/index.ts";
import { checksOf, type SiteCheck } from "../site/index.ts";
import { organizationalDomain } from "../suffix/index.ts";
import { readZone, zonesOf } from "../zone/index.ts";
import { type Area, type AuditInput, audit, CATALOGUE, type Finding } from "./index.ts";

const B = "brackwater.example";
const rsa = (bits: number): string => {
  const text = keyRecordText(generateKeyPairSync("rsa", { modulusLength: bits }).publicKey);
  return `"${text.slice(0, 200)}" "${text.slice(200)}"`;
};
const KEY = rsa(2048);
const ED = keyRecordText(generateKeyPairSync("ed25519").publicKey);

/** A domain about which there is nothing to say. */
const SOUND: Readonly<Record<string, string>> = {
  soa: "@ SOA ns1.nettlehost.example. hostmaster 7 7200 900 1209600 900",
  ns1: "@ NS ns1.nettlehost.example.",
  ns2: "@ NS ns2.nettlehost.example.",
  a: "@ A 192.0.2.80",
  www: "www A 192.0.2.80",
  mx1: "@ MX 10 mx1.inglemail.example.",
  mx2: "@ MX 20 mx2.inglemail.example.",
  spf: '@ TXT "v=spf1 ip4:192.0.2.25 -all"',
  k1: `k1._domainkey TXT ${KEY}`,
  k2: `k2._domainkey TXT "${ED}"`,
  dmarc: '_dmarc TXT "v=DMARC1; p=reject; rua=mailto:dmarc@brackwater.example"',
  caa: '@ CAA 0 issue "sealbarrow.example"',
  sts: '_mta-sts TXT "v=STSv1; id=20260302"',
  stsHost: "mta-sts A 192.0.2.80",
  tls: '_smtp._tls TXT "v=TLSRPTv1; rua=mailto:tls@brackwater.example"',
};
const AROUND = `$TTL 3600
. SOA a. b. 1 1 1 1 60
ns1.nettlehost.example. A 198.51.100.2
ns1.nettlehost.example. AAAA 2001:db8::2
ns2.nettlehost.example. A 203.0.113.2
mx1.inglemail.example. A 192.0.2.25
mx2.inglemail.example. A 192.0.2.26
lists.inglemail.example. CNAME mx1.inglemail.example.
inside.inglemail.example. A 10.0.0.7
heronpost.example. A 198.51.100.64
spf.heronpost.example. TXT "v=spf1 ip4:198.51.100.64/27 ~all"
broken.heronpost.example. TXT "v=spf1 ipv4:198.51.100.64 ~all"
twice.heronpost.example. TXT "v=spf1 -all"
twice.heronpost.example. TXT "v=spf1 ~all"
open.heronpost.example. TXT "v=spf1 +all"
ring.heronpost.example. TXT "v=spf1 include:ring.heronpost.example -all"
25.2.0.192.in-addr.arpa. PTR mx1.inglemail.example.
`;

const NOW = Date.parse("2026-03-02T09:00:00Z") / 1000;
const flawed = (flaw: ChainFlaw): Case => ({ input: { trust: async () => ({ kind: "bogus", flaw }) } });
const about = { zone: name(B), name: name(B), type: "TXT" } as const;

interface Case {
  /** Records by key; a key of the sound zone is replaced, the empty text takes it out. */
  readonly zone?: Readonly<Record<string, string>>;
  readonly input?: Partial<AuditInput>;
  /** Names of the world that nobody answers for. */
  readonly silent?: RegExp;
}

async function look({ zone = {}, input = {}, silent }: Case, asked = new Set<string>()) {
  const lines = Object.values({ ...SOUND, ...zone }).filter((line) => line !== "");
  const text = `${AROUND}$ORIGIN ${B}.\n${lines.join("\n")}\n`;
  const zones = zonesOf(readZone(text));
  const plain = zoneLookup(zones);
  const lookup: Lookup = {
    ask: async (at, type) =>
      asked.add(at) && silent?.test(at) ? failed("timeout", verbatim(`${at} is silent`)) : plain.ask(at, type),
  };
  const authority: Authority = {
    kind: "delegated",
    apex: name(B),
    unreachable: [],
    ttl: 3600,
    servers: ["ns1", "ns2"].map((server) => ({ name: name(`${server}.nettlehost.example`), address: "198.51.100.2", lookup })),
  };
  return audit({
    domain: name(B),
    role: "main",
    lookup,
    world: lookup,
    now: NOW,
    trust: async () => ({ kind: "indeterminate", why: "no-anchor" }),
    authority,
    dsAtParent: async () => {
      if (silent?.test(name(B)) === true) return failed("timeout", verbatim("the parent is silent"));
      const set = zones
        .find(({ apex }) => apex === name(B))
        ?.nodes.get(name(B))
        ?.get("DS");
      const common = { chain: [], authoritative: true };
      return set === undefined ? { kind: "nodata", ...common } : { kind: "found", set, ...common };
    },
    organizationalDomain,
    selectors: [],
    openKeyFiles: [],
    asks: [],
    wantedTexts: [],
    undelegatedHosts: [],
    hosts: [],
    web: undefined,
    issuers: [],
    flattened: [],
    ...input,
  });
}

/** A server of the delegation that answers like this. */
const servers = (...lookups: Lookup[]): Authority => ({
  kind: "delegated",
  apex: name(B),
  unreachable: [],
  ttl: 60,
  servers: lookups.map((lookup, i) => ({ name: name(`ns${i + 1}.nettlehost.example`), address: `198.51.100.${i + 2}`, lookup })),
});
const silence: Lookup = { ask: async () => failed("timeout", verbatim("nobody answers")) };
const refusal: Lookup = { ask: async () => failed("refused", verbatim("not mine")) };
const serving = (serial: number, more = ""): Lookup =>
  zoneLookup(
    zonesOf(
      readZone(
        `$ORIGIN ${B}.\n$TTL 60\n@ SOA a. b. ${serial} 7200 900 1209600 900\n@ NS ns1.nettlehost.example.\n@ NS ns2.nettlehost.example.\n${more}\n`,
      ),
    ),
  );
const spf = (text: string): Case => ({ zone: { spf: `@ TXT "${text}"` } });
const dmarc = (text: string): Case => ({ zone: { dmarc: `_dmarc TXT "${text}"` } });
const key = (text: string): Case => ({ zone: { k1: `k1._domainkey TXT ${text}` }, input: { selectors: [{ selector: "k1" }] } });
const ask = (state: string): Case => ({ input: { asks: [{ id: "seekmere-ownership", state, because: verbatim("so it is") }] } });
const RUA = "rua=mailto:dmarc@brackwater.example";
const parked = (zone: Record<string, string>): Case => ({
  zone: {
    spf: '@ TXT "v=spf1 -all"',
    mx1: "@ MX 0 .",
    mx2: "",
    k1: "",
    k2: "",
    dmarc: '_dmarc TXT "v=DMARC1; p=reject"',
    wild: '*._domainkey TXT "v=DKIM1; p="',
    ...zone,
  },
  input: { role: "parked" },
});
const P = KEY.replaceAll('"', "")
  .replace(/ (?=[^ ]*$)/, "")
  .replace(/.*p=/, "");

/** A name inside a zone, where there is nothing. */
const NOBODY: Lookup = { ask: async () => ({ kind: "nxdomain", chain: [], authoritative: true }) };
const INSIDE: Authority = { kind: "within", zone: name("example"), servers: [], because: verbatim("nobody has it") };
const NOT_THERE = { input: { authority: INSIDE, lookup: NOBODY, world: NOBODY } };

const CASES: readonly (readonly [id: string, shows: Case])[] = [
  ["dnssec-ds-foreign", flawed({ code: "ds-without-key", dsTags: [4711], keyTags: [815], ...about })],
  ["ds-without-key", flawed({ code: "keys-missing", dsTags: [4711], ...about })],
  ["dnssec-signature", flawed({ code: "signature-expired", at: NOW - 86_400, keyTag: 815, ...about })],
  ["dnssec-denial", flawed({ code: "denial-missing", ...about })],
  ["dnssec-wildcard", { zone: { wild: '* TXT "hello"' }, input: { trust: async () => ({ kind: "secure", until: NOW + 9e6 }) } }],
  ["dnssec-denial", flawed({ code: "wildcard-unproven", wildcard: name(`*.${B}`), ...about })],
  ["dnssec-ends-soon", { input: { trust: async () => ({ kind: "secure", until: NOW + 86_400 }) } }],
  ["dnssec-outdated-algorithm", { zone: { key: "@ DNSKEY 257 3 7 AQID" } }],
  ["dnssec-unknown-algorithm", { input: { trust: async () => ({ kind: "insecure", zone: name(B), why: "unknown-algorithm" }) } }],
  [
    "dnssec-server-differs",
    {
      input: {
        authority: servers(serving(1), serving(1)),
        trust: async () => ({ kind: "secure", until: NOW + 9e6 }),
        trustAt: async (server) =>
          server === "198.51.100.2"
            ? { kind: "bogus", flaw: { code: "signature-expired", at: NOW - 86_400, keyTag: 815, ...about } }
            : { kind: "secure", until: NOW + 9e6 },
      },
    },
  ],
  ["dnssec-key-change", { zone: { cds: `@ CDS 4711 13 2 ${"ab".repeat(32)}` } }],
  ["dnssec-keys-large", { zone: { keys: `@ DNSKEY 257 3 8 ${"A".repeat(1600)}` } }],
  ["dnssec-costly", { input: { trust: async () => ({ kind: "insecure", zone: name(B), why: "too-costly" }) } }],
  [
    "dnssec-unused",
    {
      zone: { key: "@ DNSKEY 257 3 13 mdsswUyr3DPW132mOi8V9xESWE8jTo0dxCjjnopKl+GqJxpVXckHAeF+KkxLbxILfDLUT0rAK9iUzy1L53eKGQ==" },
    },
  ],
  ["dmarc-subdomain-weaker", { zone: { sub: '_dmarc.news TXT "v=DMARC1; p=none; rua=mailto:dmarc@brackwater.example"' } }],
  ["transport-misplaced", { zone: { tls: '_smtp-tls TXT "v=TLSRPTv1; rua=mailto:tls@brackwater.example"' } }],
  ["spf-return-path", { zone: { bounce: "bounce MX 10 mx1.inglemail.example." } }],
  ["spf-quotes", { zone: { spf: `@ TXT "\\"v=spf1 ip4:192.0.2.25 -all\\""` } }],
  [
    "delegation-missing",
    { input: { authority: { kind: "not-delegated", parent: name("example"), because: verbatim("nobody has it") } } },
  ],
  ["delegation-unanswered", { input: { authority: servers(silence, silence) } }],
  ["server-silent", { input: { authority: servers(serving(1), silence) } }],
  ["server-lame", { input: { authority: servers(serving(1), refusal) } }],
  ["server-no-tcp", { input: { takesTcp: async () => false } }],
  ["server-no-edns", { input: { takesEdns: async () => false } }],
  ["answers-differ", { input: { authority: servers(serving(1, '@ TXT "a"'), serving(1, '@ TXT "b"')) } }],
  ["answers-differ", { input: { authority: servers(serving(1), serving(1, "@ MX 10 mx1.inglemail.example.")) } }],
  [
    "glue-differs",
    {
      zone: { ns1: "@ NS ns.own", own: "ns.own A 192.0.2.53" },
      input: {
        authority: {
          kind: "delegated",
          apex: name(B),
          servers: [{ name: name(`ns.own.${B}`), address: "192.0.2.99", lookup: serving(1) }],
          unreachable: [],
          ttl: 60,
        },
      },
    },
  ],
  [
    "server-unfound",
    {
      input: {
        authority: {
          kind: "delegated",
          apex: name(B),
          servers: [],
          unreachable: [{ name: name("ns9.example"), because: verbatim("no address") }],
          ttl: 60,
        },
      },
    },
  ],
  ["one-server", { zone: { ns2: "" }, input: { authority: servers(serving(1)) } }],
  ["ns-mismatch", { zone: { ns2: "@ NS ns3.nettlehost.example." } }],
  ["ns-alias", { zone: { ns2: "@ NS lists.inglemail.example." } }],
  ["ns-no-address", { zone: { ns2: "@ NS ns9.nettlehost.example." } }],
  ["ns-same-network", { zone: { ns1: "@ NS mx1.inglemail.example.", ns2: "@ NS mx2.inglemail.example." } }],
  ["serial-differs", { input: { authority: servers(serving(1), serving(2)) } }],
  ["soa-missing", { zone: { soa: "", ns1: "", ns2: "" } }],
  ["soa-retry", { zone: { soa: "@ SOA a b 1 900 7200 1209600 900" } }],
  ["soa-expire", { zone: { soa: "@ SOA a b 1 7200 900 86400 900" } }],
  ["negative-ttl-long", { zone: { soa: "@ SOA a b 1 7200 900 1209600 86400" } }],
  ["ns-ttl-long", { zone: { ns1: "@ 604800 NS ns1.nettlehost.example.", ns2: "@ 604800 NS ns2.nettlehost.example." } }],
  ["no-ipv6-server", { zone: { ns1: "@ NS ns2.nettlehost.example." } }],
  ["host-differs", { input: { undelegatedHosts: ["Zonemarrow"] } }],
  ["ds-without-key", { zone: { ds: `@ DS 1 13 2 ${"ab".repeat(32)}` } }],
  [
    "alias-at-apex",
    { zone: { a: "@ CNAME mx1.inglemail.example.", soa: "", ns1: "", ns2: "", mx1: "", mx2: "", spf: "", caa: "" } },
  ],
  ["wildcard-address", { zone: { wild: "* A 192.0.2.1" } }],
  ["wildcard-alias", { zone: { wild: "* CNAME mx1.inglemail.example." } }],
  ["wildcard-text", { zone: { wild: '* TXT "hello"' } }],
  ["wildcard-spf", { zone: { wild: '* TXT "v=spf1 -all"' } }],
  ["wildcard-mail", { zone: { wild: "* MX 10 mx1.inglemail.example." } }],
  ["wildcard-key", { zone: { wild: '*._domainkey TXT "hello"' } }],
  ["wildcard-dmarc", { zone: { wild: '* TXT "hello"' } }],
  ["ask-astray", ask("astray")],
  [
    "ask-refused",
    { input: { asks: [{ id: "seekmere-ownership", state: "astray", because: verbatim("it ended"), isRefused: true }] } },
  ],
  ["name-missing", NOT_THERE],
  ["record-missed", { input: { missed: [verbatim("the MX record is gone")] } }],
  ["ask-lapsed", ask("lapsed")],
  ["ask-clashing", ask("clashing")],
  ["ask-open", ask("noted")],
  ["ask-waiting", ask("waiting")],
  ["token-twice", { zone: { t1: '@ TXT "seekmere-owner=1"', t2: '@ TXT "seekmere-owner=2"' } }],
  [
    "token-unknown",
    { zone: { t1: '@ TXT "seekmere-owner=1"' }, input: { asks: [{ id: "x", state: "settled", because: verbatim("") }] } },
  ],
  ["texts-large", { zone: { t1: `@ TXT "${"x".repeat(250)}"`, t2: `@ TXT "${"y".repeat(250)}"` } }],
  ["text-quotes", { zone: { t1: '@ TXT "\\"seekmere-owner=1\\""' } }],
  ["text-spaces", { zone: { t1: '@ TXT "seekmere-owner=1 "' } }],
  ["name-doubled", { zone: { t1: `_dmarc.${B} TXT "v=DMARC1; p=none"` } }],
  ["mx-missing", { zone: { mx1: "", mx2: "" } }],
  ["mx-alias", { zone: { mx1: "@ MX 10 lists.inglemail.example." } }],
  ["mx-no-address", { zone: { mx1: "@ MX 10 mx9.inglemail.example." } }],
  ["mx-address", { zone: { mx1: "@ MX 10 192.0.2.25." } }],
  ["mx-private", { zone: { mx1: "@ MX 10 inside.inglemail.example." } }],
  ["mx-single", { zone: { mx2: "" } }],
  ["mx-null-beside", { zone: { mx2: "@ MX 0 ." } }],
  ["mx-null-sends", { zone: { mx1: "@ MX 0 .", mx2: "" } }],
  ["mx-twice", { zone: { mx2: "@ MX 20 mx1.inglemail.example." } }],
  ["spf-missing", { zone: { spf: "" } }],
  [
    "spf-return-path-only",
    { zone: { spf: "", bounce: 'bounce MX 10 mx1.inglemail.example.\nbounce TXT "v=spf1 ip4:192.0.2.25 -all"' } },
  ],
  ["spf-several", { zone: { spf2: '@ TXT "v=spf1 ~all"' } }],
  ["spf-syntax", spf("v=spf1 ipv4:192.0.2.25 -all")],
  ["spf-nearly", spf("v=spf1ip4:192.0.2.25 -all")],
  ["spf-over-limit", spf(`v=spf1 ${Array.from({ length: 11 }, (_, i) => `exists:n${i}.heronpost.example`).join(" ")} -all`)],
  ["spf-near-limit", spf(`v=spf1 ${Array.from({ length: 9 }, (_, i) => `exists:n${i}.heronpost.example`).join(" ")} -all`)],
  ["spf-voids", spf("v=spf1 a:n1.heronpost.example a:n2.heronpost.example mx:n3.heronpost.example -all")],
  ["spf-void", spf("v=spf1 a:n1.heronpost.example -all")],
  ["spf-include-missing", spf("v=spf1 include:n1.heronpost.example -all")],
  ["spf-include-broken", spf("v=spf1 include:broken.heronpost.example -all")],
  ["spf-include-several", spf("v=spf1 include:twice.heronpost.example -all")],
  ["spf-loop", spf("v=spf1 include:ring.heronpost.example -all")],
  ["spf-no-end", spf("v=spf1 ip4:192.0.2.25")],
  ["spf-everybody", spf("v=spf1 +all")],
  ["spf-everybody", spf("v=spf1 include:open.heronpost.example -all")],
  ["spf-neutral", spf("v=spf1 ?all")],
  ["spf-soft", { zone: { spf: '@ TXT "v=spf1 ~all"', dmarc: "" } }],
  ["spf-behind-all", spf("v=spf1 -all ip4:192.0.2.25")],
  ["spf-duplicate", spf("v=spf1 include:spf.heronpost.example include:spf.heronpost.example -all")],
  ["spf-shadowed", spf("v=spf1 ip4:192.0.2.0/24 ip4:192.0.2.25 -all")],
  ["spf-ptr", spf("v=spf1 ptr -all")],
  ["spf-huge", spf("v=spf1 ip4:192.0.0.0/8 -all")],
  ["spf-registrable", spf("v=spf1 include:spf.nobody-has-this.example -all")],
  [
    "spf-long",
    {
      zone: {
        spf: `@ TXT "v=spf1 ${Array.from({ length: 15 }, (_, i) => `ip4:198.51.100.${i}`).join(" ")} " "${Array.from({ length: 15 }, (_, i) => `ip4:203.0.113.${i}`).join(" ")} -all"`,
      },
    },
  ],
  ["spf-split", { zone: { spf: '@ TXT "v=spf1 ip4:192.0.2.25" "ip4:192.0.2.26 -all"' } }],
  ["spf-moved", { input: { flattened: [{ term: "include:spf.heronpost.example", addresses: ["ip4:198.51.100.0/27"] }] } }],
  ["spf-moved", { input: { flattened: [{ term: "include:gone.heronpost.example", addresses: ["ip4:198.51.100.0/27"] }] } }],
  ["spf-old-type", { zone: { old: "@ TYPE99 \\# 4 03616263" } }],
  ["spf-unknown-word", spf("v=spf1 ip4:192.0.2.25 note=hello -all")],
  ["dkim-none", { zone: { k1: "", k2: "" } }],
  ["dkim-missing", { input: { selectors: [{ selector: "hpa" }] } }],
  [
    "dkim-alias-nowhere",
    { zone: { hp: "hpa._domainkey CNAME gone.heronpost.example." }, input: { selectors: [{ selector: "hpa" }] } },
  ],
  ["dkim-cut", key(`"v=DKIM1; p=${P.slice(0, 200)}"`)],
  ["dkim-doubled", key(`"v=DKIM1; p=${P.slice(0, 200)}" "${P.slice(196)}"`)],
  ["dkim-quotes", key(`"v=DKIM1; p=\\"${P.slice(0, 200)}" "${P.slice(200)}\\""`)],
  ["dkim-garbled", key(`"v=DKIM1; p=#"`)],
  ["dkim-not-a-key", key('"hello"')],
  ["dkim-weak", key(rsa(768))],
  ["dkim-small", key(rsa(1024))],
  ["dkim-large", key(rsa(4608))],
  ["dkim-several", { zone: { more: `k1._domainkey TXT "${ED}"` }, input: { selectors: [{ selector: "k1" }] } }],
  ["dkim-testing", key(`"${ED}; t=y"`)],
  ["dkim-hashes", key(`"${ED}; h=sha1"`)],
  ["dkim-not-mail", key(`"${ED}; s=tlsrpt"`)],
  [
    "dkim-other-key",
    { input: { selectors: [{ selector: "k1", own: generateKeyPairSync("rsa", { modulusLength: 2048 }).privateKey }] } },
  ],
  ["dkim-revoked", key('"v=DKIM1; p="')],
  ["dkim-by-wildcard", { zone: { wild: `*._domainkey TXT "${ED}"` }, input: { selectors: [{ selector: "hpa" }] } }],
  ["dkim-one-selector", { zone: { k2: "" } }],
  ["dkim-open-file", { input: { openKeyFiles: ["keys/brackwater.example/k1.pem"] } }],
  [
    "dkim-alias-foreign",
    {
      zone: { hp: "hpa._domainkey CNAME k.heronpost.example.", there: `k.heronpost.example. TXT "${ED}"` },
      input: { selectors: [{ selector: "hpa" }] },
    },
  ],
  ["dmarc-missing", { zone: { dmarc: "" } }],
  ["dmarc-several", { zone: { more: '_dmarc TXT "v=DMARC1; p=none"' } }],
  ["dmarc-unusable", dmarc("v=DMARC1; p=strict")],
  ["dmarc-mistake", dmarc(`v=DMARC1; p=reject; adkmi=s; ${RUA}`)],
  ["dmarc-misplaced", { zone: { t1: '@ TXT "v=DMARC1; p=none"' } }],
  ["dmarc-watching", dmarc(`v=DMARC1; p=none; ${RUA}`)],
  ["dmarc-blind", dmarc("v=DMARC1; p=none")],
  ["dmarc-no-reports", dmarc("v=DMARC1; p=reject")],
  ["dmarc-subdomains-weaker", dmarc(`v=DMARC1; p=reject; sp=none; ${RUA}`)],
  ["dmarc-nonexistent-weaker", dmarc(`v=DMARC1; p=reject; np=none; ${RUA}`)],
  ["dmarc-percent", dmarc(`v=DMARC1; p=reject; pct=20; ${RUA}`)],
  ["dmarc-trying", dmarc(`v=DMARC1; p=reject; t=y; ${RUA}`)],
  ["dmarc-differs", { zone: { dmarc: "", above: '_dmarc.example. TXT "v=DMARC1; p=none; psd=y; rua=mailto:a@example"' } }],
  ["dmarc-inherited", { zone: { dmarc: "", above: `_dmarc.example. TXT "v=DMARC1; p=none; ${RUA}"` } }],
  ["dmarc-strict", dmarc(`v=DMARC1; p=reject; adkim=s; ${RUA}`)],
  ["dmarc-suffix", dmarc(`v=DMARC1; p=reject; psd=y; ${RUA}`)],
  ["dmarc-without-checks", { zone: { spf: "", k1: "", k2: "" } }],
  ["report-no-consent", dmarc("v=DMARC1; p=reject; rua=mailto:a@heronpost.example")],
  ["report-no-mail", dmarc("v=DMARC1; p=reject; rua=mailto:a@nowhere.brackwater.example")],
  ["report-not-mail", dmarc("v=DMARC1; p=reject; rua=https://heronpost.example/r")],
  ["report-small", dmarc(`v=DMARC1; p=reject; ${RUA}!10k`)],
  ["report-many", dmarc(`v=DMARC1; p=reject; ${RUA},mailto:a@brackwater.example,mailto:b@brackwater.example`)],
  ["report-failures", dmarc(`v=DMARC1; p=reject; ${RUA}; ruf=mailto:f@brackwater.example`)],
  ["report-interval", dmarc(`v=DMARC1; p=reject; ${RUA}; ri=3600`)],
  ["caa-missing", { zone: { caa: "" } }],
  ["caa-forbids", { zone: { caa: '@ CAA 0 issue ";"' } }],
  ["caa-issuer", { input: { issuers: [{ title: "Otherbarrow", issuer: "otherbarrow.example" }] } }],
  ["caa-critical", { zone: { caa2: '@ CAA 128 mustknow "x"' } }],
  ["caa-value", { zone: { caa2: '@ CAA 0 issue "Sealbarrow Ltd"' } }],
  ["caa-notice", { zone: { caa2: '@ CAA 0 iodef "box@brackwater.example"' } }],
  ["site-no-address", { zone: { a: "" } }],
  ["site-www-missing", { zone: { www: "" } }],
  ["site-alias-broken", { zone: { www: "www CNAME gone.heronpost.example." } }],
  [
    "site-alias-chain",
    { zone: { www: "www CNAME w1", w1: "w1 CNAME w2", w2: "w2 CNAME w3", w3: "w3 CNAME w4", w4: "w4 A 192.0.2.80" } },
  ],
  ["site-private", { zone: { a: "@ A 10.0.0.1" } }],
  ...(
    [
      ["site-loop", "loop"],
      ["site-unreachable", "unreachable"],
      ["site-parked", "parked"],
      ["site-no-page", "no-page"],
      ["site-wrong-service", "wrong-service"],
      ["site-certificate", "certificate-expired"],
      ["site-wrong-address", "leftover-address"],
      ["site-redirect-target", "wrong-target"],
      ["site-both-serve", "both-serve"],
      ["site-no-redirect", "no-redirect"],
      ["site-framed", "framed"],
      ["site-redirect-unencrypted", "unencrypted"],
      ["site-redirect-temporary", "temporary"],
      ["site-redirect-path", "path-lost"],
    ] as const
  ).map(
    ([id, flaw]) =>
      [
        id,
        { input: { web: [checksOf("redirect", `https://www.${B}/`).wrong(flaw, verbatim("it is so"), verbatim("mend it"))] } },
      ] as const,
  ),
  ["site-apex-differs", { zone: { www: "www A 192.0.2.81" } }],
  ["ttl-long", { zone: { a: "@ 604800 A 192.0.2.80" } }],
  ["ttl-zero", { zone: { a: "@ 0 A 192.0.2.80" } }],
  ["parked-spf", parked({ spf: '@ TXT "v=spf1 ip4:192.0.2.25 -all"' })],
  ["parked-dmarc", parked({ dmarc: "" })],
  ["parked-mail", parked({ mx1: "" })],
  ["parked-keys", parked({ wild: "" })],
  ["parked-live-key", parked({ wild: "", k1: `k1._domainkey TXT ${KEY}` })],
  ["mta-sts-syntax", { zone: { sts: '_mta-sts TXT "v=STSv1; id=2026-03-02"' } }],
  ["mta-sts-several", { zone: { sts2: '_mta-sts TXT "v=STSv1; id=1"' } }],
  ["mta-sts-host", { zone: { stsHost: "" } }],
  ["mta-sts-nearly", { zone: { sts: '_mta-sts TXT "hello"' } }],
  ["mta-sts-missing", { zone: { sts: "", stsHost: "" } }],
  ["tls-report-syntax", { zone: { tls: '_smtp._tls TXT "v=TLSRPTv1; rua=tls@brackwater.example"' } }],
  ["tls-report-missing", { zone: { tls: "" } }],
  ["bulk-one-of-two", { zone: { k1: "", k2: "" } }],
  ["bulk-no-policy", { zone: { dmarc: "" }, input: { role: "sending" } }],
  ["bulk-no-answers", { zone: { mx1: "", mx2: "", a: "" }, input: { role: "sending" } }],
  ["bulk-reverse", spf("v=spf1 ip4:192.0.2.99 -all")],
  ["bulk-soft-policy", { ...dmarc(`v=DMARC1; p=none; ${RUA}`), input: { role: "sending" } }],
];

const shown = (one: Finding): string => `${one.id}: ${sayFinding(one).evidence}`;

describe("the catalogue", () => {
  test("has at least 90 entries, each id once, each in words", () => {
    expect(allInWords(CATALOGUE.length)).toBeGreaterThanOrEqual(90);
    expect(allInWords(new Set(CATALOGUE.map((rule) => rule.id)).size)).toBe(CATALOGUE.length);
    for (const rule of SAID_CATALOGUE) {
      expect(allInWords(rule.id)).toMatch(/^[a-z0-9]+(-[a-z0-9]+)+$/);
      expect(allInWords(rule.title)).toMatch(/^[A-Zw“].*[^.]$/);
      expect(allInWords(rule.why)).toMatch(/^[A-Z?“].*\.$/);
      expect(allInWords(rule.standard)).toMatch(/^RFC \d+ section \d/);
    }
  });
  test("every entry is shown below", () =>
    expect(allInWords(CATALOGUE.map((rule) => rule.id).filter((id) => !CASES.some(([shown]) => shown === id)))).toEqual([]));
  test.each<[string, string, string, string]>([
    ["that lets nobody send", "v=spf1 -all", "v=DMARC1; p=reject", "spf-missing"],
    ["that only doubts", "v=spf1 ~all", "v=DMARC1; p=reject", "spf-missing"],
    ["where only the very same name counts", "v=spf1 ip4:192.0.2.25 -all", "v=DMARC1; p=reject; aspf=s", "spf-missing"],
    ["that lets the service send", "v=spf1 ip4:192.0.2.25 -all", "v=DMARC1; p=reject", "spf-return-path-only"],
  ])("a return path with an SPF record %s", async (_, spf, dmarc, expected) => {
    const { findings } = await look({
      zone: { spf: "", dmarc: `_dmarc TXT "${dmarc}"`, bounce: `bounce MX 10 mx1.inglemail.example.\nbounce TXT "${spf}"` },
    });
    expect(findings.map(({ id }) => id).filter((id) => /^spf-(?:missing|return-path-only)$/.test(id))).toEqual([expected]);
  });
  test("where no server has signatures that verify, none is to be taken out", async () => {
    const { findings } = await look({
      input: {
        authority: servers(serving(1), serving(1)),
        trust: async () => ({ kind: "secure", until: NOW + 9e6 }),
        trustAt: async () => ({ kind: "bogus", flaw: { code: "signature-expired", at: NOW - 86_400, keyTag: 815, ...about } }),
      },
    });
    expect(findings.map(({ id }) => id)).toContain("dnssec-signature");
    expect(findings.map(({ id }) => id)).not.toContain("dnssec-server-differs");
  });
  test.each([
    ["TXT", "spf"],
    ["MX", "mail-in"],
    ["CAA", "certificate"],
    ["A", "site"],
  ])("a signed %s set whose signature has ended is a finding, and nothing is praised that rests on it", async (type, area) => {
    const { findings, right } = await look({
      input: {
        trust: async (_, asked) =>
          asked === type
            ? { kind: "bogus", flaw: { code: "signature-expired", at: NOW - 86_400, keyTag: 815, ...about, type } }
            : { kind: "secure", until: NOW + 9e6 },
      },
    });
    expect(findings.filter(({ id }) => id === "dnssec-signature").length).toBeGreaterThan(0);
    expect(right.map((one) => one.area)).not.toContain(area);
  });
  test("a domain that takes no mail and lets nobody send is parked, whether or not that is written down", async () => {
    const shut = { mx1: "@ MX 0 .", mx2: "", spf: '@ TXT "v=spf1 -all"', dmarc: '_dmarc TXT "v=DMARC1; p=reject"', key: "" };
    const of = async (role: "parked" | undefined) => {
      const { findings } = await look({ zone: shut, input: { role, selectors: [] } });
      return findings.map(({ id }) => id);
    };
    expect(await of(undefined)).toEqual(await of("parked"));
    expect(await of(undefined)).not.toContain("dmarc-without-checks");
  });
  test("of a sound domain there is nothing to say, whatever it is for", async () => {
    for (const role of ["main", "secondary", "sending", undefined] as const) {
      const { findings, unresolved } = await look({ input: { role } });
      expect(allInWords(findings.map(shown))).toEqual([]);
      expect(allInWords(unresolved)).toEqual([]);
    }
    expect(allInWords((await look(parked({}))).findings.map(shown))).toEqual([]);
  });
});

describe("findings", () => {
  test.each(CASES)("%s", async (id, shows) => {
    const asked = new Set<string>();
    const { findings } = await look(shows, asked);
    const found = findings.find((one) => one.id === id);
    expect(allInWords([id, findings.map((one) => one.id)])).toEqual([id, expect.arrayContaining([id])]);
    const { evidence, remedy } = sayFinding(found as Finding);
    for (const text of [evidence, remedy]) {
      expect(allInWords(text)).not.toMatch(/undefined|NaN|\[object|\.$/);
      expect(allInWords(text.length)).toBeGreaterThan(2);
    }
    // Sweeps keep what was seen as JSON.
    expect(allInWords(sayFinding({ ...found, seen: JSON.parse(JSON.stringify(found?.seen)) } as Finding))).toMatchObject({
      evidence,
      remedy,
    });
    // Every name in a sentence is one that was asked about, or that a record or the workspace holds.
    const known = `${[...asked].join(" ")} ${AROUND} ${Object.values({ ...SOUND, ...shows.zone }).join(" ")} ${JSON.stringify(shows.input ?? {})} `;
    for (const [one] of `${evidence} ${remedy}`.matchAll(/[\w-]+(?:\.[\w-]+)*\.example\b/g))
      expect(allInWords(known)).toContain(one);
  });
  test.each(CASES)("%s is found as well where only its area is looked at", async (id, shows) => {
    const { area } = CATALOGUE.find((rule) => rule.id === id) as (typeof CATALOGUE)[number];
    const ofArea = ({ findings, right }: Awaited<ReturnType<typeof look>>) => [
      findings.filter((one) => one.area === area),
      right.filter((one) => one.area === area),
    ];
    const [all, only] = await Promise.all([look(shows), look({ ...shows, input: { ...shows.input, areas: [area] } })]);
    expect(ofArea(only)).toEqual(ofArea(all));
    expect(allInWords([...only.findings, ...only.right].every((one) => one.area === area))).toBe(true);
  });

  test("only what an area needs is asked for", async () => {
    const asked = new Set<string>();
    await look({ input: { areas: ["mail-in"] } }, asked);
    expect(allInWords([...asked].filter((at) => /_dmarc|_domainkey|zandrel|_mta-sts/.test(at)))).toEqual([]);
    expect(allInWords(asked.has("mx1.inglemail.example."))).toBe(true);
  });

  test("who does what for a domain is read from its records", async () => {
    const { providers } = await look({
      zone: { spf: '@ TXT "v=spf1 include:spf.heronpost.example -all"', k1: "k1._domainkey CNAME k1.dkim.heronpost.example." },
    });
    expect(allInWords(providers)).toEqual({
      nameServers: ["nettlehost.example."],
      mail: ["inglemail.example."],
      signing: ["heronpost.example."],
      sending: ["heronpost.example."],
    });
  });

  test("where no mail can pass a strict policy, that is the first thing said", async () => {
    for (const spf of [
      "",
      '@ TXT "v=spf1 ipv4:192.0.2.25 -all"',
      '@ TXT "v=spf1 -all"',
      '@ TXT "v=spf1 include:ring.heronpost.example -all"',
    ]) {
      const { findings } = await look({ zone: { spf, k1: "", k2: "", mx2: "", www: "", ns2: "" } });
      expect(allInWords([spf, findings[0]?.id])).toEqual([spf, "dmarc-without-checks"]);
    }
    const signed = await look({ zone: { spf: "" } });
    expect(allInWords(signed.findings.map((one) => one.id))).not.toContain("dmarc-without-checks");
    const unseen = await look({ zone: { spf: "", k1: "", k2: "" }, silent: /_domainkey/ });
    expect(allInWords(unseen.findings.map((one) => one.id))).not.toContain("dmarc-without-checks");
  });
  test("what is right is said, and never of an area with something wrong", async () => {
    const sound = await look({});
    expect(allInWords(sound.right.map((one) => one.area))).toEqual(
      expect.arrayContaining(["delegation", "mail-in", "spf", "dkim", "dmarc", "reports", "site", "certificate", "transport"]),
    );
    const { right } = await look({ zone: { spf: '@ TXT "v=spf1 ipv4:1 -all"', dmarc: "" } });
    expect(allInWords(right.map((one) => one.area).filter((area) => area === "spf" || area === "dmarc"))).toEqual([]);
    for (const { because } of sound.right.map(sayRight)) expect(allInWords(because)).not.toMatch(/undefined|NaN|\[object|\.$/);
    expect(allInWords((await look({ silent: /./ })).right)).toEqual([]);
  });
  test.each<[string, RegExp, string]>([
    ["delegation", /^brackwater\.example\.$/, "SOA"],
    ["wildcard", /^zandrel-looks-for-wildcards\.brackwater/, "A or TXT"],
    ["mail-in", /^mx\d?\./, "addresses of mail servers"],
    ["spf", /^spf\./, "an include"],
    ["dmarc", /^_dmarc\./, "the policy"],
    ["site", /^(www\.)?brackwater\.example\.$/, "addresses of the site"],
    ["transport", /^_mta-sts\./, "MTA-STS"],
  ])("nothing is said to be right in %s where %s could not be asked (%s)", async (area, silent) => {
    const zone = { spf: '@ TXT "v=spf1 include:spf.heronpost.example -all"' };
    expect(allInWords((await look({ zone })).right.map((one) => one.area))).toContain(area);
    const { right, unresolved } = await look({ zone, silent });
    expect(allInWords(unresolved)).not.toEqual([]);
    expect(allInWords(right.map((one) => one.area))).not.toContain(area);
  });
  test.each([
    ["settled", true],
    ["unknown", false],
    ["pending", false],
  ])("asks that are %s are called right: %s", async (state, right) => {
    const { right: said } = await look(ask(state));
    expect(allInWords(said.some((one) => one.area === "ownership"))).toBe(right);
  });
  test("reports are not said to go where nobody takes them when that could not be asked", async () => {
    const elsewhere = { dmarc: '_dmarc TXT "v=DMARC1; p=none; rua=mailto:dmarc@reports.brackwater.example"' };
    const ids = async (silent?: RegExp) =>
      (await look({ zone: elsewhere, ...(silent === undefined ? {} : { silent }) })).findings.map((one) => one.id);
    expect(allInWords(await ids())).toContain("report-no-mail");
    expect(allInWords(await ids(/^reports\./))).not.toContain("report-no-mail");
  });
  test("the worst come first", async () => {
    const order = ["breaks", "risks", "untidy", "note"];
    const { findings } = await look({ zone: { mx2: "", spf: '@ TXT "v=spf1 ipv4:1 -all"', www: "", dmarc: "" } });
    const severities = findings.map((one) => order.indexOf(one.severity));
    expect(allInWords(severities)).toEqual([...severities].sort());
    expect(allInWords(new Set(severities).size)).toBe(4);
  });
});

test("a name inside a zone is judged as that: nothing is said of name servers, and an alias is allowed", async () => {
  const zone = {
    a: "",
    mx1: "",
    mx2: "",
    spf: "",
    k1: "",
    k2: "",
    dmarc: "",
    caa: "",
    soa: "",
    ns1: "",
    ns2: "",
    alias: "@ CNAME heronpost.example.",
  };
  const { findings } = await look({ zone, input: { authority: INSIDE } });
  expect(allInWords(findings.filter(({ area }) => area === "delegation"))).toEqual([]);
  expect(allInWords((await look({ zone })).findings.map(({ id }) => id))).toContain("alias-at-apex");
});

test("of a name inside a zone that is not there nothing else is said; one that has other records is judged by them", async () => {
  expect((await look(NOT_THERE)).findings.map(({ id }) => id)).toEqual(["name-missing"]);
  const lookup: Lookup = { ask: async () => ({ kind: "nodata", chain: [], authoritative: true }) };
  const ids = (await look({ input: { authority: INSIDE, lookup, world: lookup } })).findings.map(({ id }) => id);
  expect([ids.includes("name-missing"), ids.length > 0]).toEqual([false, true]);
});

describe("a domain that nobody is told to serve", () => {
  const authority: Authority = { kind: "not-delegated", parent: name("example"), because: verbatim("nobody has it") };
  test.each<{ areas: Area[] }>([{ areas: [] }, { areas: ["spf"] }])(
    "and that is not there has that one finding, and nothing more is asked ($areas)",
    async ({ areas }) => {
      const asked: string[] = [];
      const world: Lookup = {
        ask(at, type) {
          asked.push(`${at} ${type}`);
          return NOBODY.ask(at, type);
        },
      };
      const { findings, right, unresolved } = await look({ input: { authority, world, lookup: world, areas } });
      expect(findings.map(({ id }) => id)).toEqual(["delegation-missing"]);
      expect([right, unresolved]).toEqual([[], []]);
      expect(asked).toEqual([`${B}. NS`]);
    },
  );
  test("and whose records a resolver shows all the same is looked at like any other", async () => {
    const ids = (await look({ zone: { spf: "" }, input: { authority } })).findings.map(({ id }) => id);
    expect(ids).toEqual(expect.arrayContaining(["delegation-missing", "spf-missing"]));
  });
});

describe("the web of a site", () => {
  const { right, unknown } = checksOf("address", B);
  const web = async (...checks: SiteCheck[]) => look({ input: { web: checks } });
  test("what is right is said as such, and the note about different addresses is not needed", async () => {
    const { right: said } = await web(right(verbatim("it leads there")));
    expect(allInWords(said.find(({ area }) => area === "site")?.seen)).toEqual({ visited: true });
    const apart = { zone: { www: "www A 192.0.2.81" }, input: { web: [right(verbatim("it leads there"))] } };
    expect(allInWords((await look(apart)).findings.map(({ id }) => id))).not.toContain("site-apex-differs");
  });
  test("the same thing at several addresses is one finding", async () => {
    const at = (url: string) =>
      checksOf("redirect", url).wrong("temporary", verbatim("it is temporary (302)"), verbatim("make it permanent"));
    const { findings } = await web(at(`http://${B}/zandrel/check?kept=yes`), at(`https://www.${B}/zandrel/check?kept=yes`));
    expect(
      allInWords(findings.filter(({ id }) => id === "site-redirect-temporary").map((one) => sayFinding(one).evidence)),
    ).toEqual([`http://${B}, https://www.${B}: it is temporary (302)`]);
  });
  test("what could not be looked at is neither right nor wrong", async () => {
    const { right: said, findings, unresolved } = await web(unknown(verbatim("nobody answered in time"), verbatim("try again")));
    expect(allInWords(said.map(({ area }) => area))).not.toContain("site");
    expect(allInWords(findings.filter(({ area }) => area === "site"))).toEqual([]);
    expect(allInWords(unresolved)).toContainEqual({ name: `${B}.`, type: "web", because: `${B}: nobody answered in time` });
  });
});

test("signatures that could not be asked for are not findings, and are named as unresolved", async () => {
  const trust = async () =>
    ({ kind: "indeterminate", why: "unresolved", because: verbatim("nobody answers for the keys") }) as const;
  const { findings, unresolved } = await look({ input: { trust } });
  expect(allInWords(findings.map(({ id }) => id).filter((id) => /dnssec|ds-/.test(id)))).toEqual([]);
  expect(allInWords(unresolved)).toContainEqual({
    name: `${B}.`,
    type: "DNSSEC",
    because: "nobody answers for the keys",
  });
});

test("a source that could not be asked has not moved", async () => {
  const flattened = [{ term: "include:spf.heronpost.example", addresses: ["ip4:198.51.100.64/27"] }];
  const ids = async (silent?: RegExp) =>
    (await look({ input: { flattened }, ...(silent === undefined ? {} : { silent }) })).findings.map((one) => one.id);
  expect(allInWords(await ids())).not.toContain("spf-moved");
  expect(allInWords(await ids(/^spf\.heronpost/))).not.toContain("spf-moved");
});

test("a name as long as names may be is audited too", async () => {
  const long = name(`${"a".repeat(60)}.${"b".repeat(60)}.${"c".repeat(60)}.${"d".repeat(50)}.example`);
  const lookup: Lookup = { ask: async () => ({ kind: "nxdomain", chain: [], authoritative: true }) };
  expect(allInWords((await look({ input: { domain: long, lookup, world: lookup } })).findings.map((one) => one.id))).toContain(
    "spf-missing",
  );
});

test("what could not be asked is listed, and never reported as missing", async () => {
  const { findings, unresolved } = await look({ silent: /brackwater\.example\.$/ });
  expect(allInWords(unresolved.map((one) => `${one.type} ${one.name}`))).toEqual(
    expect.arrayContaining([`TXT ${B}.`, `TXT _dmarc.${B}.`, `MX ${B}.`]),
  );
  expect(allInWords(findings.filter((one) => /missing|none|no-/.test(one.id)).map((one) => one.id))).toEqual([]);
});
