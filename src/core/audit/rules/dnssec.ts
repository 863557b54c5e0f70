import { type ChainFlaw, explainFlaw, MAX_ITERATIONS, type Verdict } from "../../dnssec/index.ts";
import { displayName } from "../../name/index.ts";
import { type DataOf, isOfType } from "../../record/index.ts";
import { spanText } from "../../spread/index.ts";
import { negativeTtl } from "../../zone/index.ts";
import type { Facts } from "../facts.ts";
import { rulesOf, type Seen, when } from "../finding.ts";

const DAY = 86_400;

/** Broken chains of trust of some kinds, each once. */
function flaws({ chains, domain }: Facts, ...codes: readonly ChainFlaw["code"][]): Seen[] {
  const seen = chains.flatMap((one) =>
    one.kind === "bogus" && codes.includes(one.flaw.code) ? [explainFlaw(one.flaw, domain)] : [],
  );
  return [...new Map(seen.map(({ because, remedy }) => [because, { evidence: because, remedy }])).values()];
}

/** One sighting where the domain counts as unsigned for a reason of its own. */
const unsignedFor =
  (why: Extract<Verdict, { kind: "insecure" }>["why"], evidence: string, remedy: string) =>
  ({ chains, domain }: Facts): Seen[] =>
    when(
      chains.some((one) => one.kind === "insecure" && one.zone === domain && one.why === why),
      evidence,
      remedy,
    );

/** What is wrong with the signatures of a domain; it belongs to how the domain is delegated. */
export const dnssec = rulesOf("delegation", [
  [
    "ds-without-key",
    "breaks",
    "RFC 4035 section 2.4",
    "The registrar says the zone is signed, and it is not",
    "Resolvers that check signatures, and that is many, see neither site nor mail.",
    (facts) => {
      const found = flaws(facts, "keys-missing");
      const { ds, dnskey } = facts;
      return found.length > 0
        ? found
        : when(
            ds.kind === "found" && (dnskey.kind === "nodata" || dnskey.kind === "nxdomain"),
            "there is a DS record above, and no DNSKEY in the zone",
            "take the DS record out at the registrar at once, or sign the zone",
          );
    },
  ],
  [
    "dnssec-ds-foreign",
    "breaks",
    "RFC 4035 section 5.2",
    "The DNSSEC record at the registrar does not fit the domain's key",
    "Resolvers that check signatures refuse the whole domain: site, mail and every proof. It is usual after a move to another DNS host.",
    (facts) => flaws(facts, "ds-without-key"),
  ],
  [
    "dnssec-signature",
    "breaks",
    "RFC 4035 section 5.3",
    "A DNSSEC signature is missing, wrong, or not valid now",
    "Resolvers that check signatures refuse what it should cover.",
    (facts) =>
      flaws(
        facts,
        "keys-not-signed",
        "signature-expired",
        "signature-early",
        "signature-missing",
        "signature-key-missing",
        "signature-wrong",
      ),
  ],
  [
    "dnssec-denial",
    "breaks",
    "RFC 4035 section 5.4",
    "The domain does not prove which names it does not have",
    "Resolvers that check signatures answer with an error where they should say that there is nothing.",
    (facts) => flaws(facts, "denial-missing", "wildcard-unproven"),
  ],
  [
    "dnssec-wildcard",
    "note",
    "RFC 8198 section 5.3",
    "A wildcard answers in a signed domain",
    "A record newly published at a name below it may stay hidden a while: resolvers keep the signed wildcard for every name.",
    ({ chains, anyA, anyTxt, soa, plain }) => {
      const [own] = chains;
      const wild = [anyA, anyTxt].find(({ data }) => data.length > 0);
      if (own?.kind !== "secure" || wild?.answer.kind !== "found") return [];
      const negative = soa.answer.kind === "found" ? negativeTtl(soa.answer.set) : 0;
      return when(
        true,
        `*.${plain} answers, and resolvers may use it for up to ${spanText(Math.max(wild.answer.set.ttl, negative))}`,
        "after publishing at a new name, wait that long before a service is asked to look",
      );
    },
  ],
  [
    "dnssec-ends-soon",
    "risks",
    "RFC 4034 section 3.1.5",
    "DNSSEC signatures end within two days",
    "If nobody signs again until then, the whole domain is refused.",
    ({ chains, now = Number.NEGATIVE_INFINITY, plain }) => {
      const until = Math.min(...chains.flatMap((one) => (one.kind === "secure" ? [one.until] : [])));
      return when(
        until - now < 2 * DAY,
        `the first signature on the way to ${plain} ends in ${spanText(Math.max(0, until - now))}`,
        "ask the DNS host whether it signs by itself, and when next",
      );
    },
  ],
  [
    "dnssec-server-differs",
    "breaks",
    "RFC 4035 section 5.3",
    "One name server has signatures that do not verify",
    "Resolvers that happen to ask this server refuse the domain, others do not: it works for some, and for others at times.",
    ({ badServers, domain }) =>
      badServers.map(({ name, flaw }) => ({
        evidence: `${displayName(name)}: ${explainFlaw(flaw, domain).because}`,
        remedy: "ask the DNS host why this server has old signatures; until then, take it out at the registrar",
      })),
  ],
  [
    "dnssec-key-change",
    "note",
    "RFC 7344 section 4",
    "The zone asks for another DS record at the registrar",
    "Some registrars follow by themselves; at others the key change waits for you.",
    ({ cds, ds }) => {
      if (cds.kind !== "found" || !isOfType(cds.set, "CDS")) return [];
      const shown = ({ keyTag, digestType, digest }: DataOf["DS"]) => `${keyTag} ${digestType} ${digest}`;
      const now = ds.kind === "found" && isOfType(ds.set, "DS") ? ds.set.data.map(shown).sort() : [];
      const [first] = cds.set.data;
      // Algorithm 0 asks to take all of them away (RFC 8078 section 4).
      const gone = first?.algorithm === 0;
      const wanted = gone ? [] : cds.set.data.map(shown).sort();
      return when(
        now.join() !== wanted.join(),
        gone
          ? "its CDS record asks to delete the DS records"
          : `its CDS records name key ${[...new Set(cds.set.data.map((one) => one.keyTag))].join(", ")}`,
        gone
          ? "if the registrar does not follow by itself, delete the DS records there, unless the domain is to stay signed"
          : "if the registrar does not follow by itself within a day, enter the DS record that the DNS host shows",
      );
    },
  ],
  [
    "dnssec-keys-large",
    "untidy",
    "RFC 6781 section 3.4.2",
    "The domain's keys do not fit one datagram",
    "Resolvers behind firewalls that cut long answers cannot check the signatures.",
    ({ dnskey }) => {
      const size =
        dnskey.kind === "found" && isOfType(dnskey.set, "DNSKEY")
          ? dnskey.set.data.reduce((sum, { key }) => sum + key.length / 2 + 16, 0)
          : 0;
      return when(
        size > 1100,
        `the keys alone are ${size} octets`,
        "ask the DNS host to sign with algorithm 13, whose keys are small, and to remove keys that are out of use",
      );
    },
  ],
  [
    "dnssec-unknown-algorithm",
    "risks",
    "RFC 8624 section 3",
    "The domain is signed in a way that nobody checks any more",
    "It counts as unsigned: forged answers are believed.",
    unsignedFor(
      "unknown-algorithm",
      "every DS record at the registrar names an algorithm or digest that is out of use",
      "ask the DNS host to sign with algorithm 13, then enter the DS record it shows at the registrar",
    ),
  ],
  [
    "dnssec-costly",
    "risks",
    "RFC 9276 section 3.1",
    "The hashes of names are repeated so often that nobody checks them",
    "What the domain says of names that are not there counts as unsigned.",
    unsignedFor(
      "too-costly",
      `NSEC3 repeats its hash more than ${MAX_ITERATIONS} times`,
      "ask the DNS host to set the iterations of NSEC3 to 0",
    ),
  ],
  [
    "dnssec-unused",
    "note",
    "RFC 4035 section 5.2",
    "The domain is signed, and nobody knows",
    "Without a DS record at the registrar no resolver checks the signatures: they do no harm, and help nobody.",
    ({ ds, dnskey }) =>
      when(
        dnskey.kind === "found" && ds.kind === "nodata",
        "the zone has keys (DNSKEY), and the registrar has no DS record",
        "enter the DS record that the DNS host shows at the registrar, or leave it as it is",
      ),
  ],
]);
