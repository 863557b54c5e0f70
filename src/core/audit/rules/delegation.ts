import { NOTHING } from "../../clause/index.ts";
import { DAY } from "../../day.ts";
import type { Answer } from "../../lookup/index.ts";
import { type DomainName, isBelow } from "../../name/index.ts";
import { printData, sameData } from "../../record/index.ts";
import { rule, when } from "../finding.ts";

/** The first three numbers of an IPv4 address, or the first four groups of an IPv6 one. */
const networkOf = (address: string): string =>
  address.includes(":") ? address.split(":").slice(0, 4).join(":") : address.split(".").slice(0, 3).join(".");

/** What a server shows: the data of the set as texts, empty where it has none. */
const shownAnswer = (answer: Answer | undefined): readonly string[] =>
  answer?.kind === "found"
    ? answer.set.data.map((recordData) => printData(answer.set.type, recordData).replace(/\.$/, "")).sort()
    : [];

/** Whether two servers that both answered differ. */
const differ = (a: Answer, b: Answer | undefined): boolean =>
  b !== undefined &&
  a.kind !== "failed" &&
  b.kind !== "failed" &&
  !sameData(a.kind === "found" ? a.set : undefined, b.kind === "found" ? b.set : undefined);

export const delegation = {
  "delegation-missing": rule("breaks", "RFC 1034 section 4.2.1", ({ authority }) =>
    when(authority.kind === "not-delegated", { because: authority.kind === "not-delegated" ? authority.because : NOTHING }),
  ),
  // Found before anything else is asked: where the name is there, there is nothing to say.
  "name-missing": rule("breaks", "RFC 8020 section 2", (): { zone: DomainName }[] => []),
  "delegation-unanswered": rule("breaks", "RFC 1034 section 4.2.2", ({ authority, servers }) =>
    when(authority.kind === "delegated" && servers.length > 0 && servers.every(({ soa }) => soa.answer.kind === "failed"), {
      servers: servers.map(({ name }) => name),
    }),
  ),
  "server-silent": rule("risks", "RFC 1034 section 4.2.2", ({ servers }) =>
    servers.some(({ soa }) => soa.answer.kind !== "failed")
      ? servers.flatMap(({ name, address, soa }) =>
          when(soa.answer.kind === "failed" && soa.answer.why !== "refused", {
            name,
            address,
            detail: soa.answer.kind === "failed" ? soa.answer.detail : NOTHING,
          }),
        )
      : [],
  ),
  "server-lame": rule("breaks", "RFC 1912 section 2.8", ({ servers }) =>
    servers.flatMap(({ name, soa }) =>
      when(
        (soa.answer.kind === "failed" && soa.answer.why === "refused") ||
          soa.answer.kind === "nxdomain" ||
          (soa.answer.kind === "nodata" && soa.data.length === 0),
        { name },
      ),
    ),
  ),
  "server-unfound": rule("breaks", "RFC 1034 section 4.2.2", ({ authority }) =>
    authority.kind === "delegated" ? authority.unreachable.map(({ name, because }) => ({ name, because })) : [],
  ),
  "one-server": rule("risks", "RFC 2182 section 5", ({ authority, servers, ns, domain }) =>
    when(authority.kind === "delegated" && servers.length + authority.unreachable.length === 1 && ns.data.length < 2, {
      name: servers[0]?.name ?? ns.data[0]?.target ?? domain,
    }),
  ),
  "ns-mismatch": rule("risks", "RFC 1034 section 4.2.2", ({ authority, ns, servers }) => {
    if (authority.kind !== "delegated" || ns.data.length === 0 || servers.some(({ name }) => name === authority.apex)) return [];
    const above = [...servers, ...authority.unreachable].map(({ name }) => name).sort();
    const own = ns.data.map((data) => data.target).sort();
    return when(above.join() !== own.join(), { above, own });
  }),
  "server-no-tcp": rule("risks", "RFC 7766 section 5", ({ servers }) =>
    servers.flatMap(({ name, address, takesTcp }) => when(!takesTcp, { name, address })),
  ),
  "server-no-edns": rule("risks", "RFC 6891 section 6.1.1", ({ servers }) =>
    servers.flatMap(({ name, address, takesEdns }) => when(!takesEdns, { name, address })),
  ),
  "answers-differ": rule("risks", "RFC 1034 section 4.3.5", ({ servers }) => {
    const answering = servers.filter(({ shows }) => shows.length > 0);
    const [first, ...others] = answering;
    if (first === undefined) return [];
    return first.shows.flatMap(({ name, type, answer }, i) => {
      const other = others.find(({ shows }) => differ(answer, shows[i]?.answer));
      return other === undefined
        ? []
        : when(true, {
            type,
            name,
            first: first.name,
            firstHas: shownAnswer(answer),
            second: other.name,
            secondHas: shownAnswer(other.shows[i]?.answer),
          });
    });
  }),
  "glue-differs": rule("risks", "RFC 1034 section 4.2.2", ({ servers, nameServers, domain }) =>
    servers.flatMap(({ name, address }) => {
      // The registrar keeps addresses only of servers that are named within the domain.
      if (!isBelow(name, domain)) return [];
      const own = nameServers.find((host) => host.name === name)?.addresses ?? [];
      return when(own.length > 0 && !own.includes(address), { address, name, own });
    }),
  ),
  "ns-alias": rule("breaks", "RFC 2181 section 10.3", ({ nameServers }) =>
    nameServers.flatMap(({ name, alias }) => (alias === undefined ? [] : when(true, { name, alias }))),
  ),
  "ns-no-address": rule("breaks", "RFC 1034 section 4.2.2", ({ nameServers }) =>
    nameServers.flatMap(({ name, hasNone }) => when(hasNone, { name })),
  ),
  "ns-same-network": rule("untidy", "RFC 2182 section 3.1", ({ nameServers }) => {
    const addresses = nameServers.flatMap((nameServer) => nameServer.addresses);
    const networks = new Set(addresses.map(networkOf));
    return when(nameServers.length > 1 && addresses.length >= nameServers.length && networks.size === 1, {
      servers: nameServers.map(({ name }) => name),
      network: [...networks][0] ?? "",
    });
  }),
  "serial-differs": rule("risks", "RFC 1034 section 4.3.5", ({ servers }) => {
    const serials = servers.flatMap(({ name, soa }) => soa.data.map((data) => ({ name, serial: data.serial })));
    return when(new Set(serials.map((one) => one.serial)).size > 1, { serials });
  }),
  "soa-missing": rule("breaks", "RFC 1035 section 3.3.13", ({ soa, authority }) =>
    when(authority.kind === "delegated" && soa.answer.kind === "nodata"),
  ),
  "soa-retry": rule("untidy", "RFC 1912 section 2.2", ({ soa }) =>
    soa.data.flatMap(({ refresh, retry }) => when(retry >= refresh, { refresh, retry })),
  ),
  "soa-expire": rule("risks", "RFC 1912 section 2.2", ({ soa }) =>
    soa.data.flatMap(({ expire }) => when(expire < 7 * DAY, { expire })),
  ),
  "negative-ttl-long": rule("untidy", "RFC 2308 section 5", ({ soa }) =>
    soa.answer.kind === "found" ? soa.data.flatMap(({ minimum }) => when(minimum > 10_800, { seconds: minimum })) : [],
  ),
  "ns-ttl-long": rule("note", "RFC 1034 section 3.6", ({ ns }) =>
    ns.answer.kind === "found" ? when(ns.answer.set.ttl > 2 * DAY, { ttl: ns.answer.set.ttl }) : [],
  ),
  "no-ipv6-server": rule("note", "RFC 3901 section 4", ({ nameServers }) =>
    when(nameServers.length > 0 && nameServers.every(({ aaaa }) => aaaa.data.length === 0 && aaaa.answer.kind !== "failed"), {
      servers: nameServers.map(({ name }) => name),
    }),
  ),
  "host-differs": rule("risks", "RFC 1034 section 4.2.1", ({ undelegatedHosts }) => undelegatedHosts.map((title) => ({ title }))),
  "alias-at-apex": rule("breaks", "RFC 2181 section 10.1", ({ apex, authority }) =>
    // A name inside a zone may well be an alias.
    apex.alias === undefined || authority.kind === "within" ? [] : when(true, { alias: apex.alias }),
  ),
} as const;
