import { DAY } from "../../day.ts";
import { distinct } from "../../distinct.ts";
import { type ChainFlaw, OUTDATED_ALGORITHMS, type Verdict } from "../../dnssec/index.ts";
import { type DataOf, isOfType } from "../../record/index.ts";
import { negativeTtl } from "../../zone/index.ts";
import type { Facts } from "../facts.ts";
import { rule, when } from "../finding.ts";

/** Broken chains of trust of some kinds, each once. */
function flaws({ chains }: Facts, ...codes: readonly ChainFlaw["code"][]): { readonly flaw: ChainFlaw }[] {
  const seen = chains.flatMap((verdict) => (verdict.kind === "bogus" && codes.includes(verdict.flaw.code) ? [verdict.flaw] : []));
  return distinct(seen).map((flaw) => ({ flaw }));
}

/** One sighting where the domain counts as unsigned for a reason of its own. */
const unsignedFor =
  (why: Extract<Verdict, { kind: "insecure" }>["why"]) =>
  ({ chains, domain }: Facts) =>
    when(chains.some((candidate) => candidate.kind === "insecure" && candidate.zone === domain && candidate.why === why));

/** What is wrong with the signatures of a domain; it belongs to how the domain is delegated. */
export const dnssec = {
  "ds-without-key": rule("breaks", "RFC 4035 section 2.4", (facts) => {
    const found = flaws(facts, "keys-missing");
    const { ds, dnskey } = facts;
    return found.length > 0 ? found : when(ds.kind === "found" && (dnskey.kind === "nodata" || dnskey.kind === "nxdomain"));
  }),
  "dnssec-ds-foreign": rule("breaks", "RFC 4035 section 5.2", (facts) => flaws(facts, "ds-without-key", "ds-digest-wrong")),
  "dnssec-signature": rule("breaks", "RFC 4035 section 5.3", (facts) =>
    flaws(
      facts,
      "keys-not-signed",
      "signature-expired",
      "signature-early",
      "signature-missing",
      "signature-key-missing",
      "signature-wrong",
    ),
  ),
  "dnssec-denial": rule("breaks", "RFC 4035 section 5.4", (facts) => flaws(facts, "denial-missing", "wildcard-unproven")),
  "dnssec-wildcard": rule("note", "RFC 8198 section 5.3", ({ chains, anyA, anyTxt, soa }) => {
    const [own] = chains;
    const wild = [anyA, anyTxt].find(({ data }) => data.length > 0);
    if (own?.kind !== "secure" || wild?.answer.kind !== "found") return [];
    const negative = soa.answer.kind === "found" ? negativeTtl(soa.answer.set) : 0;
    return when(true, { seconds: Math.max(wild.answer.set.ttl, negative) });
  }),
  "dnssec-ends-soon": rule("risks", "RFC 4034 section 3.1.5", ({ chains, now = Number.NEGATIVE_INFINITY }) => {
    const until = Math.min(...chains.flatMap((verdict) => (verdict.kind === "secure" ? [verdict.until] : [])));
    return when(until - now < 2 * DAY, { seconds: Math.max(0, until - now) });
  }),
  "dnssec-server-differs": rule("breaks", "RFC 4035 section 5.3", ({ badServers }) =>
    badServers.map(({ name, flaw }) => ({ name, flaw })),
  ),
  "dnssec-key-change": rule("note", "RFC 7344 section 4", ({ cds, ds }) => {
    if (cds.kind !== "found" || !isOfType(cds.set, "CDS")) return [];
    const shown = ({ keyTag, digestType, digest }: DataOf["DS"]) => `${keyTag} ${digestType} ${digest}`;
    const now = ds.kind === "found" && isOfType(ds.set, "DS") ? ds.set.data.map(shown).sort() : [];
    const [first] = cds.set.data;
    // Algorithm 0 asks to take all of them away (RFC 8078 section 4).
    const gone = first?.algorithm === 0;
    const wanted = gone ? [] : cds.set.data.map(shown).sort();
    return when(now.join() !== wanted.join(), {
      keys: gone ? [] : [...new Set(cds.set.data.map((delegationSigner) => delegationSigner.keyTag))],
    });
  }),
  "dnssec-keys-large": rule("untidy", "RFC 6781 section 3.4.2", ({ dnskey }) => {
    const size =
      dnskey.kind === "found" && isOfType(dnskey.set, "DNSKEY")
        ? dnskey.set.data.reduce((sum, { key }) => sum + key.length / 2 + 16, 0)
        : 0;
    return when(size > 1100, { octets: size });
  }),
  "dnssec-outdated-algorithm": rule("untidy", "RFC 9905 section 2", ({ dnskey }) => {
    const keys = dnskey.kind === "found" && isOfType(dnskey.set, "DNSKEY") ? dnskey.set.data : [];
    const algorithms = [...new Set(keys.map(({ algorithm }) => algorithm))];
    return when(algorithms.length > 0 && algorithms.every((algorithm) => OUTDATED_ALGORITHMS.has(algorithm)), { algorithms });
  }),
  "dnssec-unknown-algorithm": rule("risks", "RFC 8624 section 3", unsignedFor("unknown-algorithm")),
  "dnssec-costly": rule("risks", "RFC 9276 section 3.1", unsignedFor("too-costly")),
  "dnssec-unused": rule("note", "RFC 4035 section 5.2", ({ ds, dnskey }) =>
    when(dnskey.kind === "found" && ds.kind === "nodata"),
  ),
} as const;
