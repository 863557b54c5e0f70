import type { Sightings } from "../../../core/audit/index.ts";
import { displayName } from "../../../core/name/index.ts";
import { inWords } from "../../clauses/index.ts";
import type { AreaWords } from "../say.ts";

/** Why SPF lets nobody pass, as a clause. */
function spfFailure(failure: Sightings["dmarc"]["dmarc-without-checks"]["spf"]): string {
  switch (failure.kind) {
    case "none":
      return "there is no SPF record";
    case "several":
      return "there are several SPF records";
    case "broken":
      return "the SPF record cannot be read";
    case "loop":
      return "the SPF record leads back to itself";
    case "nobody":
      return "the SPF record lets nobody send";
    case "given-up":
      return `receivers give the SPF record up at ${failure.term} (${inWords(failure.because)})`;
  }
}

export const DMARC: AreaWords<"dmarc"> = {
  "dmarc-missing": {
    title: "The domain has no DMARC policy",
    why: "Forged mail in its name arrives, and large receivers refuse newsletters from it.",
    evidence: (_, { plain }) => `there is no record at _dmarc.${plain}, nor further up`,
    remedy: (_, { plain }) => `zandrel dmarc compose ${plain} --reports-to dmarc@${plain}`,
  },
  "dmarc-several": {
    title: "There are several DMARC records",
    why: "Receivers use none of them.",
    evidence: ({ texts }) => texts.join(" / "),
    remedy: (_, { plain }) => `leave one record at _dmarc.${plain}`,
  },
  "dmarc-unusable": {
    title: "The DMARC record cannot be used",
    why: "Receivers treat the domain as if it had none.",
    evidence: ({ because, text }) => `${text}: ${inWords(because)}`,
    remedy: ({ meant }) => (meant === undefined ? "correct it; zandrel dmarc explain shows the place" : `write ${meant}`),
  },
  "dmarc-mistake": {
    title: "The DMARC record has a mistake",
    why: "Receivers pass over what they do not understand, and the rest may not be what was meant.",
    evidence: ({ message, text }) => `at “${text}”: ${inWords(message)}`,
    remedy: ({ meant }) => (meant === undefined ? "correct it" : `write ${meant}`),
  },
  "dmarc-misplaced": {
    title: "A DMARC record is at the domain itself",
    why: "Receivers look at _dmarc only, and find nothing there.",
    evidence: ({ text }) => text,
    remedy: (_, { plain }) => `move it to _dmarc.${plain}`,
  },
  "dmarc-watching": {
    title: "DMARC only watches",
    why: "Forged mail is still delivered; that is right at the beginning, while the reports are read.",
    evidence: "p=none with a report address",
    remedy: "read the reports, and tighten the policy when they allow it",
  },
  "dmarc-blind": {
    title: "DMARC neither stops nor reports anything",
    why: "The record does nothing at all: nobody learns of forgeries, and none is stopped.",
    evidence: "p=none without a report address",
    remedy: (_, { plain }) => `zandrel dmarc compose ${plain} --reports-to dmarc@${plain}`,
  },
  "dmarc-no-reports": {
    title: "Nobody gets DMARC reports",
    why: "When a service stops signing, its mail is refused and nobody learns why.",
    evidence: ({ text }) => text,
    remedy: "add rua=mailto: with an address that is read",
  },
  "dmarc-subdomains-weaker": {
    title: "Subdomains are less protected than the domain",
    why: "Forgers use a subdomain then.",
    evidence: ({ policy, subdomains }) => `p=${policy}, sp=${subdomains}`,
    remedy: "take sp= out once the subdomains that send are authenticated",
  },
  "dmarc-nonexistent-weaker": {
    title: "Subdomains that do not exist are less protected than the domain",
    why: "There is no real mail from them, and forgers like them best.",
    evidence: ({ nonexistent }) => `np=${nonexistent}`,
    remedy: "set np=reject",
  },
  "dmarc-percent": {
    title: "The DMARC policy counts for a part of the mail only",
    why: "Older receivers draw lots; newer ones ignore pct= and apply the policy to all of it.",
    evidence: ({ percent }) => `pct=${percent}`,
    remedy: "take pct= out; t=y is today's way to try a policy",
  },
  "dmarc-trying": {
    title: "The DMARC policy is in test mode",
    why: "Receivers that know t=y apply one step milder.",
    evidence: "t=y",
    remedy: "take t=y out when the reports show no mail of your own failing",
  },
  "dmarc-differs": {
    title: "Receivers find different policies",
    why: "The same message is treated differently here and there.",
    evidence: ({ difference }) => inWords(difference),
    remedy: "publish a record at the domain itself",
  },
  "dmarc-inherited": {
    title: "The policy comes from a domain further up",
    why: "A change there changes it here too.",
    evidence: ({ at }) => `the record of ${displayName(at)} counts`,
    remedy: "publish a record of its own if this domain needs another policy",
  },
  "dmarc-strict": {
    title: "Alignment is strict",
    why: "Mail of a service that signs with a subdomain fails.",
    evidence: ({ tags }) => tags.join(" "),
    remedy: "take it out unless somebody decided on it",
  },
  "dmarc-suffix": {
    title: "The record says that others register below the domain",
    why: "It is meant for registries; receivers then treat every subdomain as somebody else's.",
    evidence: "psd=y",
    remedy: "take psd=y out",
  },
  "dmarc-subdomain-weaker": {
    title: "A subdomain has a weaker policy of its own",
    why: "Forgers use that subdomain, and the policy of the domain does not count there.",
    evidence: ({ above, name, policy, tag }) => `_dmarc.${displayName(name)} says p=${policy}, the domain ${tag}=${above}`,
    remedy: "take the record of the subdomain out, or make it as strict",
  },
  "dmarc-without-checks": {
    title: "A strict policy, and no mail of the domain can pass it",
    why: "All mail of the domain is refused or lands in the junk folder.",
    evidence: ({ policy, spf }) => `p=${policy}, ${spfFailure(spf)}, and there is no DKIM key that works`,
    remedy: "publish what your mail services ask for, or set p=none until then",
  },
};
