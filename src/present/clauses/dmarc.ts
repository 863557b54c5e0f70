import type { Clause } from "../../core/clause/index.ts";
import { type DomainName, displayName } from "../../core/name/index.ts";
import { listOf } from "../english.ts";
import type { Words } from "./words.ts";

type By = "spf" | "dkim";

/** What mail that fails is treated like (RFC 7489 section 6.3). */
type Asked = "none" | "quarantine" | "reject";

/** What “dmarc-fails” needs. */
type DmarcFails = {
  /** What passes, and belongs to somebody else. */
  readonly unaligned: readonly { readonly by: By; readonly domain: DomainName }[];
  readonly from: DomainName;
  readonly at: DomainName;
  readonly tag: "p" | "sp" | "np";
  readonly policy: Asked;
  readonly softened: { readonly by: "testing" } | { readonly by: "percent"; readonly percent: number } | undefined;
};

const DOES = {
  none: "deliver mail that fails, and only report it",
  quarantine: "put mail that fails into the junk folder",
  reject: "refuse mail that fails",
} as const;

const TITLE = { spf: "SPF", dkim: "DKIM" } as const;

const where = (at: DomainName | undefined): string => (at === undefined ? "no record" : `the record of ${displayName(at)}`);

/** Why a message fails, and what the domain asks for then. */
function fails({ unaligned, from, at, tag, policy, softened }: DmarcFails): string {
  const passes = unaligned.map(({ by, domain }) => `${TITLE[by]} passes for ${displayName(domain)}`).join(" and ");
  const why = passes === "" ? "neither SPF nor DKIM passes" : `${passes}, which does not belong to ${displayName(from)}`;
  const note =
    softened === undefined
      ? ""
      : softened.by === "testing"
        ? ", one step milder because the domain says t=y"
        : softened.percent === 0
          ? ", one step milder because of pct=0"
          : ` for ${softened.percent} % of such messages, and one step milder for the rest`;
  return `${why}; ${displayName(at)} asks for ${tag}=${policy}${note}`;
}

/** What is said of DMARC records and policies, and of tag lists. */
/** What the answers about failure reports bring, and how many people's mail that shows. */
const FAILURES_WHEN = {
  "all-fail": "only for mail that fails DMARC: forgeries mostly, and the fewest letters of your own",
  "any-fails":
    "where SPF or DKIM fails, also if the other one passes: the most to learn from, and many of your own letters, such as all that are forwarded",
  "dkim-fails": "where a signature fails, whether it is aligned or not: what changes your mail on the way, and whose",
  "spf-fails": "where SPF fails, whether it is aligned or not: who forwards your mail, and who sends without being allowed",
} as const;

const FAILURE_OPTIONS: Readonly<Record<string, string>> = {
  "0": "where nothing passes",
  "1": "where SPF or DKIM fails",
  d: "where a signature fails",
  s: "where SPF fails",
};

export const DMARC = {
  "dmarc-choice": ({ name, words }: { readonly name: string; readonly words: readonly string[] }) =>
    `${name}= is ${words.join(" or ")}`,
  "dmarc-number": ({ name, least, most }: { readonly name: string; readonly least: number; readonly most: number }) =>
    `${name}= is a whole number from ${least} to ${most}`,
  /** `failed` is what happened. */
  "dmarc-unresolved": ({ failed }: { readonly failed: Clause }, say) => `the policy could not be asked for: ${say(failed)}`,
  "dmarc-published-unresolved": ({ failed }: { readonly failed: Clause }, say) =>
    `what is published today could not be asked: ${say(failed)}`,
  "dmarc-passes": ({ by, domain, from }: { readonly by: By; readonly domain: DomainName; readonly from: DomainName }) =>
    `${TITLE[by]} passes for ${displayName(domain)}, which belongs to ${displayName(from)}`,
  "dmarc-fails": fails,
  "dmarc-says-policy": ({ policy }: { readonly policy: Asked }) => `Receivers are asked to ${DOES[policy]}.`,
  "dmarc-says-subdomains": ({ policy }: { readonly policy: Asked }) => `For subdomains: ${DOES[policy]}.`,
  "dmarc-says-nonexistent": ({ policy }: { readonly policy: Asked }) => `For subdomains that do not exist: ${DOES[policy]}.`,
  "dmarc-says-testing": "It is in test mode (t=y): receivers apply one step milder.",
  "dmarc-says-percent": ({ percent }: { readonly percent: number }) =>
    `Older receivers apply it to ${percent} % of the mail that fails; newer ones ignore pct=.`,
  "dmarc-says-strict": ({ by }: { readonly by: By }) =>
    `${TITLE[by]} counts only for the very domain in From, not for one of its subdomains.`,
  "dmarc-says-reports": ({ to }: { readonly to: readonly string[] }) =>
    to.length > 0
      ? `Daily reports go to ${to.join(" and ")}.`
      : "Nobody gets reports, so nobody learns who sends as this domain.",
  /** `options`: what `fo` says, which is `0` where it says nothing. */
  "dmarc-says-failures": ({ to, options }: { readonly to: readonly string[]; readonly options: readonly string[] }) =>
    `Reports on single messages go to ${to.join(" and ")}: ${listOf(options.map((option) => FAILURE_OPTIONS[option] ?? option))}.`,
  /** `most` in octets. */
  "dmarc-says-limit": ({ to, most }: { readonly to: string; readonly most: number }) =>
    `Reports to ${to} may have at most ${most} octets.`,
  /** Whether others register below the domain, or it is the organisation's own top. */
  "dmarc-says-suffix": ({ registry }: { readonly registry: boolean }) =>
    registry ? "The domain is one under which others register (psd=y)." : "The domain is the organisation's own top (psd=n).",
  /** Where receivers that walk up the tree, and those that use the public suffix list, find a record. */
  "dmarc-differs": ({ walk, list }: { readonly walk: DomainName | undefined; readonly list: DomainName | undefined }) =>
    `newer receivers, which walk up the tree, use ${where(walk)}; older ones, which use the public suffix list, use ${where(list)}`,
  "dmarc-organization-differs": ({ walk, list }: { readonly walk: DomainName; readonly list: DomainName }) =>
    `newer receivers take ${displayName(walk)} for the organisation's domain, older ones ${displayName(list)}; what is aligned may differ`,
  "dmarc-uri-size": ({ text }: { readonly text: string }) =>
    `“${text}” has an exclamation mark that is not a size limit; write it as %21`,
  "dmarc-uri-needs-mailto": ({ text }: { readonly text: string }) => `“${text}” needs mailto: in front`,
  "dmarc-uri-no-address": ({ text }: { readonly text: string }) =>
    `“${text}” is not an address such as mailto:dmarc@brackwater.example`,
  "dmarc-uri-letters": ({ text }: { readonly text: string }) => `“${text}” has letters that an address in a record cannot have`,
  "dmarc-uri-percent": ({ text }: { readonly text: string }) => `“${text}” has a broken percent sign`,
  "dmarc-version-exact": "the version must be exactly v=DMARC1, in capitals and first",
  "dmarc-needs-start": "a DMARC record begins with v=DMARC1 and a semicolon",
  "dmarc-unknown-tag": ({ name }: { readonly name: string }) => `there is no tag “${name}”, and receivers ignore it`,
  "dmarc-policy-missing": "the policy p= is missing",
  "dmarc-policy-place": "p= belongs directly behind v=DMARC1; some receivers insist",
  "dmarc-failure-options": "fo= lists 0, 1, d and s, with colons between",
  "dmarc-no-address": ({ address }: { readonly address: string }) => `“${address}” is not an address`,
  "dmarc-no-address-mend": "write it as dmarc@brackwater.example",
  "dmarc-no-reports":
    "without a report address nobody learns who sends as this domain, and the policy can never be tightened safely",
  "dmarc-no-reports-mend": "name one with --reports-to, or say --no-reports if no reports are wanted",
  "dmarc-first-strict": ({ policy }: { readonly policy: "none" | "quarantine" | "reject" }) =>
    `the first record of a domain asks for nothing (p=none) until reports show who sends as it; ${policy} now may stop the organisation's own mail`,
  "dmarc-reports-show-own": "the reports of the last weeks show mail of one's own that a stricter policy would stop",
  "dmarc-no-reports-read": "no reports were read that show that nothing of one's own would be stopped",
  "dmarc-start-with-none":
    "start with --policy none and read the reports, or say --force if you know that every sender is authenticated",
  "dmarc-subdomains-weaker": ({
    subdomains,
    policy,
  }: {
    readonly subdomains: "none" | "quarantine" | "reject";
    readonly policy: "none" | "quarantine" | "reject";
  }) => `subdomains are less protected (sp=${subdomains}) than the domain itself (p=${policy}); forgers will use one`,
  "dmarc-few-failure-reports":
    "few receivers send failure reports, because they hold parts of people's mail: addresses, subjects, sometimes the text; keep them only where somebody needs them",
  /** `when`: what `fo` says. */
  "dmarc-failures-when": ({ when }: { readonly when: "all-fail" | "any-fails" | "dkim-fails" | "spf-fails" }) =>
    `reports on single messages come ${FAILURES_WHEN[when]}`,
  "dmarc-failures-nowhere":
    "nobody gets reports on single messages, so when they are sent does not matter: name an address with --failures-to",
  "dmarc-testing-none": "t=y changes nothing while the policy is none",
  "dmarc-consent-needed": ({ destination }: { readonly destination: DomainName }) =>
    `${displayName(destination)} must publish its consent first; until then receivers send no reports there`,
  "dmarc-several": ({ from, texts }: { readonly from: DomainName; readonly texts: number }) =>
    `${displayName(from)} has ${texts} DMARC records, so none counts`,
  "dmarc-unusable": ({ from, message }: { readonly from: DomainName; readonly message: Clause | undefined }, say) =>
    `the DMARC record of ${displayName(from)} cannot be used: ${say(message)}`,
  "dmarc-none": ({ from }: { readonly from: DomainName }) => `${displayName(from)} has no DMARC record`,
  "dmarc-check-not-made": "a check that could have passed could not be made; receivers try again later",
  "dmarc-ignored": "receivers ignore this record",
  "dmarc-not-asked": ({ failed }: { readonly failed: Clause }, say) => `it could not be asked for: ${say(failed)}`,
  "dmarc-several-there": ({ records }: { readonly records: number }) => `${records} records are there, so none counts`,
  "dmarc-unusable-there": "the record there cannot be used",
  "dmarc-none-there": "there is no record, so that receivers do with forged mail what they like",
  "tags-nothing-between": "there is nothing between two semicolons",
  "tags-form": "a tag is a name, an equals sign and a value",
  "tags-name": "a tag's name is a letter, followed by letters, digits and underscores",
  "tags-twice": ({ name }: { readonly name: string }) => `the tag “${name}” may stand only once`,
} satisfies Words;
