import { type DomainName, name } from "../core/name/index.ts";

/** The zones of the lab when it starts: a registry, a DNS host, and the domains of the Brackwater Puppet Theatre. */

export const ADDRESSES = {
  registry: "127.53.0.1",
  nettlehost: ["127.53.0.2", "127.53.0.3"],
  zonemarrow: ["127.53.0.4", "127.53.0.5"],
  /** The name servers of the services, which hold nobody's zones but their own. */
  providers: {
    pagewick: ["127.53.0.6", "127.53.0.7"],
    heronpost: ["127.53.0.8", "127.53.0.9"],
    swiftquill: ["127.53.0.15", "127.53.0.16"],
    inglemail: ["127.53.0.17", "127.53.0.18"],
    sealbarrow: ["127.53.0.19", "127.53.0.20"],
    mallowmail: ["127.53.0.23", "127.53.0.24"],
  },
  pagewick: "127.53.0.21",
  parked: "127.53.0.22",
  heronpost: "127.53.0.31",
  swiftquill: "127.53.0.32",
  inglemail: "127.53.0.33",
  mallowmail: "127.53.0.34",
  guild: "127.53.1.35",
  forger: "127.53.2.36",
  vantages: ["127.53.0.11", "127.53.0.12", "127.53.0.13", "127.53.0.14"],
} as const;

export const ROOT_ZONE = `$TTL 1d
@ SOA ns.registry.example. registrar.registry.example. 1 2h 15m 2w 1h
@ NS ns.registry.example.
example. NS ns.registry.example.
ns.registry.example. A ${ADDRESSES.registry}
`;

/** The services that have name servers of their own. */
export type Provider = keyof typeof ADDRESSES.providers;
export const PROVIDERS = Object.keys(ADDRESSES.providers) as Provider[];

const delegated = [
  ...["nettlehost", "brackwater", "brackwater-tickets", "puppetfest", "puppetry-guild", "cheap-seats"].map(
    (label) => `${label} NS ns1.nettlehost\n${label} NS ns2.nettlehost\n`,
  ),
  ...PROVIDERS.flatMap((label) =>
    ADDRESSES.providers[label].map((address, i) => `${label} NS ns${i + 1}.${label}\nns${i + 1}.${label} A ${address}\n`),
  ),
].join("");

export const EXAMPLE_ZONE = `$TTL 6h
@ SOA ns.registry registrar.registry 2026030201 2h 15m 2w 15m
@ NS ns.registry
ns.registry A ${ADDRESSES.registry}
${delegated}zonemarrow NS ns1.zonemarrow
zonemarrow NS ns2.zonemarrow
brackwater-post NS ns1.zonemarrow
brackwater-post NS ns2.zonemarrow
ns1.zonemarrow A ${ADDRESSES.zonemarrow[0]}
ns2.zonemarrow A ${ADDRESSES.zonemarrow[1]}
ns1.nettlehost A ${ADDRESSES.nettlehost[0]}
ns2.nettlehost A ${ADDRESSES.nettlehost[1]}
`;

/** The DNS hosts that zones can be kept at. */
export const PRACTICE_HOSTS = ["nettlehost", "zonemarrow"] as const;
export type PracticeHost = (typeof PRACTICE_HOSTS)[number];

/** The name servers of a DNS host. */
export const nameServersOf = (host: PracticeHost): readonly DomainName[] =>
  ["ns1", "ns2"].map((server) => name(`${server}.${host}.example`));

/** The delegation of a further domain to Nettlehost, for the zone that holds it: `example`, or else the root. */
export const delegationOf = (domain: DomainName): string =>
  nameServersOf("nettlehost")
    .map((server) => `${domain} 6h IN NS ${server}\n`)
    .join("");

/** A zone that was just added at a DNS host, before anything is in it. */
export const emptyZone = (host: PracticeHost): string => start.replaceAll("nettlehost", host);

/** The zone of a further domain, as Nettlehost sets up a new one. */
export const newZone = (): string => `${start}${parked}`;

const start = `$TTL 1h
@ SOA ns1.nettlehost.example. hostmaster.nettlehost.example. 2026022801 2h 15m 2w 15m
@ NS ns1.nettlehost.example.
@ NS ns2.nettlehost.example.
`;

/** What Nettlehost puts into every new zone until somebody changes it. */
const parked = `@ A ${ADDRESSES.parked}
www CNAME parked.nettlehost.example.
`;

/** What every service that sends has: its servers, its SPF to include, its own mail. */
const sender = (key: "heronpost" | "swiftquill" | "inglemail"): string =>
  `${["in", "in1", "in2", "out", "submit"].map((label) => `${label} A ${ADDRESSES[key]}\n`).join("")}spf TXT "v=spf1 ip4:${ADDRESSES[key]} ~all"\n@ TXT "v=spf1 include:spf.${key}.example -all"\n@ MX 10 in\n`;

export const HOSTED_ZONES: Readonly<Record<string, string>> = {
  nettlehost: `${start}ns1 A ${ADDRESSES.nettlehost[0]}\nns2 A ${ADDRESSES.nettlehost[1]}\nparked A ${ADDRESSES.parked}\n`,
  brackwater: `${start}${parked}@ 30m TXT "v=spf1 include:spf.inglemail.example -all"\n@ MX 10 mx1.inglemail.example.\nbox-office A 192.0.2.20\n`,
  "brackwater-tickets": `${start}${parked}`,
  puppetfest: `${start}${parked}`,
  "puppetry-guild": `${start}lists MX 10 lists\nlists A ${ADDRESSES.guild}\nlists TXT "v=spf1 a -all"\n`,
  "cheap-seats": `${start}@ TXT "v=spf1 ip4:${ADDRESSES.forger} -all"\nmail A ${ADDRESSES.forger}\n`,
};

/** The beginning of a zone whose name servers are named within it. */
const ownStart = (label: Provider): string =>
  `${start.replaceAll("nettlehost.example.", `${label}.example.`)}${ADDRESSES.providers[label].map((address, i) => `ns${i + 1} A ${address}\n`).join("")}`;

/** The zones of the services, at their own name servers. */
export const PROVIDER_ZONES: Readonly<Record<Provider, string>> = {
  pagewick: `${ownStart("pagewick")}*.sites A ${ADDRESSES.pagewick}\n`,
  sealbarrow: `${ownStart("sealbarrow")}*.proof TXT "proof"\n`,
  heronpost: `${ownStart("heronpost")}${sender("heronpost")}return MX 10 in\nreturn TXT "v=spf1 include:spf.heronpost.example -all"\nclick A ${ADDRESSES.heronpost}\n`,
  swiftquill: `${ownStart("swiftquill")}${sender("swiftquill")}`,
  inglemail: `${ownStart("inglemail")}${sender("inglemail")}mx1 A ${ADDRESSES.inglemail}\nmx2 A ${ADDRESSES.inglemail}\n`,
  mallowmail: `${ownStart("mallowmail")}@ MX 10 mx\nmx A ${ADDRESSES.mallowmail}\n@ TXT "v=spf1 ip4:${ADDRESSES.mallowmail} -all"\n`,
};

/** Names of the servers that send, by address: a receiver asks for the name, and whether the name leads back. */
export const REVERSE_ZONE = `$TTL 1h
@ SOA ns.registry.example. registrar.registry.example. 1 2h 15m 2w 1h
@ NS ns.registry.example.
${(
  [
    ["heronpost", "out.heronpost"],
    ["swiftquill", "out.swiftquill"],
    ["inglemail", "out.inglemail"],
    ["mallowmail", "mx.mallowmail"],
    ["guild", "lists.puppetry-guild"],
    ["forger", "mail.cheap-seats"],
  ] as const
)
  .map(([key, host]) => `${ADDRESSES[key].split(".").slice(2).reverse().join(".")} PTR ${host}.example.\n`)
  .join("")}`;

/** The zones at the second DNS host. */
export const ZONEMARROW_ZONES: Readonly<Record<string, string>> = Object.fromEntries(
  Object.entries({
    zonemarrow: `ns1 A ${ADDRESSES.zonemarrow[0]}\nns2 A ${ADDRESSES.zonemarrow[1]}\n`,
    "brackwater-post": '@ TXT "v=spf1 -all"\n',
  }).map(([label, records]) => [label, `${emptyZone("zonemarrow")}${records}`]),
);
