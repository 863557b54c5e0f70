/**
 * Situations, each with what an expert would say of it: what stood in the zone, what is asked for, what was done at the DNS host, and
 * how every piece stands then. `agreement.test.ts` asks every command about each of them.
 */

/** What stood in the zone before, below its name servers. */
export const BEFORE = `@ MX 10 mx1.inglemail.example.
@ MX 20 mx2.inglemail.example.
@ TXT "v=spf1 include:spf.inglemail.example -all"
@ TXT "other-tool=77b1"
@ A 203.0.113.7
www A 203.0.113.7
shop CNAME shops.pagewick.example.
_dmarc TXT "v=DMARC1; p=none; rua=mailto:reports@brackwater.example"
`;

/** One thing that was done at the DNS host: a set put in the place of what was there, or taken away. */
type Deed = `put ${string}` | `drop ${string}`;

export type Is = "met" | "missing" | "contradicted" | "not-visible-yet" | "undetermined";

export interface Situation {
  readonly name: string;
  /** Lines more than {@link BEFORE}, or in the place of those of the same name and type. */
  readonly before?: string;
  /** What is asked for: an id, and its records, SPF terms (`spf:`). */
  readonly asks: Readonly<Record<string, string>>;
  /** What the asks are for, where that is not ownership. */
  readonly purpose?: "ownership" | "site";
  /** How it is published: entered from a sheet (not at all, all of it), or sent as an update. */
  readonly way: "update" | "entered" | "not-entered";
  readonly deeds?: readonly Deed[];
  /** Whether it is looked at again within two minutes, and not after hours. */
  readonly soon?: true;
  /** Whether its servers do not answer. */
  readonly down?: true;
  /** Asks in the order of {@link asks}. */
  readonly is: readonly Is[];
  /** Sets, as `name TYPE`, that are gone or were changed and are still needed. */
  readonly lost?: readonly string[];
}

const TOKEN = { token: '@ TXT "quaylet-site=4f1d0c77"' };
const ALIAS = { alias: "_k7 CNAME proof.quaylet.example." };
const WWW = { www: "www CNAME sites.pagewick.example." };
const SPF = { spf: "spf: include:spf.heronpost.example" };
const POLICY = { policy: '_dmarc TXT "v=DMARC1; p=quarantine; rua=mailto:r@quaylet.example"' };
const KEY = { key: "hp1._domainkey CNAME hp1.ka.heronpost.example." };
const MX = { mail: "bounce MX 10 mx.heronpost.example." };
const CAA = { issuer: '@ CAA 0 issue "sealbarrow.example"' };
/** A key of nobody. */
const KEYP = "MIGfMA0GCSqGSIb3DQEBAQUAA4GNADCBiQKBgQDSlotsotokenkeyofnobody0123456789abcdefghijkl";
const SRV = { calls: "_sip._tls SRV 10 5 443 sip.quaylet.example." };
const SITE = { apex: "@ A 203.0.113.7\nwww A 203.0.113.7" };

const SPF_TXT = (spf: string, ...more: string[]): Deed =>
  `put ${[spf, "other-tool=77b1", ...more].map((text) => `@ TXT "${text}"`).join("\n")}`;
const INGLE = "v=spf1 include:spf.inglemail.example -all";

/** What may be deleted or changed beside whatever was asked, and what is missed then. */
const BESIDE: readonly (readonly [string, readonly Deed[], readonly string[]])[] = [
  ["the mail servers deleted", ["drop @ MX"], ["@ MX"]],
  ["one mail server deleted", ["put @ MX 10 mx1.inglemail.example."], ["@ MX"]],
  ["the shop deleted", ["drop shop CNAME"], ["shop CNAME"]],
  ["the address changed", ["put @ A 203.0.113.99"], ["@ A"]],
  ["the policy deleted", ["drop _dmarc TXT"], ["_dmarc TXT"]],
  ["www and the mail servers deleted", ["drop www A", "drop @ MX"], ["@ MX", "www A"]],
];

/** Asks that do not touch what stands beside, and so can be combined with everything of {@link BESIDE}. */
const ALONE = { alias: ALIAS, key: KEY, mail: MX, calls: SRV };

const combined: Situation[] = BESIDE.flatMap(([what, deeds, lost], i) => {
  const [id, asks] = Object.entries(ALONE)[i % 4] as [string, Record<string, string>];
  return [
    { name: `${id} entered, and ${what}`, asks, way: "entered", deeds, is: ["met"], lost },
    { name: `${id} sent, and ${what} later`, asks, way: "update", deeds, is: ["met"], lost },
    { name: `${id} not entered, and ${what}`, asks, way: "not-entered", deeds, is: ["missing"], lost },
  ] satisfies Situation[];
});

const each: Situation[] = Object.entries({ ...ALONE, token: TOKEN, www: WWW, spf: SPF, policy: POLICY, issuer: CAA }).flatMap(
  ([id, asks]): Situation[] => [
    { name: `${id} sent`, asks, way: "update", is: ["met"] },
    { name: `${id} sent a minute ago`, asks, way: "update", soon: true, is: ["not-visible-yet"] },
    { name: `${id} entered`, asks, way: "entered", is: ["met"] },
    { name: `${id} not entered`, asks, way: "not-entered", is: [id === "www" ? "contradicted" : "missing"] },
  ],
);

export const SITUATIONS: readonly Situation[] = [
  ...each,
  ...combined,
  { name: "the servers are silent", asks: TOKEN, way: "entered", down: true, is: ["undetermined"] },
  {
    name: "token entered, overwriting the SPF record",
    asks: TOKEN,
    way: "not-entered",
    deeds: ['put @ TXT "quaylet-site=4f1d0c77"'],
    is: ["met"],
    lost: ["@ TXT"],
  },
  {
    name: "token entered, the other token deleted",
    asks: TOKEN,
    way: "not-entered",
    deeds: [`put @ TXT "${INGLE}"\n@ TXT "quaylet-site=4f1d0c77"`],
    is: ["met"],
    lost: ["@ TXT"],
  },
  {
    name: "token entered with a slip",
    asks: TOKEN,
    way: "not-entered",
    deeds: [SPF_TXT(INGLE, "quaylet-site=4f1d0c78")],
    is: ["missing"],
  },
  {
    name: "token entered, and another text beside it",
    asks: TOKEN,
    way: "entered",
    deeds: [SPF_TXT(INGLE, "quaylet-site=4f1d0c77", "third-tool=1")],
    is: ["met"],
  },
  {
    name: "token entered with quotes in it",
    asks: TOKEN,
    way: "not-entered",
    deeds: [SPF_TXT(INGLE, '\\"quaylet-site=4f1d0c77\\"')],
    is: ["missing"],
  },
  { name: "token gone again", asks: TOKEN, way: "update", deeds: [SPF_TXT(INGLE)], is: ["missing"] },
  {
    name: "SPF overwritten and not merged",
    asks: SPF,
    way: "not-entered",
    deeds: [SPF_TXT("v=spf1 include:spf.heronpost.example -all")],
    is: ["met"],
    lost: ["@ TXT"],
  },
  {
    name: "SPF merged in another order",
    asks: SPF,
    way: "not-entered",
    deeds: [SPF_TXT("v=spf1 include:spf.heronpost.example include:spf.inglemail.example -all")],
    is: ["met"],
  },
  {
    name: "SPF as a second record",
    asks: SPF,
    way: "not-entered",
    deeds: [SPF_TXT(INGLE, "v=spf1 include:spf.heronpost.example -all")],
    is: ["contradicted"],
  },
  {
    name: "SPF with a term more later",
    asks: SPF,
    way: "update",
    deeds: [SPF_TXT("v=spf1 include:spf.inglemail.example include:spf.heronpost.example ip4:192.0.2.9 -all")],
    is: ["met"],
  },
  {
    name: "SPF with a colleague's change beside an alias",
    asks: ALIAS,
    way: "entered",
    deeds: [SPF_TXT("v=spf1 include:spf.inglemail.example ip4:192.0.2.9 -all")],
    is: ["met"],
  },
  {
    name: "SPF behind all",
    asks: SPF,
    way: "not-entered",
    deeds: [SPF_TXT("v=spf1 include:spf.inglemail.example -all include:spf.heronpost.example")],
    is: ["missing"],
  },
  {
    name: "SPF with a mistyped term",
    asks: SPF,
    way: "not-entered",
    deeds: [SPF_TXT("v=spf1 include:spf.inglemail.example include:spf.heronpots.example -all")],
    is: ["missing"],
  },
  {
    name: "the policy is stricter than asked",
    asks: POLICY,
    way: "update",
    deeds: ['put _dmarc TXT "v=DMARC1; p=reject; rua=mailto:reports@brackwater.example,mailto:r@quaylet.example"'],
    is: ["met"],
  },
  {
    name: "the policy is weaker than asked",
    asks: POLICY,
    way: "update",
    deeds: ['put _dmarc TXT "v=DMARC1; p=none; rua=mailto:reports@brackwater.example,mailto:r@quaylet.example"'],
    is: ["missing"],
  },
  {
    name: "the policy lost its own report address",
    asks: POLICY,
    way: "not-entered",
    deeds: ['put _dmarc TXT "v=DMARC1; p=quarantine; rua=mailto:r@quaylet.example"'],
    is: ["met"],
    lost: ["_dmarc TXT"],
  },
  {
    name: "the policy in other spelling",
    asks: POLICY,
    way: "update",
    deeds: ['put _dmarc TXT "v=DMARC1;p=quarantine;rua=mailto:reports@brackwater.example,mailto:r@quaylet.example"'],
    is: ["met"],
  },
  {
    name: "two policies",
    asks: POLICY,
    way: "update",
    deeds: ['put _dmarc TXT "v=DMARC1; p=quarantine; rua=mailto:r@quaylet.example"\n_dmarc TXT "v=DMARC1; p=none"'],
    is: ["contradicted"],
    lost: [],
  },
  {
    name: "the alias with a slip in its target",
    asks: ALIAS,
    way: "not-entered",
    deeds: ["put _k7 CNAME proof.quaylett.example."],
    is: ["contradicted"],
  },
  {
    name: "the alias entered with the domain twice",
    asks: ALIAS,
    way: "not-entered",
    deeds: ["put _k7.brackwater.example CNAME proof.quaylet.example."],
    is: ["missing"],
  },
  {
    name: "the alias as a text",
    asks: ALIAS,
    way: "not-entered",
    deeds: ['put _k7 TXT "proof.quaylet.example"'],
    is: ["contradicted"],
  },
  {
    name: "the target with the domain behind it",
    asks: ALIAS,
    way: "not-entered",
    deeds: ["put _k7 CNAME proof.quaylet.example.brackwater.example."],
    is: ["contradicted"],
  },
  { name: "www replaced, its address deleted", asks: WWW, way: "update", deeds: [], is: ["met"] },
  {
    name: "www pointed back",
    asks: WWW,
    way: "update",
    deeds: ["drop www CNAME", "put www A 203.0.113.7"],
    is: ["contradicted"],
  },
  { name: "the site's addresses, as they were", asks: SITE, way: "not-entered", is: ["met"] },
  {
    name: "the site's addresses, one of them gone",
    asks: SITE,
    way: "not-entered",
    deeds: ["drop www A"],
    is: ["missing"],
    lost: [],
  },
  {
    name: "the mail server with another priority",
    asks: MX,
    way: "not-entered",
    deeds: ["put bounce MX 50 mx.heronpost.example."],
    is: ["contradicted"],
  },
  {
    name: "the mail server and a second one",
    asks: MX,
    way: "not-entered",
    deeds: ["put bounce MX 10 mx.heronpost.example.\nbounce MX 20 mx2.heronpost.example."],
    is: ["contradicted"],
  },
  {
    name: "the issuer, and a second one",
    asks: CAA,
    way: "update",
    deeds: ['put @ CAA 0 issue "sealbarrow.example"\n@ CAA 0 issue "other.example"'],
    is: ["met"],
  },
  { name: "the issuer, and nobody may issue", asks: CAA, way: "not-entered", deeds: ['put @ CAA 0 issue ";"'], is: ["missing"] },
  {
    name: "two asks, one entered",
    asks: { ...TOKEN, ...ALIAS },
    way: "not-entered",
    deeds: ["put _k7 CNAME proof.quaylet.example."],
    is: ["missing", "met"],
  },
  {
    name: "two asks, both entered, the shop deleted",
    asks: { ...TOKEN, ...ALIAS },
    way: "entered",
    deeds: ["drop shop CNAME"],
    is: ["met", "met"],
    lost: ["shop CNAME"],
  },
  {
    name: "two asks a minute ago, one of them not",
    asks: { ...ALIAS, ...KEY },
    way: "update",
    soon: true,
    deeds: ["drop hp1._domainkey CNAME"],
    is: ["not-visible-yet", "missing"],
  },
  // Written aside before they were tried: 43 of 50 were right then.
  {
    name: "NS: a name given away",
    asks: { zone: "tickets NS ns1.quaylet.example.\ntickets NS ns2.quaylet.example." },
    way: "update",
    is: ["met"],
  },
  {
    name: "NS: only one entered",
    asks: { zone: "tickets NS ns1.quaylet.example.\ntickets NS ns2.quaylet.example." },
    way: "not-entered",
    deeds: ["put tickets NS ns1.quaylet.example."],
    is: ["missing"],
  },
  { name: "NS not entered", asks: { zone: "tickets NS ns1.quaylet.example." }, way: "not-entered", is: ["missing"] },
  {
    name: "CAA at the name nearer than the apex forbids",
    before: 'shop2 CAA 0 issue ";"',
    asks: { c: 'shop2 CAA 0 issue "sealbarrow.example"' },
    way: "not-entered",
    is: ["missing"],
  },
  {
    name: "CAA kept beside the ask",
    before: '@ CAA 0 issue "old.example"',
    asks: { c: '@ CAA 0 issue "sealbarrow.example"' },
    way: "update",
    is: ["met"],
  },
  {
    name: "CAA overwritten",
    before: '@ CAA 0 issue "old.example"',
    asks: { c: '@ CAA 0 issue "sealbarrow.example"' },
    way: "not-entered",
    deeds: ['put @ CAA 0 issue "sealbarrow.example"'],
    is: ["met"],
    lost: ["@ CAA"],
  },
  { name: "HTTPS lost", before: "www2 HTTPS 1 . alpn=h2", asks: ALIAS, way: "entered", deeds: ["drop www2 HTTPS"], is: ["met"] },
  {
    name: "HTTPS at apex lost",
    before: "@ HTTPS 1 . alpn=h2",
    asks: ALIAS,
    way: "entered",
    deeds: ["drop @ HTTPS"],
    is: ["met"],
    lost: ["@ HTTPS"],
  },
  {
    name: "HTTPS at www lost",
    before: "www HTTPS 1 . alpn=h2",
    asks: ALIAS,
    way: "entered",
    deeds: ["drop www HTTPS"],
    is: ["met"],
    lost: ["www HTTPS"],
  },
  {
    name: "TLSA of www lost",
    before: "_443._tcp.www TLSA 3 1 1 0d6fce3b8ff1c2ac6bdb1b2e6b5a52b6e8a5e2b6df6c0d5b51c3cb2dd3ffb6d0",
    asks: ALIAS,
    way: "entered",
    deeds: ["drop _443._tcp.www TLSA"],
    is: ["met"],
    lost: ["_443._tcp.www TLSA"],
  },
  {
    name: "TTL only changed by a colleague",
    asks: ALIAS,
    way: "entered",
    deeds: ["put shop 60 CNAME shops.pagewick.example."],
    is: ["met"],
  },
  {
    name: "upper case in a target",
    asks: ALIAS,
    way: "not-entered",
    deeds: ["put _k7 CNAME PROOF.Quaylet.Example."],
    is: ["met"],
  },
  {
    name: "token in other case",
    asks: TOKEN,
    way: "not-entered",
    deeds: [`put @ TXT "${INGLE}"\n@ TXT "other-tool=77b1"\n@ TXT "Quaylet-Site=4F1D0C77"`],
    is: ["missing"],
  },
  {
    name: "token split in two strings",
    asks: TOKEN,
    way: "not-entered",
    deeds: [`put @ TXT "${INGLE}"\n@ TXT "other-tool=77b1"\n@ TXT "quaylet-site=" "4f1d0c77"`],
    is: ["met"],
  },
  {
    name: "token with a blank at its end",
    asks: TOKEN,
    way: "not-entered",
    deeds: [`put @ TXT "${INGLE}"\n@ TXT "other-tool=77b1"\n@ TXT "quaylet-site=4f1d0c77 "`],
    is: ["missing"],
  },
  {
    name: "the host adds a text of its own",
    asks: TOKEN,
    way: "update",
    deeds: [`put @ TXT "${INGLE}"\n@ TXT "other-tool=77b1"\n@ TXT "quaylet-site=4f1d0c77"\n@ TXT "heritage=host"`],
    is: ["met"],
  },
  {
    name: "the MX set re-ordered",
    asks: ALIAS,
    way: "entered",
    deeds: ["put @ MX 20 mx2.inglemail.example.\n@ MX 10 mx1.inglemail.example."],
    is: ["met"],
  },
  {
    name: "MX priorities changed beside",
    asks: ALIAS,
    way: "entered",
    deeds: ["put @ MX 30 mx2.inglemail.example.\n@ MX 10 mx1.inglemail.example."],
    is: ["met"],
    lost: ["@ MX"],
  },
  {
    name: "a further mail server beside",
    asks: ALIAS,
    way: "entered",
    deeds: ["put @ MX 20 mx2.inglemail.example.\n@ MX 10 mx1.inglemail.example.\n@ MX 30 mx3.inglemail.example."],
    is: ["met"],
  },
  { name: "a further address beside", asks: ALIAS, way: "entered", deeds: ["put @ A 203.0.113.7\n@ A 203.0.113.8"], is: ["met"] },
  {
    name: "SPF hardened by a colleague",
    before: '@ TXT "v=spf1 include:spf.inglemail.example ~all"\n@ TXT "other-tool=77b1"',
    asks: ALIAS,
    way: "entered",
    deeds: [`put @ TXT "${INGLE}"\n@ TXT "other-tool=77b1"`],
    is: ["met"],
  },
  {
    name: "SPF opened by a colleague",
    asks: ALIAS,
    way: "entered",
    deeds: ['put @ TXT "v=spf1 include:spf.inglemail.example +all"\n@ TXT "other-tool=77b1"'],
    is: ["met"],
    lost: ["@ TXT"],
  },
  {
    name: "SPF dropped a sender",
    asks: ALIAS,
    way: "entered",
    deeds: ['put @ TXT "v=spf1 -all"\n@ TXT "other-tool=77b1"'],
    is: ["met"],
    lost: ["@ TXT"],
  },
  {
    name: "SPF in upper case",
    asks: ALIAS,
    way: "entered",
    deeds: ['put @ TXT "V=SPF1 INCLUDE:SPF.Inglemail.example -ALL"\n@ TXT "other-tool=77b1"'],
    is: ["met"],
  },
  {
    name: "a second SPF record beside",
    asks: ALIAS,
    way: "entered",
    deeds: [`put @ TXT "${INGLE}"\n@ TXT "v=spf1 include:x.example ~all"\n@ TXT "other-tool=77b1"`],
    is: ["met"],
    lost: ["@ TXT"],
  },
  {
    name: "policy raised by a colleague",
    asks: ALIAS,
    way: "entered",
    deeds: ['put _dmarc TXT "v=DMARC1; p=quarantine; rua=mailto:reports@brackwater.example"'],
    is: ["met"],
  },
  {
    name: "policy lowered",
    before: '_dmarc TXT "v=DMARC1; p=reject; rua=mailto:reports@brackwater.example"',
    asks: ALIAS,
    way: "entered",
    deeds: ['put _dmarc TXT "v=DMARC1; p=none; rua=mailto:reports@brackwater.example"'],
    is: ["met"],
    lost: ["_dmarc TXT"],
  },
  {
    name: "policy lost its reports",
    asks: ALIAS,
    way: "entered",
    deeds: ['put _dmarc TXT "v=DMARC1; p=none"'],
    is: ["met"],
    lost: ["_dmarc TXT"],
  },
  {
    name: "a key as text, other blanks",
    asks: { key: `k2._domainkey TXT "v=DKIM1; k=rsa; p=${KEYP}"` },
    way: "not-entered",
    deeds: [`put k2._domainkey TXT "v=DKIM1;k=rsa;p=${KEYP}"`],
    is: ["met"],
  },
  {
    name: "a key cut",
    asks: { key: `k2._domainkey TXT "v=DKIM1; k=rsa; p=${KEYP}"` },
    way: "not-entered",
    deeds: [`put k2._domainkey TXT "v=DKIM1; k=rsa; p=${KEYP.slice(0, 40)}"`],
    is: ["contradicted"],
  },
  {
    name: "two keys at one selector",
    asks: { key: `k2._domainkey TXT "v=DKIM1; k=rsa; p=${KEYP}"` },
    way: "not-entered",
    deeds: [`put k2._domainkey TXT "v=DKIM1; k=rsa; p=${KEYP}"\nk2._domainkey TXT "v=DKIM1; k=rsa; p=AAAA"`],
    is: ["contradicted"],
  },
  {
    name: "alias met by a wildcard only",
    before: "*.pages CNAME sites.quaylet.example.",
    asks: { w: "spring.pages CNAME sites.quaylet.example." },
    way: "not-entered",
    is: ["met"],
  },
  { name: "wildcard in the way", before: "* CNAME parked.quaylet.example.", asks: ALIAS, way: "update", is: ["met"] },
  { name: "wildcard ask", asks: { w: "*.shows A 192.0.2.7" }, way: "update", is: ["met"] },
  {
    name: "wildcard ask, entered without the star",
    asks: { w: "*.shows A 192.0.2.7" },
    way: "not-entered",
    deeds: ["put shows A 192.0.2.7"],
    is: ["missing"],
  },
  {
    name: "addresses, one of two",
    asks: { a: "site A 192.0.2.1\nsite A 192.0.2.2" },
    way: "not-entered",
    deeds: ["put site A 192.0.2.1"],
    is: ["missing"],
  },
  {
    name: "addresses, a third from the old host",
    before: "site A 203.0.113.9",
    asks: { a: "site A 192.0.2.1" },
    purpose: "site",
    way: "not-entered",
    deeds: ["put site A 192.0.2.1\nsite A 203.0.113.9"],
    is: ["contradicted"],
  },
  {
    name: "AAAA of the old host beside",
    before: "site AAAA 2001:db8::9",
    asks: { a: "site A 192.0.2.1" },
    purpose: "site",
    way: "not-entered",
    deeds: ["put site A 192.0.2.1"],
    is: ["contradicted"],
  },
  {
    name: "HTTPS hints to the old host beside",
    before: "site HTTPS 1 . ipv4hint=203.0.113.9",
    asks: { a: "site A 192.0.2.1" },
    purpose: "site",
    way: "not-entered",
    deeds: ["put site A 192.0.2.1"],
    is: ["contradicted"],
  },
  {
    name: "SRV with another port",
    asks: { s: "_sip._tls SRV 10 5 443 sip.quaylet.example." },
    way: "not-entered",
    deeds: ["put _sip._tls SRV 10 5 5061 sip.quaylet.example."],
    is: ["contradicted"],
  },
  {
    name: "null MX before, mail asked",
    before: "@ MX 0 .",
    asks: { m: "@ MX 10 mx.quaylet.example." },
    way: "not-entered",
    is: ["contradicted"],
  },
  {
    name: "mail moved, both sets there",
    asks: { m: "@ MX 5 mx.quaylet.example." },
    way: "not-entered",
    deeds: ["put @ MX 5 mx.quaylet.example.\n@ MX 10 mx1.inglemail.example.\n@ MX 20 mx2.inglemail.example."],
    is: ["contradicted"],
  },
  {
    name: "DMARC as an ask where the old policy was deleted and nothing entered",
    asks: { p: '_dmarc TXT "v=DMARC1; p=none; rua=mailto:r@quaylet.example"' },
    way: "not-entered",
    deeds: ["drop _dmarc TXT"],
    is: ["missing"],
    lost: ["_dmarc TXT"],
  },
  {
    name: "token beside whatever, everything else deleted at the apex",
    asks: TOKEN,
    way: "entered",
    deeds: ["drop @ MX", "drop @ A"],
    is: ["met"],
    lost: ["@ A", "@ MX"],
  },
  { name: "alias at a name that had texts", before: '_k7 TXT "old=1"', asks: ALIAS, way: "not-entered", is: ["contradicted"] },
  {
    name: "wildcard deleted",
    before: "* A 203.0.113.7",
    asks: ALIAS,
    way: "entered",
    deeds: ["drop * A"],
    is: ["met"],
    lost: ["* A"],
  },
  {
    name: "delegation below lost",
    before: "shop3 NS ns1.pagewick.example.\nmail NS ns1.pagewick.example.",
    asks: ALIAS,
    way: "entered",
    deeds: ["drop mail NS"],
    is: ["met"],
    lost: ["mail NS"],
  },
  {
    name: "DS below lost",
    before: "mail NS ns1.pagewick.example.\nmail DS 12345 13 2 0d6fce3b8ff1c2ac6bdb1b2e6b5a52b6e8a5e2b6df6c0d5b51c3cb2dd3ffb6d0",
    asks: ALIAS,
    way: "entered",
    deeds: ["drop mail DS"],
    is: ["met"],
    lost: ["mail DS"],
  },
  {
    name: "an asked thing deleted again, and the shop",
    asks: ALIAS,
    way: "update",
    deeds: ["drop _k7 CNAME", "drop shop CNAME"],
    is: ["missing"],
    lost: ["shop CNAME"],
  },
  {
    name: "the name of an ask replaced by its address",
    asks: { w: "www CNAME sites.pagewick.example." },
    way: "update",
    deeds: ["drop www CNAME", "put www A 203.0.113.80"],
    is: ["contradicted"],
  },
];
