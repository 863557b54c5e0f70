import { clause } from "../../../core/clause/index.ts";
import { MAX_ITERATIONS } from "../../../core/dnssec/index.ts";
import { displayName } from "../../../core/name/index.ts";
import { spanText } from "../../../core/spread/index.ts";
import { inWords } from "../../clauses/index.ts";
import type { AreaWords } from "../say.ts";

export const DNSSEC = {
  "ds-without-key": {
    title: "The registrar says the zone is signed, and it is not",
    why: "Resolvers that check signatures, and that is many, see neither site nor mail.",
    evidence: "there is a DS record above, and no DNSKEY in the zone",
    remedy: "take the DS record out at the registrar at once, or sign the zone",
  },
  "dnssec-ds-foreign": {
    title: "The DNSSEC record at the registrar does not fit the domain's key",
    why: "Resolvers that check signatures refuse the whole domain: site, mail and every proof. It is usual after a move to another DNS host.",
    evidence: ({ flaw }, { domain }) => inWords(clause("dnssec-broken", { flaw, domain })),
    remedy: ({ flaw }, { domain }) => inWords(clause("dnssec-mend", { flaw, domain })),
  },
  "dnssec-signature": {
    title: "A DNSSEC signature is missing, wrong, or not valid now",
    why: "Resolvers that check signatures refuse what it should cover.",
    evidence: ({ flaw }, { domain }) => inWords(clause("dnssec-broken", { flaw, domain })),
    remedy: ({ flaw }, { domain }) => inWords(clause("dnssec-mend", { flaw, domain })),
  },
  "dnssec-denial": {
    title: "The domain does not prove which names it does not have",
    why: "Resolvers that check signatures answer with an error where they should say that there is nothing.",
    evidence: ({ flaw }, { domain }) => inWords(clause("dnssec-broken", { flaw, domain })),
    remedy: ({ flaw }, { domain }) => inWords(clause("dnssec-mend", { flaw, domain })),
  },
  "dnssec-wildcard": {
    title: "A wildcard answers in a signed domain",
    why: "A record newly published at a name below it may stay hidden a while: resolvers keep the signed wildcard for every name.",
    evidence: ({ seconds }, { plain }) => `*.${plain} answers, and resolvers may use it for up to ${spanText(seconds)}`,
    remedy: "after publishing at a new name, wait that long before a service is asked to look",
  },
  "dnssec-ends-soon": {
    title: "DNSSEC signatures end within two days",
    why: "If nobody signs again until then, the whole domain is refused.",
    evidence: ({ seconds }, { plain }) => `the first signature on the way to ${plain} ends in ${spanText(seconds)}`,
    remedy: "ask the DNS host whether it signs by itself, and when next",
  },
  "dnssec-server-differs": {
    title: "One name server has signatures that do not verify",
    why: "Resolvers that happen to ask this server refuse the domain, others do not: it works for some, and for others at times.",
    evidence: ({ flaw, name }, { domain }) => `${displayName(name)}: ${inWords(clause("dnssec-broken", { flaw, domain }))}`,
    remedy: "ask the DNS host why this server has old signatures; until then, take it out at the registrar",
  },
  "dnssec-key-change": {
    title: "The zone asks for another DS record at the registrar",
    why: "Some registrars follow by themselves; at others the key change waits for you.",
    evidence: ({ keys }) =>
      keys.length === 0 ? "its CDS record asks to delete the DS records" : `its CDS records name key ${keys.join(", ")}`,
    remedy: ({ keys }) =>
      keys.length === 0
        ? "if the registrar does not follow by itself, delete the DS records there, unless the domain is to stay signed"
        : "if the registrar does not follow by itself within a day, enter the DS record that the DNS host shows",
  },
  "dnssec-keys-large": {
    title: "The domain's keys do not fit one datagram",
    why: "Resolvers behind firewalls that cut long answers cannot check the signatures.",
    evidence: ({ octets }) => `the keys alone are ${octets} octets`,
    remedy: "ask the DNS host to sign with algorithm 13, whose keys are small, and to remove keys that are out of use",
  },
  "dnssec-outdated-algorithm": {
    title: "The domain is signed with an outdated algorithm",
    why: "It rests on SHA-1: resolvers still check it, some already treat the domain as unsigned, and more will.",
    evidence: ({ algorithms }) => `its keys are of algorithm ${algorithms.join(" and ")}`,
    remedy: "ask the DNS host to change over to algorithm 13, and enter the DS record it shows at the registrar when it says so",
  },
  "dnssec-unknown-algorithm": {
    title: "The domain is signed in a way that nobody checks any more",
    why: "It counts as unsigned: forged answers are believed.",
    evidence: "every DS record at the registrar names an algorithm or digest that is out of use",
    remedy: "ask the DNS host to sign with algorithm 13, then enter the DS record it shows at the registrar",
  },
  "dnssec-costly": {
    title: "The hashes of names are repeated so often that nobody checks them",
    why: "What the domain says of names that are not there counts as unsigned.",
    evidence: () => `NSEC3 repeats its hash more than ${MAX_ITERATIONS} times`,
    remedy: "ask the DNS host to set the iterations of NSEC3 to 0",
  },
  "dnssec-unused": {
    title: "The domain is signed, and nobody knows",
    why: "Without a DS record at the registrar no resolver checks the signatures: they do no harm, and help nobody.",
    evidence: "the zone has keys (DNSKEY), and the registrar has no DS record",
    remedy: "enter the DS record that the DNS host shows at the registrar, or leave it as it is",
  },
} satisfies Partial<AreaWords<"delegation">>;
