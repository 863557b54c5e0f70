import type { Clause } from "../../core/clause/index.ts";
import { type DomainName, displayName, relativeText, withoutRootDot } from "../../core/name/index.ts";
import { spanText } from "../../core/spread/index.ts";
import { allOf, listOf, recordOf } from "../english.ts";
import { shellWord } from "../safe.ts";
import type { Words } from "./words.ts";

/** Where a publication went, and whether it is entered by hand. */
type Went = {
  readonly to: string;
  readonly byHand: boolean;
};

/** What “publish-arrived” needs. */
type PublishArrived = Went;

const publication = ({ to, byHand }: PublishArrived): string =>
  byHand ? `the records for ${to}` : `a publication to ${to} broke off`;

const said = (reason: string): string => (reason === "" ? "" : `: ${reason}`);

type Single = "second-dmarc" | "second-key";

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

/** The server, as people write it, and the name of the key. */
type Signed = {
  readonly server: string;
  readonly key: DomainName;
};

/** What “update-mend” needs. */
type UpdateMend = {
  readonly what:
    | "key"
    | "secret"
    | "clock"
    | "primary"
    | "permission"
    | "again"
    | "address"
    | "reach"
    | "look"
    | "between"
    | "late";
};

const MEND: Readonly<Record<UpdateMend["what"], string>> = {
  key: "compare the key's name and algorithm in zandrel.yaml with what the DNS host shows",
  secret: "copy the secret from the DNS host again, whole and without spaces",
  clock: "set the clock and publish again",
  primary: "ask the DNS host which server takes updates for this zone",
  permission:
    "ask the DNS host to allow updates of this zone with this key; some servers also refuse addresses and mail servers at names with an underscore",
  again: "try again; if it stays, ask the DNS host",
  address: "give the address of the primary server",
  look: "run zandrel status to see what the zone holds",
  between: "somebody may be in between: run zandrel status to see what the zone holds",
  late: "run zandrel status: it looks at the zone and says whether the change was carried out",
  reach: "check the server's address under hosts: in zandrel.yaml, and that this machine may reach it",
};

/** What is said of drafts, of ways to publish, and of DNS hosts and kits. */
/** An issuer of certificates that an ask wants allowed at a name, and the name whose CAA records keep it out. */
type IssuerForbidden = { readonly name: DomainName; readonly at: DomainName; readonly issuer: string };

export const PUBLISHING = {
  "publish-shown-otherwise": ({ differences }: { readonly differences: readonly string[] }) =>
    `accepted, but the zone shows otherwise: ${differences.join("; ")}`,
  "publish-late": ({ to }: { readonly to: string }) =>
    `a publication to ${to}, of which nothing was seen before, has arrived: the zone has all of it`,
  "publish-arrived-late": "it arrived late; the zone has all of it",
  "publish-unseen": ({ unseen, ...went }: Went & { readonly unseen: Clause | undefined }, say) =>
    `${publication(went)}: ${unseen === undefined ? "the zone could not be looked at" : say(unseen)}; run zandrel status again`,
  "publish-sheet-entered": ({ to }: Went) => `everything on the sheet for ${to} is entered`,
  "publish-arrived": (went: PublishArrived) => `${publication(went)}; the zone has all of it`,
  "publish-all-there": "the zone has all of it",
  "publish-sheet-partly": ({ done, of, ...went }: Went & { readonly done: number; readonly of: number }) =>
    `${publication(went)}: ${done} of ${of} are there; zandrel publish --check shows what is left`,
  "publish-may-arrive": (went: Went) => `${publication(went)}, and may still arrive; run zandrel status again in a minute`,
  "publish-none-there": "the zone has none of it",
  "publish-partly": ({
    done,
    of,
    differences,
  }: {
    readonly done: number;
    readonly of: number;
    readonly differences: readonly string[];
  }) => `${done} of ${of} changes are there; ${differences.join("; ")}`,
  "publish-broke-off": ({ because, domain, ...went }: Went & { readonly because: Clause; readonly domain: DomainName }, say) =>
    `${publication(went)}; ${say(because)}; zandrel draft ${withoutRootDot(domain)} shows what is left`,
  "publish-together": ({ parts }: { readonly parts: readonly Clause[] }, say) => parts.map(say).join("; "),
  /** `some`: others came by themselves. */
  "publish-enter": ({ title, some }: { readonly title: string; readonly some: boolean }) =>
    `${some ? "the others" : "these records"} are to be entered at ${title}`,
  /** `reason`: what the helper said; empty where nothing. */
  "publish-moved": ({ title, reason }: { readonly title: string; readonly reason: string }) =>
    `${title} holds something else than a moment ago${said(reason)}`,
  "publish-refused": ({ title, reason }: { readonly title: string; readonly reason: string }) =>
    `${title} refused${said(reason)}`,
  "publish-only-part": ({ title, reason }: { readonly title: string; readonly reason: string }) =>
    `the helper of ${title} carried out only a part${said(reason)}`,
  "approve-not-approved": "it was not approved",
  "approve-host-says": ({ error, words }: { readonly error: string; readonly words: string | undefined }) =>
    `the host says ${error}${words === undefined ? "" : ` (${words})`}`,
  "approve-said": ({ title, because }: { readonly title: string; readonly because: Clause }, say) => `${title}: ${say(because)}`,
  "approve-came-unseen": (
    { title, left, of, unseen }: { readonly title: string; readonly left: number; readonly of: number; readonly unseen: Clause },
    say,
  ) => `${title} approved the changes, but we could not check whether ${left} of ${of} arrived (${say(unseen)})`,
  "approve-did-not-come": ({ title, left, of }: { readonly title: string; readonly left: number; readonly of: number }) =>
    `${title} said yes, and ${left} of ${of} changes did not come`,
  "approve-beside-unseen": ({ unseen }: { readonly unseen: Clause }, say) =>
    `we could not check whether it changed anything else (${say(unseen)})`,
  "approve-also-changed": ({ sets }: { readonly sets: readonly { readonly name: DomainName; readonly type: string }[] }) =>
    `it also changed ${listOf(sets.map(({ name, type }) => `${displayName(name)} ${type}`))}, which nobody approved`,
  "approve-came": ({ done, of }: { readonly done: number; readonly of: number }) => `${done} of ${of} changes came by approval`,
  "approve-nobody-back": ({ minutes }: { readonly minutes: number }) =>
    `nobody came back from the page within ${minutes} minutes`,
  "approve-host-removes": "the DNS host removes it by itself",
  "approve-no-template": "the DNS host cannot enter these for you: it knows no template for them",
  "approve-none-taken": ({ title, because }: { readonly title: string; readonly because: Clause }, say) =>
    `${title} takes no approval (${say(because)})`,
  "approve-not-offered": "it does not say that it takes approvals",
  "approve-no-host-name": "the host name it gives for approvals is not valid",
  "approve-by-link-only": "it only takes approvals by a link, each time",
  "approve-none-given": ({ services }: { readonly services: readonly string[] }) =>
    `the grant is for none of the templates that were asked for (${listOf(services)})`,
  "approve-other-host": ({ written, found }: { readonly written: string; readonly found: string }) =>
    `zandrel.yaml says that it gives grants at ${written}, and the domain leads to ${found}`,
  "approve-page-not-https": "the page it names is not an https one",
  "approve-one-instance": ({
    asks,
    provider,
    service,
  }: {
    readonly asks: readonly string[];
    readonly provider: string;
    readonly service: string;
  }) =>
    `${listOf(asks)} come from one template (${service} of ${provider}) with other values, and the DNS host keeps one of them: each approval removes the records of the other`,
  "approve-retire-instance": ({ asks, others }: { readonly asks: readonly string[]; readonly others: readonly string[] }) =>
    `${others.map((ask) => `zandrel retire ${ask}`).join("; ")} (keeps ${listOf(asks)})`,
  /** What a person reads while it is waited for them. */
  "approve-enter": "Press Enter to go on without waiting; what is approved by then counts.",
  "approve-gave-up": ({ title }: { readonly title: string }) =>
    `the records were not there yet when you stopped waiting for ${title}`,
  "approve-paste-address":
    "Where the browser runs elsewhere, paste the address at which it ends (http://127.0.0.1…); Enter alone stops waiting:",
  "approve-not-this-address": "That is not the address to which this page leads back; copy it whole from the browser.",
  "approve-came-not-back": "nobody came back from the page in time",
  /** The grant is not good any more: a new one has to be given. */
  "approve-again": (
    { because, host, domain }: { readonly because: Clause; readonly host: string; readonly domain: DomainName },
    say,
  ) => `${say(because)}; run zandrel host approve ${host} ${withoutRootDot(domain)} again`,
  /** A grant that could not be taken back at its host. */
  "approve-kept": ({ provider, because }: { readonly provider: string; readonly because: Clause }, say) =>
    `${provider}: ${say(because)}`,
  "approve-no-revocation": "the host offers no way to return a grant; withdraw it on its page",
  "approve-no-page": ({ title }: { readonly title: string }) => `${title} has no page for it; run zandrel host approve first`,
  "approve-grant-only": ({ service }: { readonly service: string }) =>
    `the template ${service} may only be applied by a grant; run zandrel host approve first`,
  "approve-signed-links": ({ provider }: { readonly provider: string }) =>
    `links for ${provider} have to be signed with a key that only the service has`,
  "approve-not-https": ({ title }: { readonly title: string }) => `the page that ${title} names is not an https one`,
  "approve-took-back": ({ title }: { readonly title: string }) => `${title} took back what it had applied`,
  "approve-published": ({ title }: { readonly title: string }) => `${title} published all of it after it was approved there`,
  "approve-nobody-waits": ({ title }: { readonly title: string }) =>
    `open the link and approve it at ${title}, or enter by hand what is listed below`,
  "publish-one-update": ({ title }: { readonly title: string }) => `${title} made all changes in one signed update`,
  "publish-file-moved": ({ shown, name }: { readonly shown: string; readonly name: DomainName }) =>
    `${shown} holds something else at ${displayName(name)} than a moment ago`,
  "publish-file-included": ({
    type,
    name,
    file,
    shown,
  }: {
    readonly type: string;
    readonly name: DomainName;
    readonly file: string;
    readonly shown: string;
  }) => `the ${type} record of ${displayName(name)} stands in ${file}, which ${shown} only includes`,
  "publish-file-included-mend": "change it there by hand",
  "publish-file-signed": ({ shown }: { readonly shown: string }) =>
    `${shown} is signed (it holds RRSIG records), and a change would leave signatures that no longer verify`,
  "publish-file-signed-mend": "name the file that it is signed from with zandrel host set, publish there, and sign it again",
  "publish-file-no-soa": ({ shown }: { readonly shown: string }) => `${shown} has no SOA record`,
  "publish-file-no-soa-mend": "give the zone's main file",
  "publish-file-serial": ({ shown, serial }: { readonly shown: string; readonly serial: number }) =>
    `${shown} now has serial ${serial}; tell the server to reload it`,
  "publish-run-status": "run zandrel status: it looks at the zone and says which changes are there",
  "publish-correct-command": "correct command: under hosts: in zandrel.yaml",
  "publish-helper-done": ({ title }: { readonly title: string }) => `the helper of ${title} says that all of it is done`,
  "publish-see-helper": "see what it says, and whether the token may change this zone",
  "publish-no-ttl-to-lower": "no TTL has to be lowered",
  /** `waiting`: asks whose turn has not come. */
  "publish-nothing-left": ({ waiting }: { readonly waiting: readonly string[] }) =>
    `the name servers have what is asked for${waiting.length === 0 ? "" : `, and ${allOf(waiting, "waits", "wait")} until another ask is proven`}`,
  "publish-nothing-asked": "nothing is asked for yet",
  /** `now`: what took its place; empty where it was deleted. */
  "sheet-lost": ({
    type,
    name,
    data,
    now,
  }: {
    readonly type: string;
    readonly name: DomainName;
    readonly data: readonly string[];
    readonly now: readonly string[];
  }) =>
    now.length === 0
      ? `the ${type} record of ${displayName(name)} was deleted, and is still needed: ${listOf(data)}`
      : `the ${type} record of ${displayName(name)} was changed, and what it said is still needed: it was ${listOf(data)}, and is ${listOf(now)} now`,
  "sheet-lost-mend": ({
    domain,
    name,
    isChanged,
  }: {
    readonly domain: DomainName;
    readonly name: DomainName;
    readonly isChanged: boolean;
  }) =>
    `${isChanged ? "change it as zandrel publish --check shows; do not enter a second one beside it" : "enter it again as it was"}; or, if it was meant, run zandrel publish ${withoutRootDot(domain)} --check --meant ${shellWord(relativeText(name, domain))}`,
  "sheet-pieces": ({ pieces }: { readonly pieces: number }) => `one record in ${pieces} quoted pieces, separated by spaces`,
  "sheet-not-offered": ({ type }: { readonly type: string }) =>
    `the form does not offer ${type} records: ask the DNS host's support to enter it`,
  "sheet-leave-others": ({ type, others }: { readonly type: string; readonly others: number }) =>
    `leave the other ${type} ${others === 1 ? "record" : "records"} at this host as ${others === 1 ? "it is" : "they are"}`,
  "sheet-notes": ({ notes }: { readonly notes: readonly Clause[] }, say) => notes.map(say).join("; "),
  "sheet-only-ttl": ({ was, is }: { readonly was: number; readonly is: string }) =>
    `only the TTL changes, from ${was} to ${is} seconds`,
  "change-target-is-alias": ({
    target,
    alias,
    type,
  }: {
    readonly target: DomainName;
    readonly alias: DomainName;
    readonly type: string;
  }) =>
    `${displayName(target)} is an alias for ${displayName(alias)}, and ${type === "MX" ? "a mail server" : "a name server"} must be named by its own name (RFC 2181 section 10.3)`,
  "change-target-is-alias-breaks": ({ name, type }: { readonly name: string; readonly type: string }) =>
    type === "MX" ? `some senders would not deliver mail to ${name}` : `some resolvers would not find ${name}`,
  "change-name-behind": ({ alias }: { readonly alias: DomainName }) =>
    `ask the service for the name behind the alias, such as ${displayName(alias)}`,
  "change-publish-policy-first": ({ above }: { readonly above: DomainName }) =>
    `publish the DMARC record of ${displayName(above)} first`,
  "change-replace-all-the-same": ({ name }: { readonly name: DomainName }) =>
    `--replace ${withoutRootDot(name)} publishes it all the same`,
  "change-replace-shows": ({ name }: { readonly name: DomainName }) =>
    `zandrel draft --replace ${withoutRootDot(name)} shows the draft with the old record replaced`,
  "change-replace-ttl": ({ name, ttl }: { readonly name: DomainName; readonly ttl: number }) =>
    `--replace ${withoutRootDot(name)} takes the shortest, ${spanText(ttl)}`,
  "change-breaks-nothing": "nothing",
  "change-breaks-all": ({ parts }: { readonly parts: readonly Clause[] }, say) => [...new Set(parts.map(say))].join("; "),
  "change-breaks-proof": ({ text, name }: { readonly text: string; readonly name: DomainName }) =>
    `whatever is proven with “${text.length > 40 ? `${text.slice(0, 40)}…` : text}” at ${displayName(name)} may lapse`,
  "change-targets-differ": ({
    asks,
    name,
    targets,
  }: {
    readonly asks: readonly string[];
    readonly name: DomainName;
    readonly targets: string;
  }) => `${listOf(asks)} want ${displayName(name)} to lead to different targets: ${targets}`,
  "change-alias-and-others": ({ asks, name }: { readonly asks: readonly string[]; readonly name: DomainName }) =>
    `${listOf(asks)} want an alias and other records at ${displayName(name)}; an alias stands alone`,
  "change-below-zone-cut": ({ detail }: { readonly detail: Clause }, say) => `${say(detail)}, so it is not part of this zone`,
  "change-below-dname-mend": ({ to, above }: { readonly to: DomainName; readonly above: string }) =>
    `publish the record at ${displayName(to)}, or remove the DNAME record at ${above}`,
  "change-needed-elsewhere": ({ because, asks }: { readonly because: Clause; readonly asks: readonly string[] }, say) =>
    `${say(because)}; ${listOf(asks)} needs it`,
  "change-needed-too": ({ asks }: { readonly asks: readonly string[] }) => `${allOf(asks, "needs", "need")} it too`,
  "change-retire-other": ({ asks }: { readonly asks: readonly string[] }) =>
    `retire ${listOf(asks)}, or ask one of the services for another name`,
  /** `by`: who put it there. */
  "change-put-there": ({ because, by }: { readonly because: Clause; readonly by: Clause }, say) =>
    `${say(because)}; it was put there by ${say(by)}`,
  "change-by-zandrel": ({ at, asks }: { readonly at: number; readonly asks: readonly string[] }) =>
    `Zandrel on ${new Date(at).toISOString().slice(0, 10)} for ${listOf(asks)}`,
  "change-by-somebody": "somebody else (the DNS host's default for new domains, or an older service)",
  "change-by-somebody-for": ({ ask }: { readonly ask: string }) => `somebody else, as the ask ${ask} wants it`,
  /** `replacing`: the name that the user said may be replaced; undefined where the service's page says so. */
  "change-makes-room": ({
    type,
    asks,
    replacing,
  }: {
    readonly type: string;
    readonly asks: readonly string[];
    readonly replacing: DomainName | undefined;
  }) =>
    `removed, ${replacing === undefined ? "as the service's page says" : `as you agreed with --replace ${withoutRootDot(replacing)}`}, so that the ${type} record of ${listOf(asks)} can be added`,
  "change-ttls-differ": ({
    asks,
    ttls,
    type,
    name,
  }: {
    readonly asks: readonly string[];
    readonly ttls: readonly number[];
    readonly type: string;
    readonly name: DomainName;
  }) =>
    `${asks.join(" and ")} want different TTLs (${ttls.map(spanText).join(", ")}) for the ${type} records of ${displayName(name)}, which share one`,
  "change-leftover-address": ({
    name,
    family,
    addresses,
  }: {
    readonly name: DomainName;
    readonly family: "A" | "AAAA";
    readonly addresses: string;
  }) =>
    `${displayName(name)} also has ${family === "AAAA" ? "an AAAA" : "an A"} record (${addresses}) that leads elsewhere, and some visitors would still arrive there`,
  "change-leads-elsewhere": ({ name, set }: { readonly name: DomainName; readonly set: string }) =>
    `${displayName(name)} also has an HTTPS record (${set}) that was made for another place, and browsers follow it before they look at the addresses`,
  "change-issuer-forbidden": ({ name, at, issuer }: IssuerForbidden) =>
    at === name
      ? `a CAA record at ${displayName(at)} that issuers must understand, and do not, keeps ${issuer} from issuing a certificate`
      : `${displayName(at)} has CAA records of its own, which count there instead of those of ${displayName(name)}, and they do not name ${issuer}`,
  "change-issuer-forbidden-breaks": ({ at, issuer }: Pick<IssuerForbidden, "at" | "issuer">) =>
    `${issuer} gives no certificate for ${displayName(at)}`,
  "change-issuer-forbidden-mend": ({ name, at, issuer }: IssuerForbidden) =>
    at === name
      ? `remove the CAA record at ${displayName(at)} that is marked critical (128)`
      : `enter the CAA record 0 issue "${issuer}" at ${displayName(at)} too, or remove the ones that are there`,
  "change-nearer-issuer": ({ name, above }: { readonly name: DomainName; readonly above: DomainName }) =>
    `and none is there yet; until now the CAA records of ${displayName(above)} count for ${displayName(name)}, from then on only its own`,
  /** A first CAA record closes what was open to every issuer until then (RFC 8659 section 3). */
  "change-first-issuer":
    "and none is there yet; until now every issuer may give certificates for the domain, from then on only the ones named: see that the issuer of your site's own certificate is among them",
  "change-asked": (
    {
      asks,
      what,
      wildcard,
      keepsTtl,
    }: {
      readonly asks: readonly string[];
      readonly what: Clause;
      /** The wildcard that answers there until now. */
      readonly wildcard: DomainName | undefined;
      readonly keepsTtl: number | undefined;
    },
    say,
  ) => {
    const until = wildcard === undefined ? "" : `; until now the wildcard ${displayName(wildcard)} answers there`;
    const keeps = keepsTtl === undefined ? "" : `; the set keeps its TTL of ${spanText(keepsTtl)}`;
    return `${allOf(asks, "asks", "ask")} for it, ${say(what)}${until}${keeps}`;
  },
  "change-new-version": ({ of }: { readonly of: string }) => `as the new version of ${of}`,
  "change-in-place": ({ of, by }: { readonly of: string; readonly by: Clause }, say) =>
    `in place of ${of} put there by ${say(by)}`,
  "change-null-mx": ({ name, by }: { readonly name: DomainName; readonly by: Clause }, say) =>
    `${displayName(name)} says that it takes no mail at all (null MX), put there by ${say(by)}; it cannot stand beside a mail server`,
  "change-leftover-value": (
    {
      name,
      type,
      others,
      by,
    }: { readonly name: DomainName; readonly type: string; readonly others: string; readonly by: Clause },
    say,
  ) =>
    `${displayName(name)} has what is asked, and beside it ${second(type)}, ${others}, put there by ${say(by)}; ${stillThere(type)}`,
  "change-other-value": (
    {
      name,
      type,
      others,
      by,
    }: { readonly name: DomainName; readonly type: string; readonly others: string; readonly by: Clause },
    say,
  ) => `${displayName(name)} has another ${type} record already: ${others}, put there by ${say(by)}`,
  "change-spf-uncounted": ({
    lookups,
    most,
    uncounted,
  }: {
    readonly lookups: number;
    readonly most: number;
    readonly uncounted: readonly string[];
  }) => `at least ${lookups} of ${most} lookups, because those of ${listOf(uncounted)} could not be counted`,
  "change-second-single": ({
    kind,
    name,
    own,
  }: {
    readonly kind: Single;
    readonly name: string;
    readonly own: readonly string[];
  }) => `${name} has a ${SINGLE[kind].title} already (${own.join(" / ")}), ${SINGLE[kind].because}`,
  "change-second-single-breaks": ({ kind }: { readonly kind: Single }) => SINGLE[kind].breaks,
  "change-first-single": ({ kind }: { readonly kind: Single }) => `as the first ${SINGLE[kind].title} there`,
  "change-united-policy": "united with the policy that is there: the stricter one, with every report address of both",
  "change-policies-differ": ({ name, tag }: { readonly name: string; readonly tag: string }) =>
    `what is asked for and what is there say contrary things in ${tag}= at ${name}, and there can be one DMARC record only`,
  "change-same-tag": ({ tag }: { readonly tag: string }) => `decide which ${tag}= is meant, and change the record or the ask`,
  "change-in-its-place": "in place of the one that is there",
  "change-reasons": ({ reasons }: { readonly reasons: readonly Clause[] }, say) => reasons.map(say).join(", "),
  "change-remove-term": ({ costliest }: { readonly costliest: readonly { readonly text: string; readonly costs: number }[] }) =>
    `remove a term that nobody uses any more: ${costliest.map(({ text, costs }) => `${text} costs ${costs}`).join(", ")}`,
  "change-page-removes": ({ asks }: { readonly asks: readonly string[] }) =>
    `what goes has to go, as ${allOf(asks, "says", "say")}`,
  "change-none-there": "and there is no record there yet",
  "change-values-kept": "and existing values are kept",
  "change-asked-broken": (
    {
      standard,
      message,
      meant,
    }: { readonly standard: "SPF" | "DMARC"; readonly message: Clause; readonly meant: string | undefined },
    say,
  ) =>
    `the ${standard} record that is asked for would not be taken by receivers: ${say(message)}${meant === undefined ? "" : `; perhaps ${meant} is meant`}`,
  "change-asked-broken-breaks": ({ standard }: { readonly standard: "SPF" | "DMARC" }) =>
    standard === "SPF"
      ? "the whole domain's SPF: with a broken record, or with a second one, receivers use none"
      : "the policy: receivers would act as if there was none",
  "change-asked-broken-mend": "save it as it has to be, with zandrel intake --instead-of and the ask's id",
  "change-broken-spf": ({ name, broken }: { readonly name: string; readonly broken: string }) =>
    `the SPF record of ${name} cannot be read, so nothing can be merged into it: ${broken}`,
  "change-broken-spf-breaks": "receivers treat it as an error today already",
  "change-broken-spf-mend": "correct the record at the DNS host first",
  "change-second-spf": ({ name, own }: { readonly name: string; readonly own: number }) =>
    `${name} has ${own} SPF records, and with more than one, receivers use none`,
  "change-second-spf-breaks": "nothing: the two do not work today",
  "change-first-spf": "as the domain's first SPF record",
  "change-merged-spf": "merged into the one SPF record",
  "change-change-there": ({ chosen }: { readonly chosen: string }) =>
    `change the record that is there so that it says what is asked: ${chosen}`,
  "change-no-report-address": "it names no address for reports, so that nobody learns who sends as this domain",
  "change-spf-over-limit": ({
    name,
    lookups,
    most,
  }: {
    readonly name: DomainName;
    readonly lookups: number;
    readonly most: number;
  }) => `with what is asked the SPF record of ${displayName(name)} would need ${lookups} lookups, and receivers stop at ${most}`,
  "change-spf-over-limit-breaks": "all mail from this domain, because receivers then treat the whole record as an error",
  "change-send-from-subdomain": ({ domain }: { readonly domain: DomainName }) =>
    `let one of the services send from a subdomain, such as mail.${displayName(domain)}, with an SPF record of its own`,
  "change-null-mx-and-server": ({ name }: { readonly name: string }) =>
    `${name} is asked to take no mail (null MX) and to have a mail server, which exclude each other`,
  "change-breaks-nothing-yet": "nothing yet",
  "change-retire-one": "retire one of the asks",
  "change-wildcard-answers": ({ name, above }: { readonly name: string; readonly above: DomainName }) =>
    `a * record also answers at names that mail and proofs use, such as _dmarc.${displayName(above)}: services may read the wrong thing there (${name})`,
  "change-wildcard-answers-breaks": "mail policy and later proofs may be misread",
  "change-breaks-key": ({ name }: { readonly name: DomainName }) =>
    `mail signed with the key at ${displayName(name)} fails until the service signs with another one`,
  "change-breaks-spf": ({ name }: { readonly name: DomainName }) =>
    `mail sent with an address at ${displayName(name)} is no longer allowed by SPF (the list of servers that may send)`,
  "change-breaks-policy": `receivers no longer know what to do with mail that is not proven, and send no reports`,
  "change-breaks-mail": ({ domain, name }: { readonly domain: DomainName; readonly name: string }) =>
    `mail for all of ${displayName(domain)} stops, because ${name} is its mail server`,
  "change-breaks-key-behind": ({ name }: { readonly name: string }) =>
    `mail signed with the key behind ${name} fails until the service signs with another one`,
  "change-breaks-address": ({ name, set }: { readonly name: string; readonly set: string }) =>
    `whatever is reached at ${name} today (${set}) is no longer reached there`,
  "change-breaks-alias": ({ name, set }: { readonly name: string; readonly set: string }) =>
    `whatever ${name} leads to today (${set}) is no longer reached there`,
  "change-breaks-mx": ({ name, set }: { readonly name: string; readonly set: string }) =>
    `mail to ${name} no longer arrives at ${set}`,
  "change-breaks-zone": ({ name }: { readonly name: string }) => `everything below ${name} is no longer found`,
  "change-breaks-record": ({ type, name }: { readonly type: string; readonly name: string }) =>
    `the ${type} record at ${name} is no longer found`,
  "change-outside-domain": ({ name, domain }: { readonly name: DomainName; readonly domain: DomainName }) =>
    `${displayName(name)} does not belong to ${displayName(domain)}`,
  "change-outside-domain-mend": ({ name }: { readonly name: DomainName }) =>
    `save the ask for the domain that ${displayName(name)} belongs to`,
  "change-alias-at-apex": ({ domain }: { readonly domain: DomainName }) =>
    `an alias (CNAME) cannot stand at ${displayName(domain)} itself, because the zone's own records are there`,
  "change-alias-at-apex-breaks": "the whole zone, mail included",
  "change-alias-at-apex-addresses": "ask the service for its addresses (A and AAAA records) instead",
  "change-alias-at-apex-redirect": ({ domain }: { readonly domain: DomainName }) =>
    `point www.${displayName(domain)} at the service and redirect the bare domain there`,
  "change-retire-or-other-name": "retire one of the asks, or ask one service for another name",
  "change-other-name": "ask one of the services for another name",
  "change-publish-there": "publish the record at the DNS host that serves that zone",
  "change-below-dname": ({
    above,
    target,
    name,
  }: {
    readonly above: string;
    readonly target: DomainName;
    readonly name: DomainName;
  }) =>
    `everything below ${above} is led to ${displayName(target)} (by a DNAME record), so that nothing can be published at ${displayName(name)}`,
  "change-below-dname-breaks": ({ above }: { readonly above: string }) => `every name below ${above}`,
  "change-wildcard-has-it": ({ wildcard }: { readonly wildcard: DomainName }) =>
    `the wildcard ${displayName(wildcard)} answers with it`,
  "change-alias-in-the-way": ({ name, set }: { readonly name: DomainName; readonly set: string }) =>
    `${displayName(name)} is an alias for ${set}, and nothing else may stand beside an alias`,
  "change-alias-beside-data": ({
    name,
    type,
    other,
  }: {
    readonly name: DomainName;
    readonly type: string;
    readonly other: string;
  }) => `${displayName(name)} has ${recordOf(type)} (${other}), and an alias cannot stand beside it`,
  "change-same-ttl": "give the records the same TTL in the domain's file",
  "change-ends-wildcard": ({
    of,
    wildcard,
    set,
    name,
  }: {
    readonly of: DomainName;
    readonly wildcard: DomainName;
    readonly set: string;
    readonly name: DomainName;
  }) =>
    `adding ${displayName(name)} switches ${displayName(wildcard)} off for ${displayName(of)}, which has no record of its own and is reached by it today (${set})`,
  "change-ends-wildcard-breaks": ({ of }: { readonly of: DomainName }) =>
    `whatever is reached at ${displayName(of)} today is no longer found`,
  "change-ends-wildcard-mend": ({ of }: { readonly of: DomainName }) =>
    `add a record of its own for ${displayName(of)} first, with what the wildcard says`,
  "change-already-there": "it is already there",
  "change-starts-mail": ({ name }: { readonly name: DomainName }) => `${displayName(name)} starts to take mail`,
  "change-policy-or-stricter": ({ policy }: { readonly policy: string }) => `p=${policy} or stricter`,
  "change-policy-stays": "a domain that sends mail keeps its DMARC record",
  "change-terms-needed": "another ask needs these terms too",
  "change-spf-not-ours": ({ name }: { readonly name: DomainName }) =>
    `the SPF record was not last written by Zandrel; --replace ${withoutRootDot(name)} takes the terms out all the same`,
  "change-there-before": ({ name }: { readonly name: DomainName }) =>
    `it was there before Zandrel; --replace ${withoutRootDot(name)} removes it all the same`,
  "change-ask-ends": ({ id }: { readonly id: string }) => `${id} ends, and nobody else needs it`,
  "sheet-quoted": "with the quotation marks",
  "sheet-one-line": ({ octets }: { readonly octets: number }) => `one line of ${octets} characters; the form must not cut it`,
  "sheet-ttl": ({ ttl, chosen }: { readonly ttl: number; readonly chosen: number }) =>
    `the form does not offer ${ttl} seconds, so ${chosen} is used`,
  "update-other-key": ({ server, key }: Signed) => `the answer of ${server} is signed with another key than ${displayName(key)}`,
  "update-unknown-key": ({ server, key, algorithm }: Signed & { readonly algorithm: string }) =>
    `${server} does not know the key ${displayName(key)} with ${algorithm}`,
  "update-wrong-secret": ({ server, key }: Signed) => `${server} says that the secret of the key ${displayName(key)} is wrong`,
  "update-forged": ({ server, key }: Signed) => `the answer of ${server} is not signed with the key ${displayName(key)}`,
  /** By how many minutes this machine is ahead; undefined where the server does not say. */
  "update-clock": ({ server, minutes }: { readonly server: string; readonly minutes: number | undefined }) =>
    `this computer's clock is ${minutes === undefined ? "too far from" : `${Math.abs(minutes)} minutes ${minutes < 0 ? "behind" : "ahead of"}`} the clock of ${server}`,
  "update-unsigned": ({ server }: { readonly server: string }) => `the answer of ${server} is not signed`,
  "update-unreadable": ({ server }: { readonly server: string }) => `the answer of ${server} cannot be read`,
  "update-moved": ({ server, code }: { readonly server: string; readonly code: string }) =>
    `${server} holds something else than a moment ago (${code})`,
  "update-not-primary": ({ server, zone, code }: { readonly server: string; readonly zone: DomainName; readonly code: string }) =>
    `${server} is not the primary server of ${displayName(zone)} (${code})`,
  "update-not-allowed": ({ server, key, zone }: Signed & { readonly zone: DomainName }) =>
    `${server} does not let the key ${displayName(key)} change ${displayName(zone)}`,
  "update-code": ({ server, code }: { readonly server: string; readonly code: string | undefined }) =>
    `${server} answered ${code ?? "something that cannot be read"}`,
  "update-by-url": ({ server }: { readonly server: string }) => `${server} is not a server for dynamic updates`,
  /** `between`: somebody may be in between, and what the zone holds is looked at; `late`: an answer never came. */
  "update-mend": ({ what }: UpdateMend) => MEND[what],
  // How a DNS host can be published at, in words.
  "host-takes-updates": "its server takes signed updates (RFC 2136); ask the host for a TSIG key",
  "host-takes-no-updates": "its server takes no updates",
  "host-hands-out-zone": "it hands out the whole zone, which makes a move to another host complete",
  "host-by-sheet": "its form is filled in from a sheet that Zandrel writes",
  /** How the approval is given: by a link each time, by a grant once. */
  "host-takes-approvals": ({ title, ways }: { readonly title: string; readonly ways: readonly ("link" | "grant")[] }) =>
    `${title} takes approvals (${ways.map((way) => `by a ${way}`).join(" and ")}): approve once in the browser, and nothing is copied`,
  "kit-line": ({ line, found, expected }: { readonly line: number; readonly found: string; readonly expected: Clause }, say) =>
    `line ${line}: found “${found}”, expected ${say(expected)}`,
  "kit-outside": ({ name, domain }: { readonly name: DomainName; readonly domain: DomainName }) =>
    `${displayName(name)} is not a name of ${displayName(domain)}`,
  "kit-spf-terms": ({ message }: { readonly message: Clause | undefined }, say) => `its SPF terms: ${say(message)}`,
} satisfies Words;
