import { type Clause, clause } from "../clause/index.ts";
import { type DomainName, parentOf, ROOT, upwards } from "../name/index.ts";
import type { DataOf, RecordSet, RecordType } from "../record/index.ts";
import type { Answer, Failed, Lookup } from "./lookup.ts";

/** Asks a server by its address; `recursive` asks it to go and find the answer. */
export interface Servers {
  at(address: string, options: { readonly recursive: boolean }): Lookup;
}

/** A server that the parent zone names for a domain. */
export interface AuthoritativeServer {
  readonly name: DomainName;
  readonly address: string;
  readonly lookup: Lookup;
}

/**
 * Who answers for a domain by the word of its parent zone.
 * - `delegated`: these servers
 * - `within`: it is a name inside the zone of a domain above it, and these servers are that zone's
 * - `not-delegated`: the parent says that the domain does not exist or is not delegated
 * - `failed`: nobody could say
 */
export type Authority =
  | {
      readonly kind: "delegated";
      readonly apex: DomainName;
      readonly servers: readonly AuthoritativeServer[];
      /** Name servers whose address could not be found, with the reason. */
      readonly unreachable: readonly { readonly name: DomainName; readonly because: Clause }[];
      /** How long resolvers keep the delegation, in seconds. */
      readonly ttl: number;
    }
  | {
      readonly kind: "within";
      readonly zone: DomainName;
      readonly servers: readonly AuthoritativeServer[];
      readonly because: Clause;
    }
  | { readonly kind: "not-delegated"; readonly parent: DomainName; readonly because: Clause }
  | { readonly kind: "failed"; readonly because: Clause };

async function addressesOf(
  base: Lookup,
  name: DomainName,
  glue: readonly RecordSet[],
): Promise<{ addresses: string[]; failure?: Failed }> {
  const known = glue.filter((set) => set.name === name);
  if (known.length > 0) return { addresses: known.flatMap(addressesIn) };
  const answers = await Promise.all([base.ask(name, "A"), base.ask(name, "AAAA")]);
  const addresses = answers.flatMap((answer) => (answer.kind === "found" ? addressesIn(answer.set) : []));
  const failure = answers.find((answer) => answer.kind === "failed");
  return { addresses, ...(addresses.length === 0 && failure !== undefined ? { failure } : {}) };
}

const addressesIn = (set: RecordSet): string[] => (set as RecordSet<DataOf["A"]>).data.map((data) => data.address);

const targetsOf = (set: RecordSet): readonly DomainName[] => (set as RecordSet<DataOf["NS"]>).data.map((data) => data.target);

/** The zone above a name and its name servers, as a resolver knows them. */
async function parentZone(base: Lookup, domain: DomainName): Promise<{ apex: DomainName; ns: RecordSet } | Failed | undefined> {
  for (const above of upwards(parentOf(domain))) {
    const answer = await base.ask(above, "NS");
    if (answer.kind === "failed") return answer;
    if (answer.kind === "found" && answer.chain.length === 0) return { apex: above, ns: answer.set };
    if (above === ROOT) break;
  }
  return undefined;
}

/** What a parent's server says of a domain: for NS it hands out the set with glue, or the answer that says there is none. */
async function askParent(
  base: Lookup,
  servers: Servers,
  parent: { ns: RecordSet },
  domain: DomainName,
  type: RecordType,
): Promise<Answer | undefined> {
  let last: Answer | undefined;
  for (const target of targetsOf(parent.ns)) {
    const { addresses } = await addressesOf(base, target, []);
    for (const address of addresses) {
      const answer = await servers.at(address, { recursive: false }).ask(domain, type);
      if (answer.kind !== "failed" || answer.why === "delegated") return answer;
      last = answer;
    }
  }
  return last;
}

/**
 * The DS records of a domain as its parent's servers have them now, and not as resolvers remember them (RFC 4035 section 3.1.4.1).
 * Where the parent's servers cannot be asked from here, the resolver's word is taken.
 */
export async function dsAtParent(domain: DomainName, base: Lookup, servers: Servers): Promise<Answer> {
  const parent = await parentZone(base, domain);
  const said = parent === undefined || "kind" in parent ? undefined : await askParent(base, servers, parent, domain, "DS");
  if (said === undefined || (said.kind === "failed" && said.delegation === undefined)) return base.ask(domain, "DS");
  // A server that hands the question on does not know DS records, and so has none.
  return said.kind === "failed" ? { kind: "nodata", chain: [], authoritative: false } : said;
}

/**
 * Finds the servers that answer for a domain the way a resolver does: from the parent zone down, never by
 * what the domain's own servers claim (RFC 1034 section 5.3.3). Where the parent's servers cannot be asked
 * from here, the resolver's word is taken.
 */
export async function authorityOf(domain: DomainName, base: Lookup, servers: Servers): Promise<Authority> {
  const parent = await parentZone(base, domain);
  if (parent === undefined) return { kind: "failed", because: clause("authority-none-above", { domain }) };
  if ("kind" in parent) return { kind: "failed", because: parent.detail };
  const said = await askParent(base, servers, parent, domain, "NS");
  let ns: RecordSet | undefined;
  let glue: readonly RecordSet[] = [];
  if (said?.kind === "found") ns = said.set;
  else if (said?.kind === "failed" && said.delegation !== undefined) ({ ns, glue } = said.delegation);
  else if (said?.kind === "nodata" || said?.kind === "nxdomain") {
    const because = clause("authority-not-delegated", { parent: parent.apex, domain });
    // The list of registries is large, and seldom needed.
    const { organizationalDomain } = await import("../suffix/index.ts");
    // Below a registered domain a name needs no name servers of its own.
    if (organizationalDomain(domain) === domain) return { kind: "not-delegated", parent: parent.apex, because };
    const { found } = await serversOf(parent.ns, [], base, servers);
    return { kind: "within", zone: parent.apex, servers: found, because };
  } else {
    const resolved = await base.ask(domain, "NS");
    if (resolved.kind === "failed") return { kind: "failed", because: resolved.detail };
    if (resolved.kind !== "found" || resolved.chain.length > 0)
      return { kind: "not-delegated", parent: parent.apex, because: clause("authority-no-servers", { domain }) };
    ns = resolved.set;
  }
  if (ns.name !== domain)
    return {
      kind: "not-delegated",
      parent: parent.apex,
      because: clause("authority-part-of", { domain, zone: ns.name }),
    };
  const { found, unreachable } = await serversOf(ns, glue, base, servers);
  return { kind: "delegated", apex: domain, servers: found, unreachable, ttl: ns.ttl };
}

/** The servers that an NS set names, and those whose address could not be found. */
async function serversOf(ns: RecordSet, glue: readonly RecordSet[], base: Lookup, servers: Servers) {
  const found: AuthoritativeServer[] = [];
  const unreachable: { name: DomainName; because: Clause }[] = [];
  for (const name of targetsOf(ns)) {
    const { addresses, failure } = await addressesOf(base, name, glue);
    // One address a server: they serve the same data, and asking each would only repeat the question.
    const [address] = addresses;
    if (address === undefined)
      unreachable.push({ name, because: failure?.detail ?? clause("authority-no-address", { server: name }) });
    else found.push({ name, address, lookup: servers.at(address, { recursive: false }) });
  }
  return { found, unreachable };
}
