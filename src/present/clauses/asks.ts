import type { Clause } from "../../core/clause/index.ts";
import { type DomainName, displayName, withoutRootDot } from "../../core/name/index.ts";
import { spanText } from "../../core/spread/index.ts";
import { allOf, listOf } from "../english.ts";
import type { Words } from "./words.ts";

/** What “cause-other-policy” needs. */
type CauseOtherPolicy = {
  readonly at: string;
  /** Tags with the value that is wanted, and the one that is there. */
  readonly differences: readonly { readonly tag: string; readonly is: string | undefined; readonly was: string | undefined }[];
};

/** What “cause-misplaced” needs. */
type CauseMisplaced = {
  readonly kind: "name-doubled" | "at-apex" | "at-label";
  readonly at: DomainName;
  readonly wanted: DomainName;
};

const quote = (text: string, most = 60): string => `“${text.length > most ? `${text.slice(0, most)}…` : text}”`;

/** What a tag of a policy is, and what it should be. */
function difference({ tag, is, was }: CauseOtherPolicy["differences"][number]): string {
  if (was === undefined) return `${tag}= is missing`;
  return is === undefined ? `it also has ${tag}=${was}` : `${tag}=${was} is there instead of ${tag}=${is}`;
}

type MailServer = { readonly preference: number; readonly exchange: DomainName };

function misplaced({ kind, at, wanted }: CauseMisplaced): string {
  switch (kind) {
    case "name-doubled":
      return `the right record is at ${displayName(at)}: the DNS host added the domain to a name that already had it`;
    case "at-apex":
      return `the right record is at ${displayName(at)}, the domain itself, instead of ${displayName(wanted)}`;
    case "at-label":
      return `the right record is at ${displayName(at)} instead of ${displayName(wanted)}`;
  }
}

/** What “question-host” needs. */
type QuestionHost = { readonly field: "file" | "server" | "keyName" | "secret" | "command" };

const HOST: Readonly<Record<QuestionHost["field"], string>> = {
  file: "The zone file, from the folder of the workspace:",
  server: "The address of the primary server, such as 192.0.2.53:",
  keyName: "The name of the TSIG key:",
  secret: "Where its secret is kept, env:NAME or file:PATH (never the secret itself):",
  command: "The helper program with its arguments, such as node helpers/zonemarrow.mjs:",
};

const NOT_YET = "the parent zone still names the old name servers";

/** What is said of asks: where they stand, why, and what comes next. */
export const ASKS = {
  "state-was-proven": ({ because }: { readonly because: Clause }, say) => `it was proven, and now ${say(because)}`,
  "state-was-settled": ({ because }: { readonly because: Clause }, say) => `every resolver had it, and now ${say(because)}`,
  "state-was-there": ({ because }: { readonly because: Clause }, say) => `it was there, and now ${say(because)}`,
  "state-contradicted": ({ because }: { readonly because: Clause }, say) => `it is there, but ${say(because)}`,
  "state-but": ({ because }: { readonly because: Clause }, say) => `every name server has it, but ${say(because)}`,
  "state-spreading": ({ old }: { readonly old: readonly string[] }) =>
    `every name server has it; ${allOf(old, "still shows", "still show")} the old record`,
  "state-some-lack": ({ lacking, what }: { readonly lacking: readonly string[]; readonly what: readonly string[] }) =>
    `${allOf(lacking, "does", "do")} not have ${listOf(what)} as asked`,
  "state-web-unseen": "a proof on the web cannot be looked at in zone files",
  "state-own": "it is your own record, and everyone sees it",
  "state-waiting": ({ waitingFor }: { readonly waitingFor: readonly string[] }) => `${listOf(waitingFor)} must be proven first`,
  "state-no-records": "it names no records",
  "state-unresolved": "no server could be asked",
  "state-still-there": ({ what }: { readonly what: readonly string[] }) =>
    `${allOf(what, "is", "are")} still there, and ${what.length === 1 ? "has" : "have"} to go`,
  "state-lacking": ({ what }: { readonly what: readonly string[] }) => `the name servers do not have ${listOf(what)} as asked`,
  "state-still-proven": "the service confirmed it, and it is still there",
  "state-everywhere": "every name server and every resolver we look from has it",
  "state-catching-up": ({ lacking }: { readonly lacking: readonly string[] }) =>
    `it is on its way: ${allOf(lacking, "has", "have")} not fetched the change yet`,
  "state-those-that-answer": ({ silent }: { readonly silent: readonly string[] }) =>
    `every name server and resolver that answers has it; ${allOf(silent, "does", "do")} not answer`,
  "cause-sick-server": ({ server, because }: { readonly server: string; readonly because: Clause }, say) =>
    `the name server ${server} does not answer for the domain (${say(because)}); the others do`,
  "cause-sick-server-mend": ({ server, host }: { readonly server: string; readonly host: string }) =>
    `ask ${host} to fix ${server}, or remove it from the name servers at the registrar; until then, some services and visitors wait or see nothing`,
  "state-every-server": "every name server has it",
  "cause-other-policy": ({ at, differences }: CauseOtherPolicy) =>
    `${at} has another version of the DMARC record: ${listOf(differences.map(difference))}`,
  "cause-value": ({ text, at, because }: { readonly text: string; readonly at: string; readonly because: Clause }, say) =>
    `${quote(text)} at ${at}: ${say(because)}`,
  "cause-broken-spf": ({ at, text, message }: { readonly at: string; readonly text: string; readonly message: Clause }, say) =>
    `the SPF record of ${at} cannot be read at ${quote(text)}: ${say(message)}`,
  "cause-some-servers-only": ({
    having,
    lacking,
    behind,
  }: {
    readonly having: readonly string[];
    readonly lacking: readonly string[];
    /** Servers with an older version of the zone, and the newest version that any has. */
    readonly behind:
      | { readonly older: readonly { readonly name: string; readonly serial: number }[]; readonly newest: number }
      | undefined;
  }) => {
    const older = behind?.older.map(({ name, serial }) => `${name} has version ${serial} of the zone`).join(", ");
    const why =
      behind === undefined
        ? ""
        : `; ${older}, and ${behind.newest} is the newest, so ${behind.older.length === 1 ? "it is" : "they are"} behind`;
    return `${allOf(having, "has", "have")} the record and ${allOf(lacking, "does", "do")} not, so some who look see it and others do not yet${why}`;
  },
  "cause-misplaced": misplaced,
  /** `host` as a form wants it; `@` for the domain itself. */
  "cause-misplaced-mend": ({ host }: { readonly host: string }) =>
    `change the host of that record to ${host === "@" ? "@ (or leave the host field empty, where the form wants that)" : host}`,
  /** A record at the wrong place whose value is spoilt too. */
  "cause-misplaced-spoilt": (
    { at, wanted, because }: { readonly at: DomainName; readonly wanted: DomainName; readonly because: Clause },
    say,
  ) => `the record is at ${displayName(at)} instead of ${displayName(wanted)}, and ${say(because)}`,
  "cause-misplaced-spoilt-mend": ({ host, value }: { readonly host: string; readonly value: string }) =>
    `delete that record, and enter it with the host ${host === "@" ? "@ (or left empty, where the form wants that)" : host} and the value “${value}”`,
  "cause-both": ({ first, second }: { readonly first: Clause; readonly second: Clause }, say) =>
    `${say(first)}, and ${say(second)}`,
  "cause-value-again": ({ value }: { readonly value: string }) => `change the value to “${value}”`,
  "cause-percent-encoded": "the value has signs in the form that web addresses use, such as %3D for =",
  "cause-percent-encoded-mend": "enter the signs themselves, as the service shows them",
  "cause-token-of-other": ({ at, text, belongs }: { readonly at: string; readonly text: string; readonly belongs: DomainName }) =>
    `${at} has “${text}”, which belongs at ${displayName(belongs)}`,
  "cause-token-of-other-mend": ({ value }: { readonly value: string }) => `change the value to “${value}”`,
  "cause-second-key": ({ at, keys }: { readonly at: string; readonly keys: number }) =>
    `${at} has ${keys} keys, and receivers use none of them where there is more than one`,
  "cause-second-key-mend": ({ texts }: { readonly texts: readonly string[] }) =>
    `delete the old one, which begins with ${listOf(texts.map((text) => `“${text.slice(0, 40)}…”`))}`,
  "cause-spf-behind-all": ({ at, term }: { readonly at: string; readonly term: string }) =>
    `in the SPF record of ${at}, ${term} stands behind “all”, where nobody reads it`,
  "cause-spf-behind-all-mend": ({ term }: { readonly term: string }) => `move ${term} in front of “all”`,
  "cause-spf-glued": ({ at, word }: { readonly at: string; readonly word: string }) =>
    `in the SPF record of ${at}, a blank is missing in “${word}”, so that two terms are one`,
  "cause-spf-glued-mend": ({ term }: { readonly term: string }) => `put a blank in front of ${term}`,
  "cause-spf-mistyped": ({ at, close, term }: { readonly at: string; readonly close: string; readonly term: string }) =>
    `the SPF record of ${at} has ${close}, and not ${term}`,
  "cause-priorities": ({ at, is }: { readonly at: string; readonly is: readonly MailServer[] }) =>
    `the mail servers of ${at} have other priorities than asked: ${listOf(is.map(({ preference, exchange }) => `${displayName(exchange)} has ${preference}`))}`,
  "cause-priorities-mend": ({ wanted }: { readonly wanted: readonly MailServer[] }) =>
    `change the priority: ${listOf(wanted.map(({ preference, exchange }) => `${displayName(exchange)} gets ${preference}`))}`,
  "cause-leftover-mend": ({
    host,
    type,
    entries,
  }: {
    /** The DNS host by its title; undefined where none is named. */
    readonly host: string | undefined;
    readonly type: string;
    readonly entries: readonly { readonly host: string; readonly value: string }[];
  }) => {
    const fields = entries.map(
      ({ host: field, value }) => `with the host ${field === "" ? "left empty" : `“${field}”`} and the value “${value}”`,
    );
    return `${host === undefined ? "where the domain’s DNS records are kept" : `at ${host}`}, delete the ${type} ${entries.length === 1 ? "record" : "records"} ${listOf(fields)}`;
  },
  "cause-options": ({ options }: { readonly options: readonly Clause[] }, say) => options.map(say).join("; or "),
  "cause-target-doubled": ({ type, at, doubled }: { readonly type: string; readonly at: string; readonly doubled: DomainName }) =>
    `the ${type} of ${at} leads to ${displayName(doubled)}: the DNS host added the domain to the target, because the final dot was missing`,
  "cause-target-doubled-mend": ({ target }: { readonly target: DomainName }) => `enter the target with a final dot: ${target}`,
  "cause-target-is-url": ({ type, at, url }: { readonly type: string; readonly at: string; readonly url: DomainName }) =>
    `the ${type} of ${at} leads to ${displayName(url)}, which is the address of a page and not a name`,
  "cause-target-is-url-mend": ({ target }: { readonly target: DomainName }) => `enter only the name: ${target}`,
  "cause-other-target": ({
    type,
    at,
    other,
    plain,
  }: {
    readonly type: string;
    readonly at: string;
    readonly other: DomainName;
    readonly plain: string;
  }) => `the ${type} of ${at} leads to ${displayName(other)}, not to ${plain}`,
  "cause-other-target-mend": ({ target }: { readonly target: DomainName }) => `change the target to ${target}`,
  "cause-quoted-twice": "the value has quotation marks inside it, which the DNS host added to its own",
  "cause-quoted-twice-mend": "enter the value without quotation marks",
  "cause-typographic": "the value has typographic quotation marks or dashes, as a text editor makes them",
  "cause-typographic-mend": "copy the value from the service again, not through a document",
  "cause-white-space": "the value has spaces at its beginning or end",
  "cause-white-space-mend": "enter the value without spaces around it",
  "cause-wrapped": ({ character }: { readonly character: number }) =>
    `the value has a space or line break inside it, at character ${character}`,
  "cause-wrapped-mend": "enter the value as one unbroken line",
  "cause-case-changed": ({ character }: { readonly character: number }) =>
    `capital and small letters differ, first at character ${character}`,
  "cause-case-changed-mend": "enter the value exactly as the service shows it",
  "cause-escaped": "the value has backslashes that are not part of it",
  "cause-escaped-mend": "enter the value without backslashes",
  "cause-html-entities": "the value has the markup of a page in it, such as &quot; for a quotation mark",
  "cause-html-entities-mend": "copy the value from the page itself, not from its source",
  "cause-cut": ({ seen, wanted }: { readonly seen: number; readonly wanted: number }) =>
    `only ${seen} of its ${wanted} characters are there`,
  "cause-cut-mend": "enter the value whole; some forms need a long value in several quoted parts",
  "cause-extra-text": "the value has other text around it",
  "cause-extra-text-mend": "enter only the value, nothing before or behind it",
  "cause-other-token": "an older or another token of the same service is there",
  "cause-other-token-mend": "publish the token the service shows now; the old one may stay until that is proven",
  "cause-other-policy-mend": "publish the new version; it takes the place of the old one",
  "cause-split-records": ({ parts, at }: { readonly parts: number; readonly at: string }) =>
    `the value was published in ${parts} separate records at ${at}; only the strings of one record are joined`,
  "cause-split-records-mend": "delete these records and enter the value as one record",
  "cause-second-spf": ({ at, spf }: { readonly at: string; readonly spf: number }) =>
    `${at} has ${spf} SPF records, and with more than one, receivers use none`,
  "cause-second-spf-mend": ({ at }: { readonly at: string }) => `make them one: zandrel draft --replace ${at} shows how`,
  "cause-broken-spf-mend": "correct that term",
  "cause-broken-spf-meant": ({ meant }: { readonly meant: string }) => `write ${meant} there`,
  "cause-second-dmarc": ({ at, dmarc }: { readonly at: string; readonly dmarc: number }) =>
    `${at} has ${dmarc} DMARC records, and with two, receivers use neither`,
  "cause-second-dmarc-mend": "delete all but the one that says what you want",
  "cause-wrong-type": ({ target, at }: { readonly target: DomainName; readonly at: string }) =>
    `${displayName(target)} was published at ${at} as a TXT record; the service wants a CNAME`,
  "cause-wrong-type-mend": "delete the TXT record and enter a CNAME record",
  "cause-alias-in-the-way": ({ at, target }: { readonly at: string; readonly target: DomainName }) =>
    `${at} is an alias (CNAME) for ${displayName(target)}, so no other record may be there`,
  "cause-alias-in-the-way-mend": `remove the alias if nothing needs it (zandrel draft shows what would break), or ask the service for another way`,
  "cause-wildcard-answers": ({ at, wildcard }: { readonly at: string; readonly wildcard: DomainName }) =>
    `nothing is published at ${at} itself; the wildcard ${displayName(wildcard)} answers there, with something else`,
  "cause-wildcard-answers-mend": ({ at }: { readonly at: string }) =>
    `publish the record at ${at}: it takes the wildcard's place there`,
  "cause-below-dname": ({ above, at, to }: { readonly above: string; readonly at: string; readonly to: string }) =>
    `everything below ${above} is led elsewhere (by a DNAME record), so what is entered at ${at} is never seen: ${to} answers for it`,
  "cause-below-dname-mend": ({ to, above }: { readonly to: string; readonly above: string }) =>
    `publish the record at ${to}, or remove the DNAME record at ${above}`,
  "cause-below-zone-cut": ({ cut, at, apex }: { readonly cut: string; readonly at: string; readonly apex: DomainName }) =>
    `${cut} is a zone of its own with other name servers, so what you enter for ${at} in ${displayName(apex)} is never asked for`,
  "cause-below-zone-cut-mend": ({ cut, servers }: { readonly cut: string; readonly servers: readonly string[] }) =>
    `publish it where ${cut} is served: ${listOf(servers)}`,
  "cause-some-servers-only-mend":
    "wait a few minutes for the servers to agree; if they do not, ask the DNS host why this one lags behind",
  "cause-not-delegated": ({ title, apex }: { readonly title: string; readonly apex: DomainName }) =>
    `the record is published at ${title}, but ${displayName(apex)} is not delegated to the name servers of ${title}, so nobody asks there`,
  "cause-not-delegated-mend": ({ apex }: { readonly apex: DomainName }) =>
    `publish it at the DNS host that answers for ${displayName(apex)}, or change the name servers at the registrar`,
  "cause-other-zone": ({ name }: { readonly name: DomainName }) =>
    `the record is published at ${displayName(name)}, in another of your domains`,
  "cause-other-zone-mend": ({ name }: { readonly name: DomainName }) => `publish it at ${displayName(name)} instead`,
  "prove-by-hand": ({ service, ask }: { readonly service: string; readonly ask: string }) =>
    `${service} cannot be asked from here: press verify on its page, then run zandrel prove ${ask} --confirmed`,
  "prove-service-unresolved": ({ title, because }: { readonly title: string; readonly because: Clause }, say) =>
    `${title} could not be asked: ${say(because)}`,
  "prove-service-says": ({ title, text }: { readonly title: string; readonly text: string }) => `${title} says: ${text}`,
  "prove-recorded": ({ service, note }: { readonly service: string; readonly note: string | undefined }) =>
    `you recorded that ${service} confirmed it${note === undefined ? "" : `: ${note}`}`,
  "prove-user-confirmed": "the user confirmed it",
  "prove-nothing-known": "nothing is known about the record",
  "prove-already": "it is proven already",
  "prove-own": "it is your own record, and no service confirms it",
  "prove-spreading":
    "some resolvers still show the old record, and the service may too: asking too early makes it remember “not found”",
  "prove-early":
    "every resolver we look from has it, but the service's own may still hold the old answer: asking too early makes it remember “not found”",
  "prove-ask-again": ({ because }: { readonly because: Clause }, say) =>
    `${say(because)}; its resolver may still hold what it saw before, so ask again later`,
  "prove-absent": "the name servers do not have the record, so asking the service would only make it remember “not found”",
  /** `ask` as it is named on the command line. */
  "next-prove": ({ ask }: { readonly ask: string }) => `zandrel prove ${ask}`,
  "next-draft": ({ domain }: { readonly domain: DomainName }) => `zandrel draft ${withoutRootDot(domain)}`,
  "next-watch": ({ domain }: { readonly domain: DomainName }) => `zandrel watch ${withoutRootDot(domain)}`,
  "next-watch-proven": ({ domain }: { readonly domain: DomainName }) => `zandrel watch ${withoutRootDot(domain)} --until proven`,
  "next-status": ({ domain }: { readonly domain: DomainName }) => `zandrel status ${withoutRootDot(domain)}`,
  "next-check-sheet": ({ domain }: { readonly domain: DomainName }) => `zandrel publish ${withoutRootDot(domain)} --check`,
  "next-sender-domain": ({ service, domain }: { readonly service: string; readonly domain: DomainName }) =>
    `zandrel sender domain ${service} ${withoutRootDot(domain)}`,
  "next-sender-domain-confirmed": ({ service, domain }: { readonly service: string; readonly domain: DomainName }) =>
    `zandrel sender domain ${service} ${withoutRootDot(domain)} --confirmed`,
  "next-signing-on": ({ service, domain }: { readonly service: string; readonly domain: DomainName }) =>
    `zandrel sender domain ${service} ${withoutRootDot(domain)} --signing on`,
  "next-sender-address": ({ service, address }: { readonly service: string; readonly address: string }) =>
    `zandrel sender address ${service} ${address}`,
  "next-sender-address-confirmed": ({ service, address }: { readonly service: string; readonly address: string }) =>
    `zandrel sender address ${service} ${address} --confirmed`,
  "next-sender-address-resend": ({ service, address }: { readonly service: string; readonly address: string }) =>
    `zandrel sender address ${service} ${address} --resend`,
  "next-init": ({ domain }: { readonly domain: DomainName }) => `zandrel init ${withoutRootDot(domain)}`,
  "next-site": ({ domain }: { readonly domain: DomainName }) => `zandrel site ${withoutRootDot(domain)}`,
  "next-registrar": ({ domain, host }: { readonly domain: DomainName; readonly host: string }) =>
    `zandrel lab registrar ${withoutRootDot(domain)} --name-servers ${host}`,
  "next-relocate-check": ({ domain, host }: { readonly domain: DomainName; readonly host: string }) =>
    `zandrel relocate check ${withoutRootDot(domain)} --new-host ${host}`,
  "next-find-host": ({ domain }: { readonly domain: DomainName }) => `zandrel host find ${withoutRootDot(domain)}`,
  "next-audit": ({ domain }: { readonly domain: DomainName }) => `zandrel audit ${withoutRootDot(domain)}`,
  "next-explain-spf": ({ domain }: { readonly domain: DomainName }) => `zandrel spf explain ${withoutRootDot(domain)}`,
  "next-flatten": ({ domain }: { readonly domain: DomainName }) => `zandrel spf flatten ${withoutRootDot(domain)} --write`,
  "next-explain-dmarc": ({ domain }: { readonly domain: DomainName }) => `zandrel dmarc explain ${withoutRootDot(domain)}`,
  "next-sources": ({ domain }: { readonly domain: DomainName }) => `zandrel dmarc sources ${withoutRootDot(domain)}`,
  "next-publish": ({ domain }: { readonly domain: DomainName }) => `zandrel publish ${withoutRootDot(domain)}`,
  /** With what is in the way, by its domain name. */
  "next-publish-replacing": ({ domain, name }: { readonly domain: DomainName; readonly name: string }) =>
    `zandrel publish ${withoutRootDot(domain)} --replace ${name}`,
  "next-retire": ({ ask }: { readonly ask: string }) => `zandrel retire ${ask}`,
  "next-intake": "zandrel intake",
  "next-host-approval": ({ host }: { readonly host: string }) => `zandrel host set ${host} --way approval`,
  "next-write-host": ({ domain }: { readonly domain: DomainName }) => `zandrel host find ${withoutRootDot(domain)} --write`,
  "next-new-key": ({ domain, selector }: { readonly domain: DomainName; readonly selector: string }) =>
    `zandrel dkim new ${withoutRootDot(domain)} --selector ${selector}`,
  "next-rotate": ({
    domain,
    from,
    to,
    step,
  }: {
    readonly domain: DomainName;
    readonly from: string;
    readonly to: string;
    readonly step: "write" | "switched" | "revoke";
  }) => `zandrel dkim rotate ${withoutRootDot(domain)} --old-selector ${from} --new-selector ${to} --${step}`,
  "next-events": ({ service }: { readonly service: string }) => `zandrel sender events ${service}`,
  /** `of`: a domain name or a mail address. */
  "asked-where-stands": ({ of }: { readonly of: string }) => `say where ${of} stands`,
  "asked-accept": ({ domain }: { readonly domain: string }) => `accept ${domain}`,
  "asked-mail-link": ({ address }: { readonly address: string }) => `mail the link for ${address}`,
  "asked-take-message": "take the message",
  "asked-make-credential": "make a credential",
  "asked-end-credential": ({ id }: { readonly id: string }) => `end the credential ${id}`,
  "asked-list-credentials": "list its credentials",
  "asked-post-events": "post its events",
  "asked-submission": "show its SMTP settings",
  "by-hand-credential": ({ service }: { readonly service: string }) =>
    `make the credential on its page, then keep it with zandrel sender credential ${service} --keep`,
  "by-hand-events": ({ service }: { readonly service: string }) =>
    `set the feed up on its page, and write id and secret under services: ${service}: events: in zandrel.yaml`,
  /** What became of something new whose secret could not be kept. */
  "undone-ended": ({ what, id }: { readonly what: "credential" | "subscription"; readonly id: string }) =>
    `so the new ${what} ${id} was ended again`,
  "undone-not-ended": ({
    what,
    id,
    title,
  }: {
    readonly what: "credential" | "subscription";
    readonly id: string;
    readonly title: string;
  }) => `and the new ${what} ${id} could not be ended either, end it at ${title}`,
  "undone-nothing": "and nothing was changed",
  "question-kit-input": ({
    input,
    explain,
    example,
  }: {
    readonly input: string;
    readonly explain: string;
    readonly example: string | undefined;
  }) => `${explain}${example === undefined ? "" : ` (such as ${example})`}\n${input}:`,
  /** An empty answer keeps what it was. */
  "question-field": ({ field, was }: { readonly field: "type" | "host" | "value"; readonly was: string }) => `${field} [${was}]:`,
  "question-service-title": ({ offered }: { readonly offered: string | undefined }) =>
    `What is the service called?${offered === undefined ? "" : ` [${offered}]`}`,
  "question-host": ({ field }: QuestionHost) => HOST[field],
  "retired-newer-version": "a newer version was saved in its place",
  "retired-other-policy": "another takes its place",
  "retired-not-undone": "the records that went with it could not be brought back",
  "retired-rebuilt": "it was built again from the addresses of today",
  "retired-by-user": ({ changes }: { readonly changes: number }) => `record sets changed: ${changes}`,
  // Where a move to other name servers stands, in words.
  /** Where a captured zone is from. */
  "capture-walked": "the domain is signed, and its own list of names (NSEC) was followed to the end, so that no name is missing",
  /** `refusal`: why no server handed the zone out. */
  "capture-asked": (
    { refusal, questions, exported }: { readonly refusal: Clause; readonly questions: number; readonly exported: boolean },
    say,
  ) =>
    `${say(refusal)}; ${questions} questions were asked about the usual names${exported ? ", those of the export" : ""} and those known from asks, journal and reports, so records at other names are not in it: compare it with the list in the old host's form`,
  /** With the version that the server has, where others have another one; and the newest of them, where it is not that. */
  "capture-transferred": ({
    from,
  }: {
    readonly from:
      | { readonly server: string; readonly serial: number | undefined; readonly newest: number | undefined }
      | undefined;
  }) => {
    if (from === undefined) return "the server handed out the whole zone";
    const older = from.newest === undefined ? "" : `; it is not the newest version, which is ${from.newest}`;
    return `the server handed out the whole zone (${from.server} has version ${from.serial ?? "unknown"}${older})`;
  },
  "capture-nobody-asked": ({ domain }: { readonly domain: DomainName }) =>
    `nobody could be asked for the whole of ${displayName(domain)}`,
  /** The first line of the file; `at` in milliseconds since 1970. */
  "capture-title": ({ domain, at }: { readonly domain: DomainName; readonly at: number }) =>
    `${displayName(domain)}, captured ${new Date(at).toISOString()}`,
  "capture-own-records": "The new host brings its own SOA and NS records; they are left out here.",
  "relocate-not-yet": NOT_YET,
  /** The same, with the name servers that the parent zone names. */
  "relocate-not-yet-from": ({ servers }: { readonly servers: readonly DomainName[] }) =>
    `${NOT_YET} (${servers.map(displayName).join(", ")})`,
  /** `foreign` are the addresses that are not the new host's. */
  "relocate-half": ({ foreign }: { readonly foreign: readonly string[] }) =>
    `the parent zone names old and new name servers together: ${allOf(foreign, "is", "are")} not the new host's`,
  "relocate-moved": "the parent zone names the new name servers; caches may still lead to the old ones",
  "relocate-over": "every TTL of the old host has run out",
  "spread-old-ttl": ({ type, name }: { readonly type: string; readonly name: DomainName }) =>
    `some resolvers keep the ${type} record of ${displayName(name)} for its old TTL`,
  "spread-servers-unfound": "none of its name servers has an address",
  "spread-ttl-lowered": "its TTL is lowered before the change",
  "spread-taken-back": "it is as it was before",
  "spread-launch": "launch",
  "spread-no-change": "nothing would change",
  "spread-nothing-changed": "nothing was changed",
  "spread-before-unknown": "it is not known what stood there before",
  "spread-too-late": ({
    cacheWindow,
    margin,
    late,
  }: {
    readonly cacheWindow: number;
    readonly margin: number;
    readonly late: number;
  }) => {
    const certificate = margin > 0 ? `, and a certificate takes up to ${spanText(margin)} more` : "";
    return `published now, everyone sees it ${spanText(cacheWindow)} later${certificate}: ${spanText(late)} after the launch`;
  },
  "spread-old-set": ({ type, name, ttl }: { readonly type: string; readonly name: DomainName; readonly ttl: number }) =>
    `some resolvers keep the old ${type} record of ${displayName(name)} for up to ${spanText(ttl)}, its TTL`,
  "spread-old-alias": ({ name, ttl }: { readonly name: DomainName; readonly ttl: number }) =>
    `some resolvers follow the old alias at ${displayName(name)} for up to ${spanText(ttl)}, its TTL`,
  "spread-old-wildcard": ({ wildcard, ttl }: { readonly wildcard: DomainName; readonly ttl: number }) =>
    `the wildcard ${displayName(wildcard)} answered there before, and some resolvers keep that answer for up to ${spanText(ttl)}, its TTL`,
  "spread-negative-unknown": "some resolvers may remember “no such record”, and the zone does not say for how long",
  "spread-negative": ({ seconds }: { readonly seconds: number }) =>
    `some resolvers remember “no such record” for up to ${spanText(seconds)}, as the zone itself says`,
  "spread-lower-ttl": ({ names, ttl }: { readonly names: readonly string[]; readonly ttl: number }) =>
    `lower the TTL of ${listOf(names)} to ${spanText(ttl)}`,
  "spread-lower-ttl-why": ({
    oldTtl,
    loweredWindow,
    cacheWindow,
  }: {
    readonly oldTtl: number;
    readonly loweredWindow: number;
    readonly cacheWindow: number;
  }) =>
    `until ${spanText(oldTtl)} later some still keep it for the old time; after that a change takes ${spanText(loweredWindow)} instead of ${spanText(cacheWindow)}`,
  "spread-publish": "publish at the latest",
  "spread-publish-lowered": ({ loweredWindow }: { readonly loweredWindow: number }) =>
    `with the TTLs lowered everyone sees it ${spanText(loweredWindow)} later`,
  "spread-nothing-to-wait-for": "nothing has to be waited for",
  "spread-visible": "everyone sees it",
  "spread-visible-why": "every cache has let go of the old records",
  "spread-ask-services": "ask the services, not before",
  "spread-certificate-time": ({ margin }: { readonly margin: number }) =>
    `a certificate gets ${spanText(margin)} from here to the launch`,
  "spread-remembers-not-found": "a service that looks earlier may remember “not found”",
  "spread-nothing-to-publish": "nothing has to be published for it",
  "spread-first-step": ({ left }: { readonly left: number }) =>
    `first step due in ${spanText(left - (left % (left >= 86_400 ? 3600 : left >= 60 ? 60 : 1)))}`,
} satisfies Words;
