import { clause } from "../clause/index.ts";
import { checkSelector, keyNameOf, type SelectorCheck, usualSelectors } from "../dkim/index.ts";
import { destinationOf, discoverByList, discoverByWalk, lookupDmarc, verifyExternalDestination } from "../dmarc/index.ts";
import type { Verdict } from "../dnssec/index.ts";
import { type Answer, type Lookup, memoized } from "../lookup/index.ts";
import { type DomainName, name as nameOf, under } from "../name/index.ts";
import { type DataOf, isOfType, type KnownType } from "../record/index.ts";
import { isSpf, lookupSpf, spfTree } from "../spf/index.ts";
import { forwardConfirmedReverse } from "../verdict/index.ts";
import type { Area } from "./area.ts";
import { type AuditInput, type Facts, type Host, type Published, textsIn, type Unresolved } from "./facts.ts";

/** A label that nobody would make. */
const NOBODY = "zandrel-looks-for-wildcards";
/** What every server is asked to see whether its signatures verify: nobody else asks for it, and it is signed or signed to be missing. */
const ASKED_FOR_SIGNATURES = "NSEC3PARAM";

/** Hosts below a domain that send mail or take bounces, by their usual names. */
const USUAL_HOSTS = ["www", "mail", "news", "newsletter", "email", "bounce", "bounces", "return"];

/** How the names of MTA-STS and TLS reporting are mistyped. */
const MISTYPED: Readonly<Record<string, readonly string[]>> = {
  "_smtp._tls": ["_tls", "_smtp-tls", "_smtp_tls", "smtp._tls", "_smtp.tls", "_tlsrpt", "_smtp._tls._report"],
  "_mta-sts": ["_mta_sts", "_mtasts", "mta_sts", "_sts", "mta-sts"],
};

/** Single addresses whose reverse names are looked up. */
const MAX_REVERSE = 5;

/** How everything is asked: each question once, and what could not be asked is noted. */
interface Asking {
  readonly input: AuditInput;
  readonly everywhere: Lookup;
  /** What is at a name; nothing where the name would be too long. */
  at<T extends KnownType>(name: DomainName | undefined, type: T, lookup?: Lookup): Promise<Published<T>>;
  host(name: DomainName): Promise<Host>;
  /** The DS records, which stand on the parent's side. */
  ds(): Promise<Answer>;
  /** The keys, as the first name server shows them that can be asked. */
  keys(): Promise<Answer>;
  /** A name below the domain; undefined where it would be too long. */
  below(labels: string, of?: DomainName): DomainName | undefined;
}

function asking(input: AuditInput, unresolved: Map<string, Unresolved>): Asking {
  const { domain } = input;
  const noting = (lookup: Lookup): Lookup => ({
    async ask(name, type) {
      const answer = await lookup.ask(name, type);
      // Zone files never hold the top of the tree, and no policy is expected there.
      const top = answer.kind === "failed" && answer.why === "outside" && /^_dmarc\.[^.]+\.$/.test(name);
      if (answer.kind === "failed" && !top) unresolved.set(`${name} ${type}`, { name, type, because: answer.detail });
      return answer;
    },
  });
  const own = memoized(noting(input.lookup));
  const everywhere = memoized({
    ask: (name, type) => (name === domain || name.endsWith(`.${domain}`) ? own : noting(input.world)).ask(name, type),
  });
  async function at<T extends KnownType>(
    name: DomainName | undefined,
    type: T,
    lookup: Lookup = everywhere,
  ): Promise<Published<T>> {
    const answer: Answer =
      name === undefined ? { kind: "nodata", chain: [], authoritative: false } : await lookup.ask(name, type);
    return {
      answer,
      data: answer.kind === "found" && isOfType(answer.set, type) ? (answer.set.data as readonly DataOf[T][]) : [],
    };
  }
  const host = async (name: DomainName): Promise<Host> => {
    const [a, aaaa] = await Promise.all([at(name, "A"), at(name, "AAAA")]);
    const alias = a.answer.chain[0]?.data[0]?.target ?? aaaa.answer.chain[0]?.data[0]?.target;
    const addresses = [...a.data, ...aaaa.data].map((data) => data.address);
    return {
      name,
      a,
      aaaa,
      addresses,
      alias,
      hasNone: addresses.length === 0 && a.answer.kind !== "failed" && aaaa.answer.kind !== "failed",
    };
  };
  const below = (labels: string, of: DomainName = domain): DomainName | undefined => under(nameOf(labels), of);
  const atParent = input.dsAtParent;
  const ds = () => (atParent === undefined ? everywhere.ask(domain, "DS") : noting({ ask: () => atParent() }).ask(domain, "DS"));
  const keys = async (): Promise<Answer> => {
    const { authority, keysAt } = input;
    const [first] = authority.kind === "delegated" ? authority.servers : [];
    const answer = first === undefined || keysAt === undefined ? undefined : await keysAt(first.address);
    return answer === undefined || answer.kind === "failed" ? everywhere.ask(domain, "DNSKEY") : answer;
  };
  return { input, everywhere, at, host, below, ds, keys };
}

/** The zone itself, and where mail and the site lead. */
async function zoneFacts({ input, at, host, below }: Asking) {
  const { domain } = input;
  const [soa, ns, mx, caa, txt, apex, www] = await Promise.all([
    at(domain, "SOA"),
    at(domain, "NS"),
    at(domain, "MX"),
    at(domain, "CAA"),
    at(domain, "TXT"),
    host(domain),
    host(below("www") ?? domain),
  ]);
  const nameServers = await Promise.all([...new Set(ns.data.map((data) => data.target))].map(host));
  const exchanges = await Promise.all(
    mx.data
      .filter((data) => data.exchange !== ".")
      .map(async ({ exchange, preference }) => ({ ...(await host(exchange)), preference })),
  );
  return { soa, ns, mx, caa, txt, apex, www, nameServers, exchanges };
}

/** Each of its servers, and whether they show the same. */
async function serverFacts({ input, at, below }: Asking) {
  const { domain, authority } = input;
  const delegated = authority.kind === "delegated" ? authority.servers : [];
  const policy = below("_dmarc");
  // Addresses may differ on purpose, by where one asks from; texts and mail servers never.
  const compared = [
    [domain, "TXT"],
    [domain, "MX"],
    [domain, "CAA"],
    ...(policy === undefined ? [] : ([[policy, "TXT"]] as const)),
    ...input.selectors.flatMap(({ selector }) => keyNameOf(domain, selector) ?? []).map((key) => [key, "TXT"] as const),
  ] as const;
  const servers = await Promise.all(
    delegated.map(async ({ name, address, lookup }) => {
      const [publishedSoa, publishedNs] = await Promise.all([at(domain, "SOA", lookup), at(domain, "NS", lookup)]);
      const answers = publishedSoa.answer.kind !== "failed";
      const takesTcp = !answers || input.takesTcp === undefined || (await input.takesTcp(address));
      const takesEdns = !answers || input.takesEdns === undefined || (await input.takesEdns(address));
      // One server alone has nobody to differ from.
      const shows =
        answers && delegated.length > 1
          ? await Promise.all(compared.map(async ([of, type]) => ({ name: of, type, answer: await lookup.ask(of, type) })))
          : [];
      return { name, address, soa: publishedSoa, ns: publishedNs, takesTcp, takesEdns, shows };
    }),
  );
  return { servers };
}

/** What answers for names that nobody made, and names at which the domain was written twice. */
async function wildcardFacts({ input, at, below, everywhere }: Asking) {
  const { domain } = input;
  const [anyA, anyTxt, anyMx, anyKey, anyDmarc] = await Promise.all([
    at(below(NOBODY), "A"),
    at(below(NOBODY), "TXT"),
    at(below(NOBODY), "MX"),
    at(below(`${NOBODY}._domainkey`), "TXT"),
    at(below(`_dmarc.${NOBODY}`), "TXT"),
  ]);
  // A wildcard would answer for these names too, and says nothing about a mistake.
  const wild = [anyA, anyTxt].some(({ data }) => data.length > 0);
  // Below any wildcard every name is there, without what the wildcard does not have (RFC 4592 section 2.2.1).
  const madeUp = wild || anyMx.data.length > 0;
  const twice = under(domain, domain);
  const doubledNames =
    twice === undefined ? [] : [twice, ...["www", "_dmarc", "_domainkey"].flatMap((label) => below(label, twice) ?? [])];
  const doubled = madeUp
    ? []
    : (await Promise.all(doubledNames.map(async (name) => ({ name, answer: await everywhere.ask(name, "TXT") })))).filter(
        ({ answer }) => answer.kind === "found" || answer.kind === "nodata",
      );
  return { anyA, anyTxt, anyMx, anyKey, anyDmarc, wild, doubled: doubled.map(({ name }) => name) };
}

/** The SPF record with everything it leads to, and whether sources that were replaced by addresses have moved. */
async function spfFacts({ input, everywhere }: Asking) {
  const { domain, organizationalDomain } = input;
  const spf = await lookupSpf(domain.slice(0, -1), everywhere);
  const tree =
    "record" in spf
      ? await spfTree(spf.record, domain.slice(0, -1), everywhere, { addresses: true, organizationalDomain })
      : undefined;
  const flattenedNow = await Promise.all(
    input.flattened.map(async ({ term, addresses }) => {
      const found = await lookupSpf(term.replace(/^\+?include:/i, ""), everywhere);
      const now =
        "record" in found
          ? await spfTree(found.record, term, everywhere, { addresses: true })
          : { domain: term, text: undefined, branches: [], problem: found.problem };
      return { term, before: addresses, now };
    }),
  );
  const singles = (tree?.branches ?? [])
    .flatMap(({ term }) =>
      term.kind === "mechanism" && term.address !== undefined && (term.prefix4 ?? 32) === 32 && (term.prefix6 ?? 128) === 128
        ? [term.address]
        : [],
    )
    .filter((address) => address.includes("."))
    .slice(0, MAX_REVERSE);
  const reverse = await Promise.all(
    singles.map(async (address) => ({ address, ...(await forwardConfirmedReverse(address, everywhere)) })),
  );
  return { spf, spfTree: tree, flattenedNow, reverse };
}

/** The keys at every selector that is known or usual. */
async function keyFacts({ input, everywhere }: Asking, anyKey: Published<"TXT">): Promise<SelectorCheck[]> {
  const { domain } = input;
  const known = input.selectors.map(({ selector }) => selector);
  const keys = await Promise.all(
    input.selectors.map(({ selector, own: key }) => checkSelector(domain, selector, everywhere, key)),
  );
  const usual = (
    await Promise.all(
      usualSelectors(domain)
        .filter((usualSelector) => !known.includes(usualSelector))
        .map((usualSelector) => checkSelector(domain, usualSelector, everywhere)),
    )
  ).filter((selectorCheck) => selectorCheck.state !== "absent" && selectorCheck.state !== "unknown" && anyKey.data.length === 0);
  return [...keys, ...usual];
}

/** The policy, found both ways, and whether reports about it are taken where they go. */
async function dmarcFacts({ input, at, host, everywhere }: Asking) {
  const { domain, organizationalDomain } = input;
  const [publishedDmarc, dmarc, dmarcByList] = await Promise.all([
    lookupDmarc(domain, everywhere),
    discoverByWalk(domain, everywhere),
    discoverByList(domain, everywhere, organizationalDomain),
  ]);
  const uris = dmarc.record === undefined ? [] : [...dmarc.record.aggregate, ...dmarc.record.failure];
  const destinations = await Promise.all(
    [...new Set(uris.flatMap((uri) => destinationOf(uri) ?? []))].map(async (destination) => {
      const exchange = await at(destination, "MX");
      const address = await host(destination);
      const nullMx = exchange.data.some((data) => data.exchange === ".");
      const takesMail = nullMx
        ? false
        : exchange.data.length > 0 || address.addresses.length > 0
          ? true
          : exchange.answer.kind !== "failed" && address.hasNone
            ? false
            : undefined;
      return {
        destination,
        takesMail,
        permission: await verifyExternalDestination(dmarc.at ?? domain, dmarc.organizational, destination, everywhere),
      };
    }),
  );
  return { publishedDmarc, dmarc, dmarcByList, dmarcRecord: dmarc.record, destinations };
}

/** What is said about encrypted delivery, at the right names and at mistyped ones, and what DNSSEC there is. */
async function transportFacts(
  { input, at, host, below, everywhere, ds: askDs, keys: askKeys }: Asking,
  wild: boolean,
  relied: readonly { readonly name: DomainName; readonly type: string }[],
) {
  const { domain } = input;
  const [mtaSts, tlsRpt, mtaStsHost, ds, dnskey, type99, cds] = await Promise.all([
    at(below("_mta-sts"), "TXT"),
    at(below("_smtp._tls"), "TXT"),
    host(below("mta-sts") ?? domain),
    askDs(),
    askKeys(),
    everywhere.ask(domain, "SPF"),
    everywhere.ask(domain, "CDS"),
  ]);
  const { trust = async (): Promise<Verdict> => ({ kind: "indeterminate", why: "no-anchor" }) } = input;
  const own = await trust(domain, "SOA");
  const { authority, trustAt } = input;
  const judgedServers =
    own.kind !== "secure" || trustAt === undefined || authority.kind !== "delegated"
      ? []
      : await Promise.all(
          authority.servers.map(async ({ name, address }) => ({
            name,
            verdict: await trustAt(address, domain, ASKED_FOR_SIGNATURES),
          })),
        );
  const bad = judgedServers.flatMap(({ name, verdict }) => (verdict.kind === "bogus" ? [{ name, flaw: verdict.flaw }] : []));
  // Where no server verifies, it is not the servers: nobody would be left if each were taken out.
  const badServers = judgedServers.some(({ verdict }) => verdict.kind === "secure") ? bad : [];
  const [policy, nobody] = [below("_dmarc"), below(NOBODY)];
  // Without a trust anchor, or without signatures, there is nothing more to be found out.
  const isJudged = own.kind === "secure" || own.kind === "bogus";
  const judged = isJudged
    ? await Promise.all(
        [...relied, ...[policy, nobody].flatMap((name) => (name === undefined ? [] : [{ name, type: "TXT" }]))].map(
          async ({ name, type }) => ({ name, type, verdict: await trust(name, type) }),
        ),
      )
    : [];
  const chains = [own, ...judged.map(({ verdict }) => verdict)];
  const refused = judged.flatMap(({ name, type, verdict }) => (verdict.kind === "bogus" ? [{ name, type }] : []));
  if (own.kind === "secure" && bad.length > 0 && badServers.length === 0) {
    const [{ flaw } = { flaw: undefined }] = bad;
    if (flaw !== undefined) chains.push({ kind: "bogus", flaw });
  }
  const misplaced = wild
    ? []
    : (
        await Promise.all(
          Object.entries(MISTYPED).flatMap(([right, labels]) =>
            labels.map(async (label) => {
              const wrong = below(label);
              const wanted = below(right);
              if (wrong === undefined || wanted === undefined) return [];
              return textsIn(await at(wrong, "TXT"))
                .filter((text) => /^v=(TLSRPT|STS)v1/i.test(text))
                .map((text) => ({ name: wrong, right: wanted, text }));
            }),
          ),
        )
      ).flat();
  return { chains, refused, badServers, cds, mtaSts, tlsRpt, mtaStsHost, ds, dnskey, type99, misplaced };
}

/** Hosts below the domain: policies of their own, and return paths. */
async function hostFacts(
  { input, at, below, everywhere }: Asking,
  { anyDmarc, anyMx, wild }: Awaited<ReturnType<typeof wildcardFacts>>,
) {
  const subHosts = [...new Set([...input.hosts, ...USUAL_HOSTS.flatMap((label) => below(label) ?? [])])];
  const subPolicies =
    anyDmarc.data.length > 0
      ? []
      : (
          await Promise.all(
            subHosts.map(async (name) => {
              const found = await lookupDmarc(name, everywhere);
              return found.kind === "record" ? [{ name, record: found.record }] : [];
            }),
          )
        ).flat();
  const returnPaths =
    wild || anyMx.data.length > 0
      ? []
      : (
          await Promise.all(
            subHosts.map(async (name) => {
              const [exchange, found] = await Promise.all([at(name, "MX"), lookupSpf(name.slice(0, -1), everywhere)]);
              return exchange.data.some((data) => data.exchange !== ".") ? [{ name, spf: found }] : [];
            }),
          )
        ).flat();
  return { subPolicies, returnPaths };
}

/** The sets that findings and what is right speak of, each of which resolvers that check signatures have to take. */
function reliedOn(
  domain: DomainName,
  { apex, www }: Awaited<ReturnType<typeof zoneFacts>>,
  keys: readonly SelectorCheck[],
): { readonly name: DomainName; readonly type: string }[] {
  const hosts = [apex, www].flatMap(({ name, a, aaaa }) =>
    [
      { name, type: "A", ...a },
      { name, type: "AAAA", ...aaaa },
    ].filter(({ answer }) => answer.kind === "found"),
  );
  return [
    ...["MX", "TXT", "CAA"].map((type) => ({ name: domain, type })),
    ...hosts.map(({ name, type }) => ({ name, type })),
    ...keys
      .flatMap(({ selector, state }) => (state === "absent" ? [] : (keyNameOf(domain, selector) ?? [])))
      .map((name) => ({ name, type: "TXT" })),
  ];
}

/** For which areas each group of questions is asked; the zone itself is looked at for all of them. */
const ASKED_FOR: Readonly<Record<"servers" | "wildcards" | "spf" | "policy" | "keys" | "transport" | "hosts", readonly Area[]>> =
  {
    servers: ["delegation"],
    wildcards: ["delegation", "wildcard", "ownership", "spf", "dkim", "dmarc", "parked", "transport", "bulk"],
    spf: ["spf", "dmarc", "parked", "bulk"],
    policy: ["dmarc", "reports", "spf", "parked", "bulk"],
    keys: ["dkim", "dmarc", "parked", "bulk"],
    transport: ["delegation", "spf", "transport"],
    hosts: ["spf", "dmarc"],
  };

/**
 * What a domain is for, where nobody wrote it down: one that takes no mail and lets nobody send is parked, and protected as it should be
 * (RFC 7505, RFC 7208 section 10.1.2).
 */
function roleOf(
  { role }: AuditInput,
  { mx }: Awaited<ReturnType<typeof zoneFacts>>,
  { spf }: Awaited<ReturnType<typeof spfFacts>>,
): AuditInput["role"] {
  if (role !== undefined || !("record" in spf)) return role;
  const [only, ...more] = spf.record.terms;
  const letsNobody = more.length === 0 && only?.kind === "mechanism" && only.name === "all" && only.qualifier === "-";
  const takesNone = mx.answer.kind !== "failed" && mx.data.every(({ exchange }) => exchange === ".");
  return letsNobody && takesNone ? "parked" : undefined;
}

/** A lookup for what is not looked at: it asks nobody. */
const NOTHING: Lookup = { ask: async () => ({ kind: "nxdomain", chain: [], authoritative: false }) };

/**
 * Whether a domain is not registered: nobody is told by the parent to serve it, and its name does not exist, so that nothing below it
 * does either (RFC 8020 section 2).
 */
export const isNotRegistered = async ({ authority, domain, world }: AuditInput): Promise<boolean> =>
  authority.kind === "not-delegated" && (await world.ask(domain, "NS")).kind === "nxdomain";

/** Whether a name inside a zone is not there: then no record is missing there, but the name itself (RFC 8020 section 2). */
export const isNoName = async ({ authority, domain, lookup }: AuditInput): Promise<boolean> => {
  if (authority.kind !== "within") return false;
  const answer = await lookup.ask(domain, "TXT");
  return answer.kind === "nxdomain" && answer.chain.length === 0;
};

/** Asks everything the rules need, each question once. */
export async function gatherFacts(input: AuditInput): Promise<Facts> {
  const unresolved = new Map<string, Unresolved>();
  const { areas = [] } = input;
  const all = asking(input, unresolved);
  const none = asking(
    {
      ...{
        domain: input.domain,
        role: input.role,
        authority: { kind: "failed", because: clause("nothing") },
        lookup: NOTHING,
        world: NOTHING,
      },
      ...{ organizationalDomain: input.organizationalDomain, selectors: [], openKeyFiles: [], asks: [], wantedTexts: [] },
      ...{ undelegatedHosts: [], hosts: [], issuers: [], flattened: [] },
    },
    new Map(),
  );
  const askFor = (group: keyof typeof ASKED_FOR): Asking =>
    areas.length === 0 || areas.some((area) => ASKED_FOR[group].includes(area)) ? all : none;
  const [zone, servers, wildcards, spf, policy] = await Promise.all([
    zoneFacts(all),
    serverFacts(askFor("servers")),
    wildcardFacts(askFor("wildcards")),
    spfFacts(askFor("spf")),
    dmarcFacts(askFor("policy")),
  ]);
  const keys = await keyFacts(askFor("keys"), wildcards.anyKey);
  const [transport, hosts] = await Promise.all([
    transportFacts(askFor("transport"), wildcards.wild, reliedOn(input.domain, zone, keys)),
    hostFacts(askFor("hosts"), wildcards),
  ]);
  const texts = textsIn(zone.txt);
  const role = roleOf(input, zone, spf);
  const { wild: _, ...unmade } = wildcards;
  return {
    ...input,
    ...zone,
    ...servers,
    ...unmade,
    ...spf,
    ...policy,
    ...transport,
    ...hosts,
    unresolved: [
      ...unresolved.values(),
      ...transport.chains
        .slice(0, 1)
        .flatMap((one) =>
          one.kind === "indeterminate" && one.why === "unresolved"
            ? [{ name: input.domain, type: "DNSSEC", because: one.because }]
            : [],
        ),
      ...(input.web ?? [])
        .filter((siteCheck) => siteCheck.met === undefined)
        .map(({ name, because }) => ({
          name: input.domain,
          type: "web",
          because: clause("site-web-unseen", { name, because }),
        })),
    ],
    role,
    sends: role !== "parked" && role !== "redirect",
    texts,
    spfTexts: texts.filter(isSpf),
    keys,
  };
}
