import { discoveryDifference, isDmarc, POLICIES } from "../../dmarc/index.ts";
import { displayName } from "../../name/index.ts";
import { treeError } from "../../spf/index.ts";
import type { Facts } from "../facts.ts";
import { rulesOf, when } from "../finding.ts";

/** The finding that comes before all others: mail is lost at this moment. */
export const NOTHING_PASSES = "dmarc-without-checks";

/** Why SPF lets nobody pass, as a clause; undefined where it does, or where that could not be asked. */
function whySpfFails({ spf, spfTree }: Facts): string | undefined {
  if ("problem" in spf)
    return {
      none: "there is no SPF record",
      several: "there are several SPF records",
      broken: "the SPF record cannot be read",
      loop: "the SPF record leads back to itself",
      failed: undefined,
    }[spf.problem.kind];
  if (spfTree === undefined) return undefined;
  const error = treeError(spfTree);
  if (error !== undefined) return `receivers give the SPF record up at ${error.term} (${error.because})`;
  const passes = spfTree.branches.some(
    ({ term, ineffective }) =>
      ineffective === undefined && (term.kind === "modifier" ? term.name === "redirect" : term.qualifier === "+"),
  );
  return passes ? undefined : "the SPF record lets nobody send";
}

export const dmarc = rulesOf("dmarc", [
  [
    "dmarc-missing",
    "risks",
    "RFC 7489 section 6.3",
    "The domain has no DMARC policy",
    "Forged mail in its name arrives, and large receivers refuse newsletters from it.",
    ({ dmarc: found, publishedDmarc, plain, sends }) =>
      when(
        // Of a domain that sends nothing the rules for parked domains say it, and how.
        sends && found.record === undefined && found.failed === undefined && publishedDmarc.kind === "none",
        `there is no record at _dmarc.${plain}, nor further up`,
        `zandrel dmarc compose ${plain} --reports-to dmarc@${plain}`,
      ),
  ],
  [
    "dmarc-several",
    "breaks",
    "RFC 7489 section 6.6.3",
    "There are several DMARC records",
    "Receivers use none of them.",
    ({ publishedDmarc, plain }) =>
      when(
        publishedDmarc.kind === "several",
        publishedDmarc.kind === "several" ? publishedDmarc.texts.join(" / ") : "",
        `leave one record at _dmarc.${plain}`,
      ),
  ],
  [
    "dmarc-unusable",
    "breaks",
    "RFC 7489 section 6.6.3",
    "The DMARC record cannot be used",
    "Receivers treat the domain as if it had none.",
    ({ publishedDmarc }) =>
      publishedDmarc.kind === "unusable"
        ? when(
            true,
            `${publishedDmarc.text}: ${publishedDmarc.mistakes[0]?.message}`,
            publishedDmarc.mistakes[0]?.meant === undefined
              ? "correct it; zandrel dmarc explain shows the place"
              : `write ${publishedDmarc.mistakes[0].meant}`,
          )
        : [],
  ],
  [
    "dmarc-mistake",
    "risks",
    "RFC 7489 section 6.3",
    "The DMARC record has a mistake",
    "Receivers pass over what they do not understand, and the rest may not be what was meant.",
    ({ publishedDmarc }) =>
      publishedDmarc.kind === "record"
        ? publishedDmarc.record.mistakes.map(({ text, message, meant }) => ({
            evidence: `at “${text}”: ${message}`,
            remedy: meant === undefined ? "correct it" : `write ${meant}`,
          }))
        : [],
  ],
  [
    "dmarc-misplaced",
    "breaks",
    "RFC 7489 section 6.1",
    "A DMARC record is at the domain itself",
    "Receivers look at _dmarc only, and find nothing there.",
    ({ texts, plain }) => texts.filter(isDmarc).map((text) => ({ evidence: text, remedy: `move it to _dmarc.${plain}` })),
  ],
  [
    "dmarc-watching",
    "note",
    "RFC 7489 section 6.3",
    "DMARC only watches",
    "Forged mail is still delivered; that is right at the beginning, while the reports are read.",
    ({ dmarcRecord }) =>
      when(
        dmarcRecord?.policy === "none" && dmarcRecord.aggregate.length > 0,
        "p=none with a report address",
        "read the reports, and tighten the policy when they allow it",
      ),
  ],
  [
    "dmarc-blind",
    "risks",
    "RFC 7489 section 6.3",
    "DMARC neither stops nor reports anything",
    "The record does nothing at all: nobody learns of forgeries, and none is stopped.",
    ({ dmarcRecord, plain }) =>
      when(
        dmarcRecord?.policy === "none" && dmarcRecord.aggregate.length === 0,
        "p=none without a report address",
        `zandrel dmarc compose ${plain} --reports-to dmarc@${plain}`,
      ),
  ],
  [
    "dmarc-no-reports",
    "untidy",
    "RFC 7489 section 7.2",
    "Nobody gets DMARC reports",
    "When a service stops signing, its mail is refused and nobody learns why.",
    ({ dmarcRecord, sends }) =>
      when(
        sends && dmarcRecord !== undefined && dmarcRecord.policy !== "none" && dmarcRecord.aggregate.length === 0,
        dmarcRecord?.text ?? "",
        "add rua=mailto: with an address that is read",
      ),
  ],
  [
    "dmarc-subdomains-weaker",
    "risks",
    "RFC 7489 section 6.3",
    "Subdomains are less protected than the domain",
    "Forgers use a subdomain then.",
    ({ dmarcRecord }) =>
      when(
        dmarcRecord?.subdomains !== undefined && POLICIES.indexOf(dmarcRecord.subdomains) < POLICIES.indexOf(dmarcRecord.policy),
        `p=${dmarcRecord?.policy}, sp=${dmarcRecord?.subdomains}`,
        "take sp= out once the subdomains that send are authenticated",
      ),
  ],
  [
    "dmarc-nonexistent-weaker",
    "risks",
    "RFC 9091 section 3",
    "Subdomains that do not exist are less protected than the domain",
    "There is no real mail from them, and forgers like them best.",
    ({ dmarcRecord }) =>
      when(
        dmarcRecord?.nonexistent !== undefined &&
          POLICIES.indexOf(dmarcRecord.nonexistent) < POLICIES.indexOf(dmarcRecord.subdomains ?? dmarcRecord.policy),
        `np=${dmarcRecord?.nonexistent}`,
        "set np=reject",
      ),
  ],
  [
    "dmarc-percent",
    "untidy",
    "RFC 7489 section 6.6.4",
    "The DMARC policy counts for a part of the mail only",
    "Older receivers draw lots; newer ones ignore pct= and apply the policy to all of it.",
    ({ dmarcRecord }) =>
      when(
        dmarcRecord !== undefined && dmarcRecord.percent < 100,
        `pct=${dmarcRecord?.percent}`,
        "take pct= out; t=y is today's way to try a policy",
      ),
  ],
  [
    "dmarc-trying",
    "note",
    "RFC 7489 section 6.3",
    "The DMARC policy is only tried out",
    "Receivers that know t=y apply one step milder.",
    ({ dmarcRecord }) =>
      when(dmarcRecord?.testing === true, "t=y", "take t=y out when the reports show no mail of your own failing"),
  ],
  [
    "dmarc-differs",
    "risks",
    "RFC 7489 section 3.2",
    "Receivers find different policies",
    "The same message is treated differently here and there.",
    ({ dmarc: walk, dmarcByList }) => {
      const difference = discoveryDifference(walk, dmarcByList);
      // Where nobody finds a record there is no policy to differ.
      return difference === undefined || (walk.record === undefined && dmarcByList.record === undefined)
        ? []
        : when(true, difference, "publish a record at the domain itself");
    },
  ],
  [
    "dmarc-inherited",
    "note",
    "RFC 7489 section 6.6.3",
    "The policy comes from a domain further up",
    "A change there changes it here too.",
    ({ dmarc: found, domain }) =>
      when(
        found.at !== undefined && found.at !== domain,
        `the record of ${displayName(found.at ?? domain)} counts`,
        "publish a record of its own if this domain needs another policy",
      ),
  ],
  [
    "dmarc-strict",
    "note",
    "RFC 7489 section 3.1",
    "Alignment is strict",
    "Mail of a service that signs with a subdomain fails.",
    ({ dmarcRecord }) =>
      when(
        dmarcRecord?.dkimAlignment === "strict" || dmarcRecord?.spfAlignment === "strict",
        [dmarcRecord?.dkimAlignment === "strict" ? "adkim=s" : "", dmarcRecord?.spfAlignment === "strict" ? "aspf=s" : ""]
          .filter((one) => one !== "")
          .join(" "),
        "take it out unless somebody decided on it",
      ),
  ],
  [
    "dmarc-suffix",
    "risks",
    "RFC 9091 section 2.1",
    "The record says that others register below the domain",
    "It is meant for registries; receivers then treat every subdomain as somebody else's.",
    ({ publishedDmarc }) =>
      when(publishedDmarc.kind === "record" && publishedDmarc.record.publicSuffix === true, "psd=y", "take psd=y out"),
  ],
  [
    "dmarc-subdomain-weaker",
    "risks",
    "RFC 7489 section 6.6.3",
    "A subdomain has a weaker policy of its own",
    "Forgers use that subdomain, and the policy of the domain does not count there.",
    ({ dmarcRecord, subPolicies }) =>
      dmarcRecord === undefined
        ? []
        : subPolicies
            .filter(
              ({ record }) => POLICIES.indexOf(record.policy) < POLICIES.indexOf(dmarcRecord.subdomains ?? dmarcRecord.policy),
            )
            .map(({ name, record }) => ({
              evidence: `_dmarc.${displayName(name)} says p=${record.policy}, the domain ${dmarcRecord.subdomains === undefined ? "p" : "sp"}=${dmarcRecord.subdomains ?? dmarcRecord.policy}`,
              remedy: "take the record of the subdomain out, or make it as strict",
            })),
  ],
  [
    NOTHING_PASSES,
    "breaks",
    "RFC 7489 section 3",
    "A strict policy, and no mail of the domain can pass it",
    "All mail of the domain is refused or lands in the junk folder.",
    (facts) => {
      const { dmarcRecord, sends, keys, unresolved, anyKey } = facts;
      const spf = whySpfFails(facts);
      return when(
        sends &&
          dmarcRecord !== undefined &&
          dmarcRecord.policy !== "none" &&
          spf !== undefined &&
          !keys.some((one) => one.state === "usable" || one.state === "unknown") &&
          anyKey.answer.kind !== "failed" &&
          !unresolved.some((one) => one.name.includes("._domainkey.")),
        `p=${dmarcRecord?.policy}, ${spf}, and there is no DKIM key that works`,
        "publish what your mail services ask for, or set p=none until then",
      );
    },
  ],
]);
