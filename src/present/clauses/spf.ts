import type { Clause } from "../../core/clause/index.ts";
import { displayName, parseName } from "../../core/name/index.ts";
import { listOf } from "../english.ts";
import type { Words } from "./words.ts";

/** What is in front of a mechanism (RFC 7208 section 4.6.2). */
type SpfQualifier = "+" | "-" | "~" | "?";

/** What “spf-verdict” needs. */
type SpfVerdict = { readonly result: "none" | "neutral" | "pass" | "fail" | "softfail" | "temperror" | "permerror" };

/** What “spf-says-servers” needs. */
type SpfSaysServers = {
  readonly mechanism: "include" | "a" | "mx" | "ptr" | "exists";
  readonly qualifier: SpfQualifier;
  /** Undefined where the domain of the record is meant. */
  readonly domain: string | undefined;
  readonly prefix4: number | undefined;
  readonly prefix6: number | undefined;
};

/** What “spf-received” needs. */
type SpfReceived = {
  readonly because: Clause | undefined;
  readonly mechanism: string | undefined;
  readonly result: string;
  readonly ip: string;
  readonly from: string;
  readonly helo: string;
  readonly receiver: string;
};

const WHAT = { "+": "allowed", "-": "refused", "~": "suspicious", "?": "neither allowed nor refused" } as const;

const VERDICT: Readonly<Record<SpfVerdict["result"], string>> = {
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
function servers({ mechanism, qualifier, domain, prefix4, prefix6 }: SpfSaysServers): string {
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
function receivedSpf({ result, ip, from, helo, receiver }: SpfReceived, comment: string): string {
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

export const SPF = {
  "spf-moved": ({
    term,
    fresh,
    gone,
  }: {
    readonly term: string;
    readonly fresh: readonly string[];
    readonly gone: readonly string[];
  }) => {
    const changes = [
      ...(fresh.length > 0 ? [`also stands for ${listOf(fresh)} now`] : []),
      ...(gone.length > 0 ? [`no longer for ${listOf(gone)}`] : []),
    ];
    return `${term} ${changes.join(", and ")}`;
  },
  "spf-says-redirect": ({ domain }: { readonly domain: string }) =>
    `everything else is decided by the record of ${shown(domain)}`,
  "spf-says-explanation": ({ domain }: { readonly domain: string }) =>
    `senders that are refused are told the text at ${shown(domain)}`,
  "spf-says-nothing": "has no meaning for receivers",
  /** `included` where it stands in a record that another one includes. */
  "spf-says-all": ({ qualifier, included }: { readonly qualifier: SpfQualifier; readonly included: boolean }) =>
    // Of an included record only its yes counts (RFC 7208 section 5.2).
    included && qualifier !== "+" ? "everyone else: later terms decide" : `everyone else is ${WHAT[qualifier]}`,
  "spf-says-servers": servers,
  "spf-says-address": ({
    qualifier,
    address,
    prefix,
  }: {
    readonly qualifier: SpfQualifier;
    readonly address: string;
    readonly prefix: number | undefined;
  }) => {
    const text = `${address}${prefix === undefined ? "" : `/${prefix}`}`;
    return qualifier === "+" ? `the ${prefix === undefined ? "address" : "addresses"} ${text}` : `${text} is ${WHAT[qualifier]}`;
  },
  "spf-decides": ({ mechanism }: { readonly mechanism: string }) => `the term ${mechanism} decides`,
  "spf-verdict": ({ result }: SpfVerdict) => VERDICT[result],
  /** The Received-SPF line that a receiver would put on top of a message. */
  "spf-received": (received: SpfReceived, say) => {
    const { because, mechanism, from, helo, ip } = received;
    const who = from === "" ? helo : from;
    const decided = mechanism === undefined ? `no decision for ${who}` : `${who}: ${mechanism} matches ${ip}`;
    return receivedSpf(received, because === undefined ? decided : say(because));
  },
  "spf-all-with-value": "“all” has nothing behind it",
  "spf-needs-domain": ({ name }: { readonly name: string }) =>
    `“${name}” needs a colon and a domain directly behind it, without a space`,
  "spf-not-a-domain": ({ domain }: { readonly domain: string }) => `“${domain}” is not a domain`,
  "spf-ip4-needs-address": "“ip4:” needs an IPv4 address, such as ip4:192.0.2.0/24",
  "spf-ip4-length": "the length behind an IPv4 address is a number from 0 to 32",
  "spf-ip6-needs-address": "“ip6:” needs an IPv6 address, such as ip6:2001:db8::/32",
  "spf-ip6-length": "the length behind an IPv6 address is a number from 0 to 128",
  "spf-optional-domain": ({ name }: { readonly name: string }) => `“${name}” is followed by a colon and a domain, or by nothing`,
  "spf-ptr-length": "“ptr” has no length behind it",
  "spf-length-range": "a length is a number from 0 to 32, and behind // from 0 to 128",
  "spf-no-mechanism": ({ word }: { readonly word: string }) => `there is no mechanism “${word}”`,
  "spf-bare-address": "an address needs its mechanism in front",
  "spf-bare-domain": "a domain needs its mechanism in front",
  "spf-means-nothing": ({ word }: { readonly word: string }) => `“${word}” means nothing in an SPF record`,
  "spf-needs-start": "an SPF record begins with v=spf1 and a space",
  "spf-older-proposal": "this is an older proposal that receivers ignore",
  "spf-start-needs-space": "v=spf1 needs a space behind it",
  "spf-separator": "terms have spaces between them, and no commas or semicolons",
  "spf-modifier-twice": ({ name }: { readonly name: "redirect" | "exp" }) => `“${name}” may stand only once`,
  "spf-modifier-needs-domain": ({ name }: { readonly name: "redirect" | "exp" }) => `“${name}=” needs a domain`,
  "spf-modifier-unreadable": ({ name }: { readonly name: string }) => `the value of “${name}” cannot be read`,
  "spf-second-inside": "a second record begins here, pasted into the first; receivers pass over this word and read on",
  "spf-no-possible-record": ({ domain }: { readonly domain: string }) => `“${domain}” is not a domain that could have a record`,
  "spf-several": ({ domain, texts }: { readonly domain: string; readonly texts: number }) =>
    `${domain} has ${texts} SPF records, and with more than one, receivers use none`,
  "spf-none": ({ domain }: { readonly domain: string }) => `${domain} has no SPF record`,
  "spf-included-unreadable": ({ domain, message }: { readonly domain: string; readonly message: Clause | undefined }, say) =>
    `the record of ${domain} cannot be read: ${say(message)}`,
  "spf-behind-all": ({ text }: { readonly text: string }) => `it comes after “${text}”, where receivers stop reading`,
  "spf-redirect-with-all": "a redirect counts for nothing in a record with “all”",
  "spf-matched-before": "terms in front of it match all of its addresses already",
  "spf-same-term-before": "the same term stands further up already",
  "spf-allows-everybody": "it allows everybody in the world to send",
  "spf-huge-block": ({ prefix, family }: { readonly prefix: number; readonly family: 4 | 6 }) =>
    `/${prefix} is a block of ${family === 4 ? `${(2 ** (32 - prefix)).toLocaleString("en")} addresses` : `2^${128 - prefix} addresses`}, far more than one sender has`,
  "spf-leads-back": ({ target }: { readonly target: string }) => `${target} leads back to itself`,
  "spf-include-fails": ({ because }: { readonly because: Clause }, say) =>
    `${say(because)}; receivers treat the whole record as an error`,
  "spf-includes-everybody": ({ target }: { readonly target: string }) =>
    `the record of ${target} allows everybody in the world to send`,
  "spf-unregistered": ({ domain }: { readonly domain: string }) =>
    `${domain} is not registered, so anybody who registers it may send as this domain`,
  "spf-ptr": "“ptr” is slow, unreliable and no longer to be used; some receivers skip it (RFC 7208 section 5.5)",
  "spf-target-not-a-domain": ({ target }: { readonly target: string }) => `“${target}” is not a domain`,
  "spf-no-mail-server": ({ target }: { readonly target: string }) =>
    `${target} has no mail server with an address, and each such void costs one of the two that are allowed`,
  "spf-no-address": ({ target }: { readonly target: string }) =>
    `${target} has no address, and each such void costs one of the two that are allowed`,
  "spf-over-limit": ({ most }: { readonly most: number }) => `more than ${most} terms ask the DNS`,
  "spf-over-voids": ({ most }: { readonly most: number }) => `more than ${most} lookups find nothing`,
  "spf-round-and-round": ({ because, most }: { readonly because: Clause; readonly most: number }, say) =>
    `${say(because)}, round and round until ${most} lookups are spent`,
  "spf-twice": "it is there twice",
  "spf-let-in-already": ({ text }: { readonly text: string }) => `${text} lets it in already`,
  "spf-several-plain": ({ domain, texts }: { readonly domain: string; readonly texts: number }) =>
    `${domain} has ${texts} SPF records`,
  "spf-unreadable-at": (
    {
      domain,
      text,
      message,
    }: { readonly domain: string; readonly text: string | undefined; readonly message: Clause | undefined },
    say,
  ) => `the SPF record of ${domain} cannot be read at “${text}”: ${say(message)}`,
  "spf-no-match": "no term matched",
  "spf-redirect-to-none": "the redirect leads to no SPF record",
  "spf-flatten-include-only": "only an include can be replaced by addresses",
  "spf-flatten-takes-away": ({ text }: { readonly text: string }) =>
    `“${text}” in it takes addresses away, and a list of addresses cannot say that`,
  "spf-flatten-by-message": ({ text }: { readonly text: string }) =>
    `“${text}” in it depends on each message, and a list of addresses cannot say that`,
  "spf-flatten-no-address": "it stands for no address at all",
  "spf-flatten-no-such-include": "the record has no such include",
  "spf-treated-as-error": "receivers treat this record as an error",
  "spf-no-record-at-all": "receivers do not take this for an SPF record",
  "spf-nothing-changes": "nothing would change",
  "spf-included-unresolved": "an included record could not be asked",
  "spf-too-many-mail-servers": ({ domain, most }: { readonly domain: string; readonly most: number }) =>
    `${domain} has more than ${most} mail servers`,
  "spf-take-out": ({ term }: { readonly term: string }) => `take out ${term}, which does nothing`,
  "spf-write-addresses": ({ term }: { readonly term: string }) => `write the addresses of ${term} instead of the name`,
  "spf-flatten-saves": ({ domain, include }: { readonly domain: string; readonly include: string }) =>
    `zandrel spf flatten ${domain} --include ${include} writes addresses in its place`,
  "spf-send-from-subdomain": ({ term, domain }: { readonly term: string; readonly domain: string }) =>
    `let the service behind ${term} send from a subdomain of its own, such as mail.${domain}, or take it out if nobody uses it`,
} satisfies Words;
