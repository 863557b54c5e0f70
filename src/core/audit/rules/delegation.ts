import type { Answer } from "../../lookup/index.ts";
import { displayName, isBelow } from "../../name/index.ts";
import { printData, sameData } from "../../record/index.ts";
import { spanText } from "../../spread/index.ts";
import { rulesOf, when } from "../finding.ts";

const DAY = 86_400;

/** The first three numbers of an IPv4 address, or the first four groups of an IPv6 one. */
const networkOf = (address: string): string =>
  address.includes(":") ? address.split(":").slice(0, 4).join(":") : address.split(".").slice(0, 3).join(".");

/** What a server shows: the set as text, none, or nothing that can be compared. */
function shownAnswer(answer: Answer | undefined): string {
  if (answer?.kind !== "found") return "none";
  const { type, data } = answer.set;
  const shown = data
    .map((one) => printData(type, one).replace(/\.$/, ""))
    .map((text) => (text.length > 50 ? `${text.slice(0, 49)}…` : text));
  return shown.sort().join(" and ");
}

/** Whether two servers that both answered differ. */
const differ = (a: Answer, b: Answer | undefined): boolean =>
  b !== undefined &&
  a.kind !== "failed" &&
  b.kind !== "failed" &&
  !sameData(a.kind === "found" ? a.set : undefined, b.kind === "found" ? b.set : undefined);

export const delegation = rulesOf("delegation", [
  [
    "delegation-missing",
    "breaks",
    "RFC 1034 section 4.2.1",
    "The domain is not handed to any name server",
    "Nothing of the domain works: no site, no mail, no proof of ownership.",
    ({ authority, plain }) =>
      when(
        authority.kind === "not-delegated",
        authority.kind === "not-delegated" ? authority.because : "",
        `renew ${plain} at the registrar, or enter the DNS host's name servers there`,
      ),
  ],
  [
    "delegation-unanswered",
    "breaks",
    "RFC 1034 section 4.2.2",
    "No name server of the domain answers",
    "Nothing of the domain works for anybody who does not remember an old answer.",
    ({ authority, servers }) =>
      when(
        authority.kind === "delegated" && servers.length > 0 && servers.every(({ soa }) => soa.answer.kind === "failed"),
        `none of ${servers.map(({ name }) => displayName(name)).join(", ")} answers`,
        "ask the DNS host; the domain is down until one of them answers again",
      ),
  ],
  [
    "server-silent",
    "risks",
    "RFC 1034 section 4.2.2",
    "A name server does not answer",
    "Some visitors and mail servers wait for it, and everything depends on the others.",
    ({ servers }) =>
      servers.some(({ soa }) => soa.answer.kind !== "failed")
        ? servers.flatMap(({ name, address, soa }) =>
            when(
              soa.answer.kind === "failed" && soa.answer.why !== "refused",
              `${displayName(name)} (${address}): ${soa.answer.kind === "failed" ? soa.answer.detail : ""}`,
              "ask the DNS host about it, or take the server out at the registrar",
            ),
          )
        : [],
  ],
  [
    "server-lame",
    "breaks",
    "RFC 1912 section 2.8",
    "A name server does not serve the domain",
    "Resolvers that ask this server get no answer, so some people see no site and no mail.",
    ({ servers }) =>
      servers.flatMap(({ name, soa }) =>
        when(
          (soa.answer.kind === "failed" && soa.answer.why === "refused") ||
            soa.answer.kind === "nxdomain" ||
            (soa.answer.kind === "nodata" && soa.data.length === 0),
          `${displayName(name)} says it does not serve the domain`,
          "correct the name servers at the registrar, or set the zone up at that server",
        ),
      ),
  ],
  [
    "server-unfound",
    "breaks",
    "RFC 1034 section 4.2.2",
    "A name server has no address",
    "Resolvers that are sent to this server cannot find it.",
    ({ authority }) =>
      authority.kind === "delegated"
        ? authority.unreachable.map(({ name, because }) => ({
            evidence: `${displayName(name)}: ${because}`,
            remedy: "correct its name at the registrar",
          }))
        : [],
  ],
  [
    "one-server",
    "risks",
    "RFC 2182 section 5",
    "There is only one name server",
    "When it is down, everything is down.",
    ({ authority, servers, ns }) =>
      when(
        authority.kind === "delegated" && servers.length + authority.unreachable.length === 1 && ns.data.length < 2,
        `only ${displayName(servers[0]?.name ?? ns.data[0]?.target ?? ("." as never))} serves the domain`,
        "add a second name server; every DNS host has at least two",
      ),
  ],
  [
    "ns-mismatch",
    "risks",
    "RFC 1034 section 4.2.2",
    "The registrar and the zone name different name servers",
    "Answers depend on who asks; a move to another DNS host goes wrong half-way.",
    ({ authority, ns, servers }) => {
      if (authority.kind !== "delegated" || ns.data.length === 0 || servers.some(({ name }) => name === authority.apex))
        return [];
      const above = [...servers, ...authority.unreachable].map(({ name }) => name).sort();
      const own = ns.data.map((data) => data.target).sort();
      return when(
        above.join() !== own.join(),
        `the registrar names ${above.map(displayName).join(", ")}; the zone names ${own.map(displayName).join(", ")}`,
        "make both lists the same, at the registrar or in the zone",
      );
    },
  ],
  [
    "server-no-tcp",
    "risks",
    "RFC 7766 section 5",
    "A name server does not answer over TCP",
    "Long answers, such as keys and many texts, do not fit one datagram: some resolvers never get them.",
    ({ servers }) =>
      servers.flatMap(({ name, address, takesTcp }) =>
        when(
          !takesTcp,
          `${displayName(name)} (${address}) answers over UDP only`,
          "ask the DNS host to open port 53 for TCP, at the firewall too",
        ),
      ),
  ],
  [
    "server-no-edns",
    "risks",
    "RFC 6891 section 6.1.1",
    "A name server does not know EDNS, or a firewall drops it",
    "Long answers come by detours or not at all, and DNSSEC signatures cannot be shown.",
    ({ servers }) =>
      servers.flatMap(({ name, address, takesEdns }) =>
        when(
          !takesEdns,
          `${displayName(name)} (${address}) answers only questions without EDNS, as they were before 1999`,
          "ask the DNS host to let EDNS through, at the firewall too, or to renew the server",
        ),
      ),
  ],
  [
    "answers-differ",
    "risks",
    "RFC 1034 section 4.3.5",
    "The name servers give different answers",
    "It works for some and not for others, and a service that happens to ask the wrong server says “not yet”.",
    ({ servers }) => {
      const answering = servers.filter(({ shows }) => shows.length > 0);
      const [first, ...others] = answering;
      if (first === undefined) return [];
      return first.shows.flatMap(({ name, type, answer }, i) => {
        const other = others.find(({ shows }) => differ(answer, shows[i]?.answer));
        return other === undefined
          ? []
          : when(
              true,
              `${type} of ${displayName(name)}: ${displayName(first.name)} has ${shownAnswer(answer)}, ${displayName(other.name)} has ${shownAnswer(other.shows[i]?.answer)}`,
              "if it stays so for an hour, ask the DNS host why its servers do not have the same zone",
            );
      });
    },
  ],
  [
    "glue-differs",
    "risks",
    "RFC 1034 section 4.2.2",
    "The registrar has another address for a name server than the zone",
    "Resolvers are led to an address that may be out of use, and answers depend on who asks.",
    ({ servers, nameServers, domain }) =>
      servers.flatMap(({ name, address }) => {
        // The registrar keeps addresses only of servers that are named within the domain.
        if (!isBelow(name, domain)) return [];
        const own = nameServers.find((host) => host.name === name)?.addresses ?? [];
        return when(
          own.length > 0 && !own.includes(address),
          `the registrar says ${address} for ${displayName(name)}, and the zone ${own.join(", ")}`,
          `enter ${own.join(" and ")} for ${displayName(name)} at the registrar, as a host or glue record`,
        );
      }),
  ],
  [
    "ns-alias",
    "breaks",
    "RFC 2181 section 10.3",
    "A name server is named by an alias",
    "Some resolvers refuse to follow it, and for them the domain is gone.",
    ({ nameServers }) =>
      nameServers.flatMap(({ name, alias }) =>
        alias === undefined
          ? []
          : when(
              true,
              `${displayName(name)} is an alias for ${displayName(alias)}`,
              `name ${displayName(alias)} itself as the name server`,
            ),
      ),
  ],
  [
    "ns-no-address",
    "breaks",
    "RFC 1034 section 4.2.2",
    "A name server of the zone has no address",
    "Resolvers that take the zone's word cannot find the server.",
    ({ nameServers }) =>
      nameServers.flatMap(({ name, hasNone }) =>
        when(hasNone, `${displayName(name)} has neither an A nor an AAAA record`, "correct the NS record, or ask the DNS host"),
      ),
  ],
  [
    "ns-same-network",
    "untidy",
    "RFC 2182 section 3.1",
    "All name servers stand in one network",
    "One broken line takes all of them away at once.",
    ({ nameServers }) => {
      const addresses = nameServers.flatMap((one) => one.addresses);
      const networks = new Set(addresses.map(networkOf));
      return when(
        nameServers.length > 1 && addresses.length >= nameServers.length && networks.size === 1,
        `all of ${nameServers.map(({ name }) => displayName(name)).join(", ")} stand in ${[...networks][0]}`,
        "ask the DNS host whether it has a server elsewhere",
      );
    },
  ],
  [
    "serial-differs",
    "risks",
    "RFC 1034 section 4.3.5",
    "The name servers have different versions of the zone",
    "A record just published is seen by some and not by others, and a service that asks the wrong one says “not yet”.",
    ({ servers }) => {
      const serials = servers.flatMap(({ name, soa }) => soa.data.map((data) => ({ name, serial: data.serial })));
      return when(
        new Set(serials.map((one) => one.serial)).size > 1,
        serials.map(({ name, serial }) => `${displayName(name)} has ${serial}`).join(", "),
        "wait until the servers have caught up; if they do not within an hour, ask the DNS host",
      );
    },
  ],
  [
    "soa-missing",
    "breaks",
    "RFC 1035 section 3.3.13",
    "The zone has no SOA record",
    "Without it the zone is not valid, and resolvers do not know how long to remember that something is not there.",
    ({ soa, authority, plain }) =>
      when(
        authority.kind === "delegated" && soa.answer.kind === "nodata",
        `${plain} has no SOA record`,
        "ask the DNS host to set the zone up anew",
      ),
  ],
  [
    "soa-retry",
    "untidy",
    "RFC 1912 section 2.2",
    "Secondaries retry later than they refresh",
    "After a failure the copies stay old longer than need be.",
    ({ soa }) =>
      soa.data.flatMap(({ refresh, retry }) =>
        when(
          retry >= refresh,
          `refresh is ${spanText(refresh)}, retry is ${spanText(retry)}`,
          "set retry to a fraction of refresh, such as 15 minutes to 2 hours",
        ),
      ),
  ],
  [
    "soa-expire",
    "risks",
    "RFC 1912 section 2.2",
    "Secondaries give the zone up too soon",
    "A weekend without the primary takes the whole domain away.",
    ({ soa }) =>
      soa.data.flatMap(({ expire }) =>
        when(expire < 7 * DAY, `expire is ${spanText(expire)}`, "set expire to two weeks or more"),
      ),
  ],
  [
    "negative-ttl-long",
    "untidy",
    "RFC 2308 section 5",
    "“No such record” is remembered for long",
    "A service whose verify button is pressed too early sees nothing for that time.",
    ({ soa }) =>
      soa.answer.kind === "found"
        ? soa.data.flatMap(({ minimum }) =>
            when(
              minimum > 10_800,
              `“no such record” is remembered for ${spanText(minimum)}`,
              "set the last number of the SOA record to an hour or less",
            ),
          )
        : [],
  ],
  [
    "ns-ttl-long",
    "note",
    "RFC 1034 section 3.6",
    "The name servers are remembered for long",
    "A move to another DNS host takes that long to reach everybody.",
    ({ ns }) =>
      ns.answer.kind === "found"
        ? when(
            ns.answer.set.ttl > 2 * DAY,
            `the NS records have a TTL of ${spanText(ns.answer.set.ttl)}`,
            "lower it to a day some time before a move",
          )
        : [],
  ],
  [
    "no-ipv6-server",
    "note",
    "RFC 3901 section 4",
    "No name server has an IPv6 address",
    "Networks without IPv4 reach the domain only by detours.",
    ({ nameServers }) =>
      when(
        nameServers.length > 0 && nameServers.every(({ aaaa }) => aaaa.data.length === 0 && aaaa.answer.kind !== "failed"),
        `none of ${nameServers.map(({ name }) => displayName(name)).join(", ")} has an AAAA record`,
        "nothing has to be done today",
      ),
  ],
  [
    "host-differs",
    "risks",
    "RFC 1034 section 4.2.1",
    "The workspace names another DNS host than the one in charge",
    "Whatever is published there is seen by nobody.",
    ({ undelegatedHosts }) =>
      undelegatedHosts.map((title) => ({
        evidence: `zandrel.yaml says ${title}, and the registrar hands the domain to other servers`,
        remedy: "correct host: in the domain's file, or the name servers at the registrar",
      })),
  ],
  [
    "alias-at-apex",
    "breaks",
    "RFC 2181 section 10.1",
    "An alias is at the domain itself",
    "It hides the mail servers and every other record of the domain.",
    ({ apex, plain, authority }) =>
      // A name inside a zone may well be an alias.
      apex.alias === undefined || authority.kind === "within"
        ? []
        : when(
            true,
            `${plain} is an alias for ${displayName(apex.alias)}`,
            "replace it by the addresses of the site (A and AAAA records)",
          ),
  ],
]);
