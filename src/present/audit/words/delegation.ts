import { displayName } from "../../../core/name/index.ts";
import { spanText } from "../../../core/spread/index.ts";
import { inWords } from "../../clauses/index.ts";
import { type AreaWords, namesOf, someOf } from "../say.ts";

export const DELEGATION = {
  "delegation-missing": {
    title: "The domain has no name servers",
    why: "Nothing of the domain works: no site, no mail, no proof of ownership.",
    evidence: ({ because }) => inWords(because),
    remedy: (_, { plain }) => `renew ${plain} at the registrar, or enter the DNS host's name servers there`,
  },
  "name-missing": {
    title: "There is nothing at this name",
    why: "It has no record of any kind, so there is nothing to judge.",
    evidence: ({ zone }, { plain }) => `${plain} does not exist in the zone of ${displayName(zone)}`,
    remedy: ({ zone }) => `check the spelling; zandrel audit ${displayName(zone)} looks at the domain itself`,
  },
  "delegation-unanswered": {
    title: "No name server of the domain answers",
    why: "Nothing of the domain works for anybody who does not remember an old answer.",
    evidence: ({ servers }) => `none of ${namesOf(servers)} answers`,
    remedy: "ask the DNS host; the domain is down until one of them answers again",
  },
  "server-silent": {
    title: "A name server does not answer",
    why: "Some visitors and mail servers wait for it, and everything depends on the others.",
    evidence: ({ address, detail, name }) => `${displayName(name)} (${address}): ${inWords(detail)}`,
    remedy: "ask the DNS host about it, or take the server out at the registrar",
  },
  "server-lame": {
    title: "A name server does not serve the domain",
    why: "Resolvers that ask this server get no answer, so some people see no site and no mail.",
    evidence: ({ name }) => `${displayName(name)} says it does not serve the domain`,
    remedy: "correct the name servers at the registrar, or set the zone up at that server",
  },
  "server-unfound": {
    title: "A name server has no address",
    why: "Resolvers that are sent to this server cannot find it.",
    evidence: ({ because, name }) => `${displayName(name)}: ${inWords(because)}`,
    remedy: "correct its name at the registrar",
  },
  "one-server": {
    title: "There is only one name server",
    why: "When it is down, everything is down.",
    evidence: ({ name }) => `only ${displayName(name)} serves the domain`,
    remedy: "add a second name server; every DNS host has at least two",
  },
  "ns-mismatch": {
    title: "The registrar and the zone name different name servers",
    why: "Answers depend on who asks; a move to another DNS host goes wrong half-way.",
    evidence: ({ above, own }) => `the registrar names ${namesOf(above)}; the zone names ${namesOf(own)}`,
    remedy: "make both lists the same, at the registrar or in the zone",
  },
  "server-no-tcp": {
    title: "A name server does not answer over TCP",
    why: "Long answers, such as keys and many texts, do not fit one datagram: some resolvers never get them.",
    evidence: ({ address, name }) => `${displayName(name)} (${address}) answers over UDP only`,
    remedy: "ask the DNS host to open port 53 for TCP, at the firewall too",
  },
  "server-no-edns": {
    title: "A name server does not know EDNS, or a firewall drops it",
    why: "Long answers come by detours or not at all, and DNSSEC signatures cannot be shown.",
    evidence: ({ address, name }) =>
      `${displayName(name)} (${address}) answers only questions without EDNS, as they were before 1999`,
    remedy: "ask the DNS host to let EDNS through, at the firewall too, or to renew the server",
  },
  "answers-differ": {
    title: "The name servers give different answers",
    why: "It works for some and not for others, and a service that happens to ask the wrong server says “not yet”.",
    evidence: ({ first, firstHas, name, second, secondHas, type }) =>
      `${type} of ${displayName(name)}: ${displayName(first)} has ${someOf(firstHas)}, ${displayName(second)} has ${someOf(secondHas)}`,
    remedy: "if it stays so for an hour, ask the DNS host why its servers do not have the same zone",
  },
  "glue-differs": {
    title: "The registrar has another address for a name server than the zone",
    why: "Resolvers are led to an address that may be out of use, and answers depend on who asks.",
    evidence: ({ address, name, own }) =>
      `the registrar says ${address} for ${displayName(name)}, and the zone ${own.join(", ")}`,
    remedy: ({ name, own }) => `enter ${own.join(" and ")} for ${displayName(name)} at the registrar, as a host or glue record`,
  },
  "ns-alias": {
    title: "A name server is named by an alias",
    why: "Some resolvers refuse to follow it, and for them the domain is gone.",
    evidence: ({ alias, name }) => `${displayName(name)} is an alias for ${displayName(alias)}`,
    remedy: ({ alias }) => `name ${displayName(alias)} itself as the name server`,
  },
  "ns-no-address": {
    title: "A name server of the zone has no address",
    why: "Resolvers that take the zone's word cannot find the server.",
    evidence: ({ name }) => `${displayName(name)} has neither an A nor an AAAA record`,
    remedy: "correct the NS record, or ask the DNS host",
  },
  "ns-same-network": {
    title: "All name servers stand in one network",
    why: "One broken line takes all of them away at once.",
    evidence: ({ network, servers }) => `all of ${namesOf(servers)} stand in ${network}`,
    remedy: "ask the DNS host whether it has a server elsewhere",
  },
  "serial-differs": {
    title: "The name servers have different versions of the zone",
    why: "A record just published is seen by some and not by others, and a service that asks the wrong one says “not yet”.",
    evidence: ({ serials }) => serials.map(({ name, serial }) => `${displayName(name)} has ${serial}`).join(", "),
    remedy: "wait until the servers have caught up; if they do not within an hour, ask the DNS host",
  },
  "soa-missing": {
    title: "The zone has no SOA record",
    why: "Without it the zone is not valid, and resolvers do not know how long to remember that something is not there.",
    evidence: (_, { plain }) => `${plain} has no SOA record`,
    remedy: "ask the DNS host to set the zone up again from the start",
  },
  "soa-retry": {
    title: "Secondaries retry later than they refresh",
    why: "After a failure the copies stay old longer than need be.",
    evidence: ({ refresh, retry }) => `refresh is ${spanText(refresh)}, retry is ${spanText(retry)}`,
    remedy: "set retry to a fraction of refresh, such as 15 minutes to 2 hours",
  },
  "soa-expire": {
    title: "Secondaries give the zone up too soon",
    why: "A weekend without the primary takes the whole domain away.",
    evidence: ({ expire }) => `expire is ${spanText(expire)}`,
    remedy: "set expire to two weeks or more",
  },
  "negative-ttl-long": {
    title: "“No such record” is remembered for long",
    why: "A service whose verify button is pressed too early sees nothing for that time.",
    evidence: ({ seconds }) => `“no such record” is remembered for ${spanText(seconds)}`,
    remedy: "set the last number of the SOA record to an hour or less",
  },
  "ns-ttl-long": {
    title: "The name servers are remembered for long",
    why: "A move to another DNS host takes that long to reach everybody.",
    evidence: ({ ttl }) => `the NS records have a TTL of ${spanText(ttl)}`,
    remedy: "lower it to a day some time before a move",
  },
  "no-ipv6-server": {
    title: "No name server has an IPv6 address",
    why: "Networks without IPv4 reach the domain only by detours.",
    evidence: ({ servers }) => `none of ${namesOf(servers)} has an AAAA record`,
    remedy: "nothing has to be done today",
  },
  "host-differs": {
    title: "The workspace names another DNS host than the one in charge",
    why: "Whatever is published there is seen by nobody.",
    evidence: ({ title }) => `zandrel.yaml says ${title}, and the registrar hands the domain to other servers`,
    remedy: "correct host: in the domain's file, or the name servers at the registrar",
  },
  "alias-at-apex": {
    title: "An alias is at the domain itself",
    why: "It hides the mail servers and every other record of the domain.",
    evidence: ({ alias }, { plain }) => `${plain} is an alias for ${displayName(alias)}`,
    remedy: "replace it by the addresses of the site (A and AAAA records)",
  },
} satisfies Partial<AreaWords<"delegation">>;
