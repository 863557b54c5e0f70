import type { ChangeClauses } from "../../core/clause/index.ts";
import { displayName, withoutRootDot } from "../../core/name/index.ts";
import { spanText } from "../../core/spread/index.ts";
import { allOf, listOf } from "../english.ts";
import type { WordsOf } from "./words.ts";

const SINGLE = {
  "second-dmarc": {
    title: "DMARC record",
    because: "and with two, receivers use neither",
    breaks: "the reports and the policy it asks for today",
  },
  "second-key": {
    title: "DKIM key",
    because: "and with two, receivers do not know which to use",
    breaks: "mail that is signed with the key that is there today",
  },
} as const;

const second = (type: string): string => (type === "CNAME" ? "a second alias" : `another ${type} record`);
const stillThere = (type: string): string =>
  type === "MX" ? "part of the mail still goes there" : "part of the visitors still arrive there";

export const CHANGE: WordsOf<ChangeClauses> = {
  "change-target-is-alias": ({ target, alias, type }) =>
    `${displayName(target)} is an alias for ${displayName(alias)}, and ${type === "MX" ? "a mail server" : "a name server"} must be named by its own name (RFC 2181 section 10.3)`,
  "change-target-is-alias-breaks": ({ name, type }) =>
    type === "MX" ? `some senders would not deliver mail to ${name}` : `some resolvers would not find ${name}`,
  "change-name-behind": ({ alias }) => `ask the service for the name behind the alias, such as ${displayName(alias)}`,
  "change-publish-policy-first": ({ above }) => `publish the DMARC record of ${displayName(above)} first`,
  "change-replace-all-the-same": ({ name }) => `--replace ${withoutRootDot(name)} publishes it all the same`,
  "change-replace-shows": ({ name }) =>
    `zandrel draft --replace ${withoutRootDot(name)} shows the draft with the old record replaced`,
  "change-replace-ttl": ({ name, ttl }) => `--replace ${withoutRootDot(name)} takes the shortest, ${spanText(ttl)}`,
  "change-breaks-nothing": "nothing",
  "change-breaks-all": ({ parts }, say) => [...new Set(parts.map(say))].join("; "),
  "change-breaks-proof": ({ text, name }) =>
    `whatever is proven with “${text.length > 40 ? `${text.slice(0, 40)}…` : text}” at ${displayName(name)} may lapse`,
  "change-targets-differ": ({ asks, name, targets }) =>
    `${listOf(asks)} want ${displayName(name)} to lead to different targets: ${targets}`,
  "change-alias-and-others": ({ asks, name }) =>
    `${listOf(asks)} want an alias and other records at ${displayName(name)}; an alias stands alone`,
  "change-below-zone-cut": ({ detail }, say) => `${say(detail)}, so it is not part of this zone`,
  "change-below-dname-mend": ({ to, above }) =>
    `publish the record at ${displayName(to)}, or remove the DNAME record at ${above}`,
  "change-needed-elsewhere": ({ because, asks }, say) => `${say(because)}; ${listOf(asks)} needs it`,
  "change-needed-too": ({ asks }) => `${allOf(asks, "needs", "need")} it too`,
  "change-retire-other": ({ asks }) => `retire ${listOf(asks)}, or ask one of the services for another name`,
  "change-put-there": ({ because, by }, say) => `${say(because)}; it was put there by ${say(by)}`,
  "change-by-zandrel": ({ at, asks }) => `Zandrel on ${new Date(at).toISOString().slice(0, 10)} for ${listOf(asks)}`,
  "change-by-somebody": "somebody else (the DNS host's default for new domains, or an older service)",
  "change-by-somebody-for": ({ ask }) => `somebody else, as the ask ${ask} wants it`,
  "change-makes-room": ({ type, asks, replacing }) =>
    `it makes room for the ${type} record of ${listOf(asks)}, ${replacing === undefined ? "as the service's page says" : `as --replace ${withoutRootDot(replacing)} says`}`,
  "change-ttls-differ": ({ asks, ttls, type, name }) =>
    `${asks.join(" and ")} want different TTLs (${ttls.map(spanText).join(", ")}) for the ${type} records of ${displayName(name)}, which share one`,
  "change-leftover-address": ({ name, family, addresses }) =>
    `${displayName(name)} also has ${family === "AAAA" ? "an AAAA" : "an A"} record (${addresses}) that leads elsewhere, and some visitors would still arrive there`,
  "change-asked": ({ asks, what, wildcard, keepsTtl }, say) => {
    const until = wildcard === undefined ? "" : `; until now the wildcard ${displayName(wildcard)} answers there`;
    const keeps = keepsTtl === undefined ? "" : `; the set keeps its TTL of ${spanText(keepsTtl)}`;
    return `${allOf(asks, "asks", "ask")} for it, ${say(what)}${until}${keeps}`;
  },
  "change-new-version": ({ of }) => `as the new version of ${of}`,
  "change-in-place": ({ of, by }, say) => `in place of ${of} put there by ${say(by)}`,
  "change-null-mx": ({ name, by }, say) =>
    `${displayName(name)} says that it takes no mail at all (null MX), put there by ${say(by)}; it cannot stand beside a mail server`,
  "change-leftover-value": ({ name, type, others, by }, say) =>
    `${displayName(name)} has what is asked, and beside it ${second(type)}, ${others}, put there by ${say(by)}; ${stillThere(type)}`,
  "change-other-value": ({ name, type, others, by }, say) =>
    `${displayName(name)} has another ${type} record already: ${others}, put there by ${say(by)}`,
  "change-spf-uncounted": ({ lookups, most, uncounted }) =>
    `at least ${lookups} of ${most} lookups, because those of ${listOf(uncounted)} could not be counted`,
  "change-second-single": ({ kind, name, own }) =>
    `${name} has a ${SINGLE[kind].title} already (${own.join(" / ")}), ${SINGLE[kind].because}`,
  "change-second-single-breaks": ({ kind }) => SINGLE[kind].breaks,
  "change-first-single": ({ kind }) => `as the first ${SINGLE[kind].title} there`,
  "change-in-its-place": "in place of the one that is there",
  "change-reasons": ({ reasons }, say) => reasons.map(say).join(", "),
  "change-remove-term": ({ costliest }) =>
    `remove a term that nobody uses any more: ${costliest.map(({ text, costs }) => `${text} costs ${costs}`).join(", ")}`,
  "change-page-removes": ({ asks }) => `the page that ${asks.join(" and ")} was copied from says to remove it`,
  "change-none-there": "and there is no record there yet",
  "change-values-kept": "and existing values are kept",
  "change-asked-broken": ({ standard, message, meant }, say) =>
    `the ${standard} record that is asked for would not be taken by receivers: ${say(message)}${meant === undefined ? "" : `; perhaps ${meant} is meant`}`,
  "change-asked-broken-breaks": ({ standard }) =>
    standard === "SPF"
      ? "the whole domain's SPF: with a broken record, or with a second one, receivers use none"
      : "the policy: receivers would act as if there was none",
  "change-asked-broken-mend": "save it as it has to be, with zandrel intake --instead-of and the ask's id",
  "change-broken-spf": ({ name, broken }) =>
    `the SPF record of ${name} cannot be read, so nothing can be merged into it: ${broken}`,
  "change-broken-spf-breaks": "receivers treat it as an error today already",
  "change-broken-spf-mend": "correct the record at the DNS host first",
  "change-second-spf": ({ name, own }) => `${name} has ${own} SPF records, and with more than one, receivers use none`,
  "change-second-spf-breaks": "nothing: the two do not work today",
  "change-first-spf": "as the domain's first SPF record",
  "change-merged-spf": "merged into the one SPF record",
  "change-change-there": ({ chosen }) => `change the record that is there so that it says what is asked: ${chosen}`,
  "change-no-report-address": "it names no address for reports, so that nobody learns who sends as this domain",
  "change-spf-over-limit": ({ name, lookups, most }) =>
    `with what is asked the SPF record of ${displayName(name)} would need ${lookups} lookups, and receivers stop at ${most}`,
  "change-spf-over-limit-breaks": "all mail from this domain, because receivers then treat the whole record as an error",
  "change-send-from-subdomain": ({ domain }) =>
    `let one of the services send from a subdomain, such as mail.${displayName(domain)}, with an SPF record of its own`,
  "change-null-mx-and-server": ({ name }) =>
    `${name} is asked to take no mail (null MX) and to have a mail server, which exclude each other`,
  "change-breaks-nothing-yet": "nothing yet",
  "change-retire-one": "retire one of the asks",
  "change-wildcard-answers": ({ name, above }) =>
    `${name} would also answer for _dmarc.${displayName(above)}, for DKIM selectors and for ownership names that are not there yet, with nonsense`,
  "change-wildcard-answers-breaks": "mail policy and later proofs may be misread",
  "change-breaks-key": ({ name }) =>
    `mail signed with the key at ${displayName(name)} fails until the service signs with another one`,
  "change-breaks-spf": ({ name }) =>
    `mail sent with an address at ${displayName(name)} is no longer allowed by SPF (the list of servers that may send)`,
  "change-breaks-policy": `receivers no longer know what to do with mail that is not proven, and send no reports`,
  "change-breaks-mail": ({ domain, name }) => `mail for all of ${displayName(domain)} stops, because ${name} is its mail server`,
  "change-breaks-key-behind": ({ name }) =>
    `mail signed with the key behind ${name} fails until the service signs with another one`,
  "change-breaks-address": ({ name, set }) => `whatever is reached at ${name} today (${set}) is no longer reached there`,
  "change-breaks-alias": ({ name, set }) => `whatever ${name} leads to today (${set}) is no longer reached there`,
  "change-breaks-mx": ({ name, set }) => `mail to ${name} no longer arrives at ${set}`,
  "change-breaks-zone": ({ name }) => `everything below ${name} is no longer found`,
  "change-breaks-record": ({ type, name }) => `the ${type} record at ${name} is no longer found`,
  "change-outside-domain": ({ name, domain }) => `${displayName(name)} does not belong to ${displayName(domain)}`,
  "change-outside-domain-mend": ({ name }) => `save the ask for the domain that ${displayName(name)} belongs to`,
  "change-alias-at-apex": ({ domain }) =>
    `an alias (CNAME) cannot stand at ${displayName(domain)} itself, because the zone's own records are there`,
  "change-alias-at-apex-breaks": "the whole zone, mail included",
  "change-alias-at-apex-addresses": "ask the service for its addresses (A and AAAA records) instead",
  "change-alias-at-apex-redirect": ({ domain }) =>
    `point www.${displayName(domain)} at the service and redirect the bare domain there`,
  "change-retire-or-other-name": "retire one of the asks, or ask one service for another name",
  "change-other-name": "ask one of the services for another name",
  "change-publish-there": "publish the record at the DNS host that serves that zone",
  "change-below-dname": ({ above, target, name }) =>
    `everything below ${above} is led to ${displayName(target)} (by a DNAME record), so that nothing can be published at ${displayName(name)}`,
  "change-below-dname-breaks": ({ above }) => `every name below ${above}`,
  "change-wildcard-has-it": ({ wildcard }) => `the wildcard ${displayName(wildcard)} answers with it`,
  "change-alias-in-the-way": ({ name, set }) =>
    `${displayName(name)} is an alias for ${set}, and nothing else may stand beside an alias`,
  "change-alias-beside-data": ({ name, type, other }) =>
    `${displayName(name)} has a ${type} record (${other}), and an alias cannot stand beside it`,
  "change-same-ttl": "give the records the same TTL in the domain's file",
  "change-ends-wildcard": ({ of, wildcard, set, name }) =>
    `${displayName(of)} has no record of its own, the wildcard ${displayName(wildcard)} answers for it (${set}), and a record at ${displayName(name)} ends that`,
  "change-ends-wildcard-breaks": ({ of }) => `whatever is reached at ${displayName(of)} today is no longer found`,
  "change-ends-wildcard-mend": ({ of }) => `add a record of its own for ${displayName(of)} first, with what the wildcard says`,
  "change-already-there": "it is already there",
  "change-starts-mail": ({ name }) => `${displayName(name)} starts to take mail`,
  "change-policy-or-stricter": ({ policy }) => `p=${policy} or stricter`,
  "change-policy-stays": "a domain that sends mail keeps its DMARC record",
  "change-terms-needed": "another ask needs these terms too",
  "change-spf-not-ours": ({ name }) =>
    `the SPF record was not last written by Zandrel; --replace ${withoutRootDot(name)} takes the terms out all the same`,
  "change-there-before": ({ name }) => `it was there before Zandrel; --replace ${withoutRootDot(name)} removes it all the same`,
  "change-ask-ends": ({ id }) => `${id} ends, and nobody else needs it`,
  "sheet-quoted": "with the quotation marks",
  "sheet-one-line": ({ octets }) => `one line of ${octets} characters; the form must not cut it`,
  "sheet-ttl": ({ ttl, chosen }) => `the form does not offer ${ttl} seconds, so ${chosen} is used`,
};
