import { type DomainName, displayName, isAtOrBelow, isBelow, name, parseName } from "../core/name/index.ts";
import { type DataOf, printData } from "../core/record/index.ts";
import { err, ok, type Result } from "../core/result.ts";
import { readRecords } from "../core/zone/index.ts";
import type { AuthorityHost } from "./authority.ts";
import { nameServersOf, PRACTICE_HOSTS, type PracticeHost } from "./zones.ts";

/** What the registrar has on record for a domain, as its page and its JSON show it. */
export interface Registration {
  readonly domain: DomainName;
  /** The name servers that the registry names. */
  readonly nameServers: readonly DomainName[];
  /** The DNS host that all of them belong to; null where they are of several, or of none that is known. */
  readonly host: PracticeHost | null;
  /** How long resolvers remember the name servers, in seconds. */
  readonly ttl: number;
  /** The DNSSEC records (DS), as zone files write their data. */
  readonly ds: readonly string[];
  /** How long resolvers remember those, in seconds. */
  readonly dsTtl: number;
}

/** What a customer changes; what is left out stays. */
export interface RegistrationChange {
  /** Names of servers, or keys of DNS hosts, which stand for all of theirs. */
  readonly nameServers?: readonly string[];
  /** The DNSSEC records there are to be: none deletes them. */
  readonly ds?: readonly string[];
}

/** How long resolvers remember what the registry says, in seconds. */
const REMEMBERED = 6 * 3600;
/** As many name servers as a registry takes. */
const MAX_SERVERS = 13;

const isHost = (text: string): text is PracticeHost => (PRACTICE_HOSTS as readonly string[]).includes(text);

/**
 * Where the theatre's domains are registered: it tells the registry which name servers a domain has and which DNSSEC records, and
 * like any registrar it does not look whether those servers know the domain.
 */
export class Registrar {
  readonly #registry: AuthorityHost;

  constructor(registry: AuthorityHost) {
    this.#registry = registry;
  }

  /** What is on record for a domain. */
  registration(domain: DomainName): Registration {
    const [ns, ds] = (["NS", "DS"] as const).map((type) => this.#registry.set(parentOf(domain), domain, type));
    const nameServers = ((ns?.data ?? []) as readonly DataOf["NS"][]).map(({ target }) => target);
    const hosts = new Set(
      nameServers.map((server) => PRACTICE_HOSTS.find((key) => nameServersOf(key).some((own) => own === server)) ?? null),
    );
    const [host = null] = hosts.size === 1 ? hosts : [];
    return {
      domain,
      nameServers,
      host,
      ttl: ns?.ttl ?? REMEMBERED,
      ds: (ds?.data ?? []).map((data) => printData("DS", data)),
      dsTtl: ds?.ttl ?? REMEMBERED,
    };
  }

  /** Changes what is on record, all of it or nothing; why not, as the registrar says it. */
  change(domain: DomainName, { nameServers, ds }: RegistrationChange): Result<Registration, string> {
    const servers = nameServers === undefined ? undefined : serversIn(nameServers, domain);
    if (servers?.ok === false) return servers;
    const records = ds === undefined ? undefined : dsIn(ds, domain);
    if (records?.ok === false) return records;
    const parent = parentOf(domain);
    if (servers !== undefined)
      this.#registry.put(parent, {
        name: domain,
        type: "NS",
        ttl: REMEMBERED,
        data: servers.value.map((target) => ({ target })),
      });
    if (records !== undefined)
      if (records.value.length === 0) this.#registry.remove(parent, domain, "DS");
      else this.#registry.put(parent, { name: domain, type: "DS", ttl: REMEMBERED, data: records.value });
    return ok(this.registration(domain));
  }
}

/** The zone at the registry that names a domain's servers. */
const parentOf = (domain: DomainName): DomainName => (isBelow(domain, name("example")) ? name("example") : name("."));

/** The name servers that were typed, hosts' keys among them. */
function serversIn(typed: readonly string[], domain: DomainName): Result<DomainName[], string> {
  const words = typed.flatMap((line) => line.split(/[\s,]+/)).filter((word) => word !== "");
  const servers = new Set<DomainName>();
  for (const word of words) {
    const key = word.toLowerCase();
    if (isHost(key)) for (const server of nameServersOf(key)) servers.add(server);
    else {
      const server = parseName(word);
      if (!server.ok || !word.includes(".")) return err(`“${word}” is not the name of a name server.`);
      if (isAtOrBelow(server.value, domain))
        return err(`${displayName(server.value)} is inside ${displayName(domain)} itself, which this registrar does not offer.`);
      servers.add(server.value);
    }
  }
  if (servers.size < 2) return err("A domain needs at least two name servers.");
  return servers.size > MAX_SERVERS ? err(`A domain has ${MAX_SERVERS} name servers at most.`) : ok([...servers]);
}

/** The DNSSEC records that were typed, one a line: key tag, algorithm, digest type, digest. */
function dsIn(typed: readonly string[], domain: DomainName): Result<readonly DataOf["DS"][], string> {
  const read: DataOf["DS"][] = [];
  for (const line of typed.map((text) => text.trim()).filter((text) => text !== "")) {
    const { records, issues } = readRecords(`${domain} 60 DS ${line.replaceAll(/[\r\n;"()]/g, " ")}`, { origin: domain });
    const [record] = records;
    if (record === undefined || records.length > 1 || issues.length > 0)
      return err(`“${line}” is not a DNSSEC record: it has a key tag, an algorithm, a digest type and a digest.`);
    read.push(record.data as DataOf["DS"]);
  }
  return ok(read);
}
