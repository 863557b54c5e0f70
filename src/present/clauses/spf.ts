import type { SpfClauses } from "../../core/clause/index.ts";
import { displayName, parseName } from "../../core/name/index.ts";
import { listOf } from "../english.ts";
import type { WordsOf } from "./words.ts";

const WHAT = { "+": "allowed", "-": "refused", "~": "suspicious", "?": "neither allowed nor refused" } as const;

const VERDICT: Readonly<Record<SpfClauses["spf-verdict"]["result"], string>> = {
  pass: "this server may send for the domain",
  fail: "this server may not send for the domain",
  softfail: "this server probably may not send for the domain",
  neutral: "the domain says neither yes nor no",
  none: "there is no SPF record to go by",
  temperror: "the DNS could not be asked; receivers try again later",
  permerror: "the record is wrong, and receivers treat it as if it were not there, or worse",
};

/** The domain that a term names, as people read it. */
function shown(domain: string | undefined): string {
  if (domain === undefined) return "this domain";
  if (domain.includes("%")) return `a name made from the message (${domain})`;
  const parsed = parseName(domain);
  return parsed.ok ? displayName(parsed.value) : domain;
}

/** Which servers a mechanism means. */
function servers({ mechanism, qualifier, domain, prefix4, prefix6 }: SpfClauses["spf-says-servers"]): string {
  const around = [
    ...(prefix4 === undefined ? [] : [`/${prefix4}`]),
    ...(prefix6 === undefined ? [] : [`/${prefix6} of IPv6`]),
  ].join(" and ");
  const block = around === "" ? "" : ` and everything in its block (${around})`;
  const is = WHAT[qualifier];
  const ending = (verb: string): string => (qualifier === "+" ? "" : ` ${verb} ${is}`);
  switch (mechanism) {
    case "include":
      return `servers that ${shown(domain)} allows${ending("are")}`;
    case "a":
      return `the address of ${shown(domain)}${block}${ending("is")}`;
    case "mx":
      return `the mail servers of ${shown(domain)}${block}${ending("are")}`;
    case "ptr":
      return `servers that call themselves ${shown(domain)}`;
    case "exists":
      return `servers for which ${shown(domain)} has an address`;
  }
}

const quoted = (text: string): string => `"${text.replace(/["\\]/g, "\\$&").replace(/[^\x20-\x7e]/g, "?")}"`;

/** The Received-SPF line (RFC 7208 section 9.1), with its comment in words. */
function receivedSpf({ result, ip, from, helo, receiver }: SpfClauses["spf-received"], comment: string): string {
  const said = `${receiver}: ${comment}`.replace(/[()\\]/g, "\\$&").replace(/[^\x20-\x7e]/g, "?");
  const pairs = [
    `client-ip=${ip}`,
    `envelope-from=${quoted(from)}`,
    `helo=${helo === "" ? '""' : quoted(helo)}`,
    `receiver=${receiver}`,
    `identity=${from === "" ? "helo" : "mailfrom"}`,
  ];
  return `Received-SPF: ${result} (${said}) ${pairs.join("; ")}`;
}

export const SPF: WordsOf<SpfClauses> = {
  "spf-moved": ({ term, fresh, gone }) => {
    const changes = [
      ...(fresh.length > 0 ? [`also stands for ${listOf(fresh)} now`] : []),
      ...(gone.length > 0 ? [`no longer for ${listOf(gone)}`] : []),
    ];
    return `${term} ${changes.join(", and ")}`;
  },
  "spf-says-redirect": ({ domain }) => `everything else is decided by the record of ${shown(domain)}`,
  "spf-says-explanation": ({ domain }) => `senders that are refused are told the text at ${shown(domain)}`,
  "spf-says-nothing": "has no meaning for receivers",
  "spf-says-all": ({ qualifier, included }) =>
    // Of an included record only its yes counts (RFC 7208 section 5.2).
    included && qualifier !== "+" ? "everyone else: later terms decide" : `everyone else is ${WHAT[qualifier]}`,
  "spf-says-servers": servers,
  "spf-says-address": ({ qualifier, address, prefix }) => {
    const text = `${address}${prefix === undefined ? "" : `/${prefix}`}`;
    return qualifier === "+" ? `the ${prefix === undefined ? "address" : "addresses"} ${text}` : `${text} is ${WHAT[qualifier]}`;
  },
  "spf-decides": ({ mechanism }) => `the term ${mechanism} decides`,
  "spf-verdict": ({ result }) => VERDICT[result],
  "spf-received": (received, say) => {
    const { because, mechanism, from, helo, ip } = received;
    const who = from === "" ? helo : from;
    const decided = mechanism === undefined ? `no decision for ${who}` : `${who}: ${mechanism} matches ${ip}`;
    return receivedSpf(received, because === undefined ? decided : say(because));
  },
  "spf-all-with-value": "“all” has nothing behind it",
  "spf-needs-domain": ({ name }) => `“${name}” needs a colon and a domain directly behind it, without a space`,
  "spf-not-a-domain": ({ domain }) => `“${domain}” is not a domain`,
  "spf-ip4-needs-address": "“ip4:” needs an IPv4 address, such as ip4:192.0.2.0/24",
  "spf-ip4-length": "the length behind an IPv4 address is a number from 0 to 32",
  "spf-ip6-needs-address": "“ip6:” needs an IPv6 address, such as ip6:2001:db8::/32",
  "spf-ip6-length": "the length behind an IPv6 address is a number from 0 to 128",
  "spf-optional-domain": ({ name }) => `“${name}” is followed by a colon and a domain, or by nothing`,
  "spf-ptr-length": "“ptr” has no length behind it",
  "spf-length-range": "a length is a number from 0 to 32, and behind // from 0 to 128",
  "spf-no-mechanism": ({ word }) => `there is no mechanism “${word}”`,
  "spf-bare-address": "an address needs its mechanism in front",
  "spf-bare-domain": "a domain needs its mechanism in front",
  "spf-means-nothing": ({ word }) => `“${word}” means nothing in an SPF record`,
  "spf-needs-start": "an SPF record begins with v=spf1 and a space",
  "spf-older-proposal": "this is an older proposal that receivers ignore",
  "spf-start-needs-space": "v=spf1 needs a space behind it",
  "spf-separator": "terms have spaces between them, and no commas or semicolons",
  "spf-modifier-twice": ({ name }) => `“${name}” may stand only once`,
  "spf-modifier-needs-domain": ({ name }) => `“${name}=” needs a domain`,
  "spf-modifier-unreadable": ({ name }) => `the value of “${name}” cannot be read`,
  "spf-second-inside": "a second record begins here, pasted into the first; receivers pass over this word and read on",
  "spf-no-possible-record": ({ domain }) => `“${domain}” is not a domain that could have a record`,
  "spf-several": ({ domain, texts }) => `${domain} has ${texts} SPF records, and with more than one, receivers use none`,
  "spf-none": ({ domain }) => `${domain} has no SPF record`,
  "spf-included-unreadable": ({ domain, message }, say) => `the record of ${domain} cannot be read: ${say(message)}`,
  "spf-behind-all": ({ text }) => `it comes after “${text}”, where receivers stop reading`,
  "spf-redirect-with-all": "a redirect counts for nothing in a record with “all”",
  "spf-matched-before": "terms in front of it match all of its addresses already",
  "spf-same-term-before": "the same term stands further up already",
  "spf-allows-everybody": "it allows everybody in the world to send",
  "spf-huge-block": ({ prefix, family }) =>
    `/${prefix} is a block of ${family === 4 ? `${(2 ** (32 - prefix)).toLocaleString("en")} addresses` : `2^${128 - prefix} addresses`}, far more than one sender has`,
  "spf-leads-back": ({ target }) => `${target} leads back to itself`,
  "spf-include-fails": ({ because }, say) => `${say(because)}; receivers treat the whole record as an error`,
  "spf-includes-everybody": ({ target }) => `the record of ${target} allows everybody in the world to send`,
  "spf-unregistered": ({ domain }) => `${domain} is not registered, so anybody who registers it may send as this domain`,
  "spf-ptr": "“ptr” is slow, unreliable and no longer to be used; some receivers skip it (RFC 7208 section 5.5)",
  "spf-target-not-a-domain": ({ target }) => `“${target}” is not a domain`,
  "spf-no-mail-server": ({ target }) =>
    `${target} has no mail server with an address, and each such void costs one of the two that are allowed`,
  "spf-no-address": ({ target }) => `${target} has no address, and each such void costs one of the two that are allowed`,
  "spf-over-limit": ({ most }) => `more than ${most} terms ask the DNS`,
  "spf-over-voids": ({ most }) => `more than ${most} lookups find nothing`,
  "spf-round-and-round": ({ because, most }, say) => `${say(because)}, round and round until ${most} lookups are spent`,
  "spf-twice": "it is there twice",
  "spf-let-in-already": ({ text }) => `${text} lets it in already`,
  "spf-several-plain": ({ domain, texts }) => `${domain} has ${texts} SPF records`,
  "spf-unreadable-at": ({ domain, text, message }, say) =>
    `the SPF record of ${domain} cannot be read at “${text}”: ${say(message)}`,
  "spf-no-match": "no term matched",
  "spf-redirect-to-none": "the redirect leads to no SPF record",
  "spf-flatten-include-only": "only an include can be replaced by addresses",
  "spf-flatten-takes-away": ({ text }) => `“${text}” in it takes addresses away, and a list of addresses cannot say that`,
  "spf-flatten-by-message": ({ text }) => `“${text}” in it depends on each message, and a list of addresses cannot say that`,
  "spf-flatten-no-address": "it stands for no address at all",
  "spf-flatten-no-such-include": "the record has no such include",
  "spf-treated-as-error": "receivers treat this record as an error",
  "spf-no-record-at-all": "receivers do not take this for an SPF record",
  "spf-nothing-changes": "nothing would change",
  "spf-included-unresolved": "an included record could not be asked",
  "spf-too-many-mail-servers": ({ domain, most }) => `${domain} has more than ${most} mail servers`,
  "spf-take-out": ({ term }) => `take out ${term}, which does nothing`,
  "spf-write-addresses": ({ term }) => `write the addresses of ${term} instead of the name`,
  "spf-flatten-saves": ({ domain, include }) =>
    `zandrel spf flatten ${domain} --include ${include} writes addresses in its place`,
  "spf-send-from-subdomain": ({ term, domain }) =>
    `let the service behind ${term} send from a subdomain of its own, such as mail.${domain}, or take it out if nobody uses it`,
};
