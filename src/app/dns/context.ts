import { getServers } from "node:dns";
import { existsSync, realpathSync } from "node:fs";
import { basename, dirname, isAbsolute, relative, resolve } from "node:path";
import { authoritativeViewpoints, type Viewpoint } from "../../core/ask/index.ts";
import { type Clause, clause, NOTHING } from "../../core/clause/index.ts";
import type { SignedLookup, Verdict } from "../../core/dnssec/index.ts";
import { Failure, type Failures } from "../../core/failure.ts";
import {
  type Answer,
  type AnswerMemo,
  type Authority,
  atOwnServers,
  authorityOf,
  dsAtParent,
  inTurn,
  type Lookup,
  memoized,
  onward,
  type Servers,
  zoneLookup,
} from "../../core/lookup/index.ts";
import { type DomainName, displayName, labelsOf, parseName, readMeantName } from "../../core/name/index.ts";
import { type RecordType, toSets } from "../../core/record/index.ts";
import { type ParseOptions, readZone, type ZoneDocument, zoneFor, zonesOf } from "../../core/zone/index.ts";
import { parseServerAddress, type ServerAddress, serverText } from "../../net/address.ts";
import type { DnsClient } from "../../net/client.ts";
import type { WebOptions } from "../../net/web.ts";
import { type Domain, readText, type Settings } from "../../workspace/index.ts";
import type { AppContext } from "../context.ts";
import type { Trust } from "./trust.ts";

/** Where a request looks: which resolvers, which zone files, as of when, and how long it waits for one answer (milliseconds). */
export interface DnsOptions {
  readonly resolver: readonly string[];
  readonly zoneFile: readonly string[];
  /** Folders besides its own that a zone file may include files from. */
  readonly includeFrom: readonly string[];
  /** Milliseconds since 1970. */
  readonly at: number | undefined;
  readonly timeout: number;
}

/** The same for a request that may lack some of it: one that publishes looks neither into files nor into the past. */
export type DnsRequest = Pick<DnsOptions, "resolver" | "timeout"> &
  Partial<DnsOptions> & {
    readonly into?: string | undefined;
    /** How many questions one server gets at the same time. */
    readonly perServer?: number;
    /** Where answers are kept that outlive this look, so that several looks of one run ask each question once. */
    readonly answers?: AnswerMemo;
  };

/** A domain as it is served, and everybody who looks at it. */
export interface DomainLook {
  readonly authority: Authority;
  readonly viewpoints: readonly Viewpoint[];
  /** The domain as its delegated servers show it; undefined where nobody serves it. */
  readonly lookup: Lookup | undefined;
  /** The DNS host of the workspace, where the parent hands the domain to other servers. */
  readonly undelegatedHosts: readonly { readonly title: string; readonly lookup: Lookup }[];
}

/** Everything a command needs in order to look; each question is asked once in its life. */
export interface DnsContext {
  /** Milliseconds since 1970, by the clock or by `--at`. */
  readonly now: number;
  /** Whether that is the present, so that what is seen may be journalled. */
  readonly isPresent: boolean;
  /** The DNS as a resolver shows it, for names of other domains. */
  readonly world: Lookup;
  /** Whether what the DNS says of a name may be believed, by its signatures (DNSSEC). */
  trust(name: DomainName, type: RecordType): Promise<Verdict>;
  /** The same, where everything in a zone is asked of one of its servers, by its address. */
  trustAt(server: string, zone: DomainName, name: DomainName, type: RecordType): Promise<Verdict>;
  /** The keys of a zone as one of its servers shows them, asked in the way in which they are checked. */
  keysAt(server: string, zone: DomainName): Promise<Answer>;
  /** The DS records of a domain as its parent's servers have them now. */
  dsAtParent(domain: DomainName): Promise<Answer>;
  /** How the web is asked, through the same DNS; undefined where answers come from files. */
  readonly web: WebOptions | undefined;
  /** The zone file that `--into` names, and the folder it is relative to. */
  readonly into: { readonly folder: string; readonly file: string } | undefined;
  /** Folders besides their own that zone files may include files from. */
  readonly includeFrom: readonly string[];
  /** Names that exist, where answers come from files; a name server does not list them. */
  readonly names: ReadonlySet<DomainName>;
  /** Whether answers come from files, so that nothing observed may be journalled. */
  readonly fromFiles: boolean;
  look(domain: Pick<Domain, "name" | "host">): Promise<DomainLook>;
  /** Whether a name server of a domain, by its address, answers over TCP. */
  takesTcp(server: string, domain: DomainName): Promise<boolean>;
  /** Whether it takes questions with EDNS, as far as it was asked. */
  takesEdns(server: string, domain: DomainName): Promise<boolean>;
  /** A name server of a domain, by its address, at the port where such servers are asked. */
  serverAddress(address: string): ServerAddress;
  /** One server by its address, asked without recursion. */
  server(address: ServerAddress): Lookup;
  close(): void;
}

/** A DNS client that is loaded with its first question: who only reads zone files needs none of it. */
function lazyClient(
  timeout: number,
  concurrency?: number,
): Pick<DnsClient, "at" | "takesTcp" | "takesEdns" | "close"> & {
  signedAt(server: ServerAddress, recursive?: boolean): SignedLookup;
} {
  let loading: Promise<DnsClient> | undefined;
  const client = () =>
    (loading ??= import("../../net/client.ts").then(
      (net) => new net.DnsClient({ timeout, ...(concurrency === undefined ? {} : { concurrency }) }),
    ));
  return {
    at: (server, how) => ({ ask: async (name, type) => (await client()).at(server, how).ask(name, type) }),
    signedAt: (server, recursive) => ({
      askSigned: async (name, type) => (await client()).signedAt(server, recursive).askSigned(name, type),
    }),
    takesTcp: async (server, name) => (await client()).takesTcp(server, name),
    takesEdns: async (server, name) => (await client()).takesEdns(server, name),
    close: () => void loading?.then((opened) => opened.close()),
  };
}

/** Signed answers that are asked for once. */
function askedOnce(lookup: SignedLookup): SignedLookup {
  const asked = new Map<string, ReturnType<SignedLookup["askSigned"]>>();
  return {
    askSigned(name, type) {
      const key = `${type} ${name}`;
      let answer = asked.get(key);
      if (answer === undefined) asked.set(key, (answer = lookup.askSigned(name, type)));
      return answer;
    },
  };
}

/** A domain name given on the command line. */
export function nameOperand(text: string): DomainName {
  const parsed = readMeantName(text);
  if (parsed.ok && parsed.value !== ".") return parsed.value;
  throw new Failure("not-a-domain", { given: text, because: parsed.ok ? NOTHING : parsed.error.message });
}

/** The domain a zone file is about when it does not say so itself: by its own name, or the only domain in question. */
function originOf(file: string, domains: readonly DomainName[]): DomainName | undefined {
  const stem = parseName(basename(file).replace(/\.(zone|db|txt|dns)$/i, ""));
  if (stem.ok && (domains.includes(stem.value) || (domains.length === 0 && labelsOf(stem.value).length > 1))) return stem.value;
  return domains.length === 1 ? domains[0] : undefined;
}

/**
 * What an `$INCLUDE` of a zone file brings: files in the zone file's folder and below it, and in the folders that
 * `--include-from` names. A zone file from somebody else could make us show any other file of this machine.
 */
const includer =
  (cwd: string, file: string, folders: readonly string[]): NonNullable<ParseOptions["include"]> =>
  (path) => {
    const asked = resolve(cwd, file, "..", path);
    if (!existsSync(asked)) return { expected: clause("expected-readable-file") };
    const real = realpathSync(asked);
    const allowed = [dirname(realpathSync(resolve(cwd, file))), ...folders.map((folder) => resolve(cwd, folder))];
    const inside = allowed.some((folder) => existsSync(folder) && isInside(realpathSync(folder), real));
    if (!inside) return { expected: clause("expected-allowed-file") };
    return { text: readText(real, "latin1", MAX_ZONE) };
  };

const isInside = (folder: string, path: string): boolean => {
  const near = relative(folder, path);
  return near !== "" && !near.startsWith("..") && !isAbsolute(near);
};

/** Octets of a zone file, at most; the largest zones of organisations are far smaller. */
const MAX_ZONE = 256 << 20;

/** Reads a zone file; the first mistake in it is shown with its place. */
export function readZoneFile(
  cwd: string,
  file: string,
  domains: readonly DomainName[],
  ttl: number,
  includeFrom: readonly string[] = [],
): { readonly document: ZoneDocument; readonly options: ParseOptions } {
  const origin = originOf(file, domains);
  const options: ParseOptions = {
    ttl,
    ...(origin === undefined ? {} : { origin }),
    include: includer(cwd, file, includeFrom),
  };
  const document = readZone(readText(resolve(cwd, file), "latin1", MAX_ZONE), options);
  const [issue] = document.issues;
  if (issue !== undefined)
    throw new Failure("zone-file-line", {
      file: issue.file ?? file,
      line: issue.line,
      column: issue.column,
      found: issue.text,
      expected: issue.expected,
    });
  return { document, options };
}

function resolverAddress(text: string, where: Failures["not-a-resolver"]["where"]): ServerAddress {
  if (text === "system") {
    const [first] = getServers();
    const parsed = first === undefined ? undefined : parseServerAddress(first);
    if (parsed === undefined) throw new Failure("no-system-resolver", { where });
    return parsed;
  }
  const parsed = parseServerAddress(text);
  if (parsed === undefined) throw new Failure("not-a-resolver", { where, given: text });
  return parsed;
}

/** The resolvers whose view counts: from the options, the workspace, or this machine. */
function resolversOf(
  { resolver: given }: DnsRequest,
  settings: Settings | undefined,
): { name: string; address: ServerAddress; own: boolean }[] {
  if (given.length > 0)
    return given.map((text) => ({ name: text, address: resolverAddress(text, "option"), own: text === "system" }));
  const vantages = settings?.vantages ?? [];
  if (vantages.length > 0)
    return vantages.map(({ name, resolver }) => ({
      name,
      address: resolverAddress(resolver, { vantage: name }),
      own: resolver === "system",
    }));
  return [{ name: "this machine", address: resolverAddress("system", "machine"), own: true }];
}

/** Asks a lookup that checks signatures, and one that does not where the first refuses for them. */
const unlessBogus = (checked: Lookup, unchecked: () => Lookup): Lookup => ({
  async ask(name, type) {
    const answer = await checked.ask(name, type);
    return answer.kind === "failed" && answer.why === "bogus" ? unchecked().ask(name, type) : answer;
  },
});

/** The addresses a browser would be led to. */
async function webAddresses(base: Lookup, host: string): Promise<{ found: readonly string[] } | { failure: Clause }> {
  const parsed = parseName(host);
  if (!parsed.ok) return { failure: clause("answer-no-name", { host }) };
  const answers = await Promise.all([base.ask(parsed.value, "A"), base.ask(parsed.value, "AAAA")]);
  const found = answers.flatMap((answer) =>
    answer.kind === "found" ? answer.set.data.map((data) => (data as { address: string }).address) : [],
  );
  const failure = answers.find((answer) => answer.kind === "failed");
  return found.length === 0 && failure?.kind === "failed" ? { failure: failure.detail } : { found };
}

/** With what a domain is looked at. */
interface Eyes {
  readonly settings: Settings | undefined;
  readonly port: number;
  readonly found: Lookup;
  readonly servers: Servers;
  readonly vantages: readonly Viewpoint[];
  /** What aliases lead to, as its own servers show it. */
  readonly beyond: Lookup;
  ask(address: ServerAddress): Lookup;
}

/** Who serves a domain, whose view counts, and which servers of its host nobody is sent to. */
async function lookAt(
  { name, host }: Parameters<DnsContext["look"]>[0],
  { settings, port, found, servers, vantages, beyond, ask }: Eyes,
): Promise<DomainLook> {
  const asked = await authorityOf(name, found, servers);
  // Each server by itself; what its aliases lead to is asked once for all of them.
  const authority: Authority =
    asked.kind === "delegated" || asked.kind === "within"
      ? { ...asked, servers: asked.servers.map((server) => ({ ...server, lookup: memoized(onward(server.lookup, beyond)) })) }
      : asked;
  const delegated = authority.kind === "delegated" || authority.kind === "within" ? authority.servers : [];
  const configured = host === undefined ? undefined : settings?.hosts[host];
  const known = new Set(delegated.map((server) => serverText({ address: server.address, port })));
  const own = (configured?.servers ?? []).map((text) => hostServer(text, port));
  // A host one of whose servers is delegated to is delegated, whatever its other servers are.
  const isUndelegated = authority.kind !== "failed" && own.length > 0 && !own.some((address) => known.has(serverText(address)));
  const [first] = own;
  return {
    authority,
    viewpoints: [...authoritativeViewpoints(delegated, (server) => displayName(server.name)), ...vantages],
    lookup: delegated.length === 0 ? undefined : inTurn(delegated.map((server) => server.lookup)),
    undelegatedHosts:
      isUndelegated && first !== undefined && configured !== undefined ? [{ title: configured.title, lookup: ask(first) }] : [],
  };
}

/** Prepares looking as the options say. Close it when done. */
export function openDns(
  request: DnsRequest,
  context: Pick<AppContext, "cwd" | "clock">,
  settings: Settings | undefined,
  domains: readonly DomainName[],
): DnsContext {
  const now = request.at ?? context.clock.now();
  const files = request.zoneFile ?? [];
  const { timeout, answers } = request;
  if (files.length > 0) return openZoneFiles(request, context, settings, now, files, domains);

  const client = lazyClient(timeout, request.perServer);
  const lookups = new Map<string, Lookup>();
  const ask = (address: ServerAddress, recursive: boolean, unchecked = false): Lookup => {
    const key = `${recursive} ${unchecked} ${serverText(address)}`;
    let lookup = lookups.get(key);
    if (lookup === undefined) {
      const asking = client.at(address, { recursive, unchecked });
      lookups.set(key, (lookup = memoized(asking, answers === undefined ? undefined : { answers, name: key })));
    }
    return lookup;
  };
  const port = settings?.defaults.authorityPort ?? 53;
  const servers: Servers = { at: (address, { recursive }) => ask({ address, port }, recursive) };
  const resolvers = resolversOf(request, settings);
  const vantages = resolvers.map(
    ({ name, address, own }): Viewpoint => ({ name, role: "vantage", own, lookup: ask(address, true) }),
  );
  // Delegations are the same wherever one looks; whichever vantage answers is asked for them.
  const base = inTurn(vantages.map((vantage) => vantage.lookup));
  // Who serves a domain is found also where its signatures do not verify.
  const found = unlessBogus(base, () => inTurn(resolvers.map(({ address }) => ask(address, true, true))));
  const beyond = atOwnServers(found, servers);
  const signed = new Map<string, SignedLookup>();
  const signedAt = (address: ServerAddress, recursive: boolean): SignedLookup => {
    const key = `${recursive} ${serverText(address)}`;
    let known = signed.get(key);
    if (known === undefined) signed.set(key, (known = askedOnce(client.signedAt(address, recursive))));
    return known;
  };
  let trust: Trust | undefined;
  const trusted = async (): Promise<Trust> => {
    const { trustThrough } = await import("./trust.ts");
    trust ??= trustThrough(
      resolvers.map(({ address }) => signedAt(address, true)),
      settings,
      now,
    );
    return trust;
  };
  return {
    now,
    isPresent: request.at === undefined,
    world: base,
    trust: async (name, type) => (await trusted()).judge(name, type),
    trustAt: async (address, zone, name, type) => (await trusted()).judgeAt(signedAt({ address, port }, false), zone, name, type),
    async keysAt(address, zone) {
      const answer = await signedAt({ address, port }, false).askSigned(zone, "DNSKEY");
      if (answer.kind === "failed") return ask({ address, port }, false).ask(zone, "DNSKEY");
      const set = toSets(answer.answer).find((recordSet) => recordSet.name === zone && recordSet.type === "DNSKEY");
      const common = { chain: [], authoritative: true };
      return set === undefined ? { kind: "nodata", ...common } : { kind: "found", set, ...common };
    },
    dsAtParent: (domain) => dsAtParent(domain, found, servers),
    into: request.into === undefined ? undefined : { folder: context.cwd, file: request.into },
    web: {
      addresses: (host) => webAddresses(base, host),
      ports: settings?.defaults.webPorts ?? { http: 80, https: 443 },
      timeout,
    },
    includeFrom: request.includeFrom ?? [],
    names: new Set(),
    fromFiles: false,
    takesTcp: (address, domain) => client.takesTcp({ address, port }, domain),
    takesEdns: (address, domain) => client.takesEdns({ address, port }, domain),
    serverAddress: (address) => ({ address, port }),
    server: (address) => onward(ask(address, false), beyond),
    close: () => client.close(),
    look: (domain) => lookAt(domain, { settings, port, found, servers, vantages, beyond, ask: (address) => ask(address, false) }),
  };
}

export function hostServer(text: string, port: number): ServerAddress {
  const parsed = parseServerAddress(text, port);
  if (parsed === undefined) throw new Failure("host-server", { given: text });
  return parsed;
}

function openZoneFiles(
  { resolver: given, timeout, includeFrom = [] }: DnsRequest,
  context: Pick<AppContext, "cwd">,
  settings: Settings | undefined,
  now: number,
  files: readonly string[],
  domains: readonly DomainName[],
): DnsContext {
  const client = given.length === 0 ? undefined : lazyClient(timeout);
  const beyond =
    client === undefined ? undefined : memoized(client.at(resolverAddress(given[0] as string, "option"), { recursive: true }));
  const zones = files.flatMap((file) =>
    zonesOf(readZoneFile(context.cwd, file, domains, settings?.defaults.ttl ?? 3600, includeFrom).document),
  );
  const lookup = memoized(zoneLookup(zones, beyond));
  return {
    now,
    isPresent: false,
    world: lookup,
    trust: async () => ({ kind: "indeterminate", why: "no-anchor" }),
    trustAt: async () => ({ kind: "indeterminate", why: "no-anchor" }),
    keysAt: (_, zone) => lookup.ask(zone, "DNSKEY"),
    dsAtParent: (domain) => lookup.ask(domain, "DS"),
    into: undefined,
    web: undefined,
    includeFrom,
    names: new Set(zones.flatMap((zone) => [...zone.names])),
    fromFiles: true,
    takesTcp: async () => true,
    takesEdns: async () => true,
    serverAddress: (address) => ({ address, port: settings?.defaults.authorityPort ?? 53 }),
    server: () => lookup,
    close: () => client?.close(),
    async look({ name }) {
      const zone = zoneFor(zones, name);
      const covered = zone !== undefined;
      const servers = [{ name, address: files.join(", "), lookup }];
      const authority: Authority =
        zone === undefined
          ? { kind: "failed", because: clause("authority-not-in-files", { domain: name }) }
          : zone.apex === name
            ? { kind: "delegated", apex: name, servers, unreachable: [], ttl: 0 }
            : {
                ...{ kind: "within", zone: zone.apex, servers },
                because: clause("authority-not-delegated", { parent: zone.apex, domain: name }),
              };
      return {
        authority,
        lookup: covered ? lookup : undefined,
        viewpoints: covered ? [{ name: files.join(", "), role: "authoritative", lookup }] : [],
        undelegatedHosts: [],
      };
    },
  };
}
