import type { Clause } from "../../core/clause/index.ts";
import { type DomainName, displayName } from "../../core/name/index.ts";
import { listOf, recordOf } from "../english.ts";
import type { Words } from "./words.ts";

/** Who was asked, as people write it: an address with its port, or a URL. */
type Asked = {
  readonly server: string;
};

/** What “transfer-signature” needs. */
type TransferSignature = Asked & {
  readonly why: "unsigned" | "other-key" | "bad-key" | "bad-signature" | "forged" | "bad-time" | "out-of-time" | "malformed";
};

/** Why what came with a transfer is not taken. */
const SIGNATURE: Readonly<Record<TransferSignature["why"], string>> = {
  unsigned: "its answer is not signed",
  "other-key": "its answer is signed with another key",
  "bad-key": "it does not know the key",
  "bad-signature": "it does not accept the key's secret",
  forged: "the signature of its answer does not verify",
  "bad-time": "it says that its clock and that of this machine differ by more than five minutes",
  "out-of-time": "it was signed more than five minutes ago, or is from a clock that is ahead",
  malformed: "the signature of its answer cannot be read",
};

const saying = (says: readonly string[]): string => (says.length === 0 ? "" : ` (it says: ${says.join(", ")})`);

/** What “wire-broken” needs. */
type WireBroken = {
  readonly what:
    | "name-breaks-off"
    | "pointer-breaks-off"
    | "pointer-forward"
    | "parameters-out-of-order"
    | "location-version"
    | "location-size"
    | "label-kind"
    | "label-breaks-off"
    | "name-too-long"
    | "types-out-of-order"
    | "record-breaks-off"
    | "tsig-class"
    | "tsig-length";
};

const BROKEN: Readonly<Record<WireBroken["what"], string>> = {
  "name-breaks-off": "a name breaks off",
  "pointer-breaks-off": "a compression pointer breaks off",
  "parameters-out-of-order": "the parameters of a service are out of order",
  "location-version": "a location of a version that nobody knows",
  "location-size": "a location with a size that is none",
  "pointer-forward": "a compression pointer does not lead backwards",
  "label-kind": "a label has an unknown kind",
  "label-breaks-off": "a label breaks off",
  "name-too-long": "a name is longer than 255 octets",
  "types-out-of-order": "the bits of the record types are out of order",
  "record-breaks-off": "a record breaks off",
  "tsig-class": "a TSIG record of another class or with a TTL",
  "tsig-length": "a TSIG record of another length than it says",
};

/** What has to stand at a place of a file, by its code, as it completes “expected …”. */
const FORMS = {
  key: "small letters, digits and hyphens, such as seekmere-ownership",
  pattern: "a regular expression without references or look-around (the syntax of RE2)",
  "kit-version": "1, the version of this format",
  "one-ask": "at least one ask",
  "template-id": "letters, digits, dots and hyphens",
  "one-line": "one line without control characters",
  "one-record": "at least one record",
  "not-empty": "a text that is not empty",
  "secret-place": "env:NAME or file:PATH; secrets do not belong in this file",
  "whole-seconds": "a whole number of seconds",
  program: "the program and its arguments as a list",
  "secret-at": "at: with the place that is told the secret, such as api.nettlehost.example",
  "web-address": "an http or https address",
  "https-address": "an https address",
  tls: "starttls or implicit; a password is never sent in the clear",
  "one-address": "one address or more",
  hours: "hours, 1 or more",
  "file-version": "1, the version of this file format",
  sha256: "64 hexadecimal digits",
  "open-address": "an address without a name, a password or a token in it; secrets are given as env:NAME or file:PATH",
  journal: "here, env:NAME, file:PATH, or postgres://USER@HOST/DATABASE without a password",
  "zone-lines": "zone-file lines",
  "spf-terms": "SPF terms",
  day: "a day as YYYY-MM-DD",
  "time-of-day": "a time of the day such as 20:00",
} as const;

/** What is said of names, of what servers answer, and of what was expected. */
export const DNS = {
  // Why a text is not a domain name, in words.
  "name-empty": "the name is empty",
  "name-starts-with-dot": "the name starts with a dot",
  "name-nothing-between-dots": "there is nothing between two dots",
  "name-dot-without-neighbour": "there is a dot with nothing beside it",
  /** `digits` are the three behind the backslash. */
  "name-no-octet": ({ digits }: { readonly digits: string }) => `\\${digits} is not an octet; the highest is \\255`,
  "name-half-escape": "a backslash needs one character or three digits after it",
  "name-no-a-label": ({ label }: { readonly label: string }) => `“${label}” cannot be written as an internationalized label`,
  /** Both in octets. */
  "name-label-too-long": ({ most, octets }: { readonly most: number; readonly octets: number }) =>
    `a label may have ${most} octets, this one has ${octets}`,
  /** Both in octets on the wire. */
  "name-too-long": ({ most, octets }: { readonly most: number; readonly octets: number }) =>
    `a name may have ${most} octets on the wire, this one has ${octets}`,
  "name-is-address": "it is an IP address",
  "name-one-part": "a registered domain has at least two parts, such as brackwater.example",
  "name-foreign-character": ({ character }: { readonly character: string }) =>
    /\s/.test(character) ? "there is white space in it" : `“${character}” does not belong in a domain name`,
  /** `why` as the system says it, such as ECONNREFUSED. */
  "answer-unreachable": ({ server, why }: Asked & { readonly why: string }) =>
    `${server} cannot be reached (${why === "ECONNREFUSED" ? "nothing listens there" : why})`,
  "answer-late": ({ server, ms }: Asked & { readonly ms: number }) =>
    `${server} did not answer within ${Math.max(0.1, Math.round(ms / 100) / 10)} s`,
  "answer-hung-up": ({ server, before }: Asked & { readonly before: "answer" | "zone" }) =>
    `${server} hung up before ${before === "zone" ? "the zone" : "its answer"} was complete`,
  "answer-http-status": ({ server, status }: Asked & { readonly status: number }) =>
    `${server} answered with HTTP status ${status}`,
  "answer-no-dns-message": ({ server }: Asked) => `${server} did not answer with a DNS message`,
  "answer-too-long": ({ server }: Asked) => `${server} answered with more than a DNS message can hold`,
  "answer-not-again": ({ server }: Asked) => `${server} did not answer before, and is not asked again for now`,
  "answer-unreadable": ({ server, what, error }: Asked & { readonly what: "answer" | "zone"; readonly error: Clause }, say) =>
    `${server} sent ${what === "zone" ? "a zone" : "an answer"} that cannot be read: ${say(error)}`,
  "answer-other-question": ({ server }: Asked) => `${server} answered another question than the one asked`,
  /** A response code, and what the server says of it besides (RFC 8914). */
  "answer-code": ({
    server,
    code,
    name,
    says,
  }: Asked & { readonly code: string; readonly name: DomainName; readonly says: readonly string[] }) =>
    `${server} answered ${code} for ${displayName(name)}${saying(says)}`,
  "answer-bogus": ({ server, name, says }: Asked & { readonly name: DomainName; readonly says: readonly string[] }) =>
    `${server} refuses what it finds for ${displayName(name)}: the DNSSEC signatures do not verify${saying(says)}`,
  "answer-contradicts": ({ server, name }: Asked & { readonly name: DomainName }) =>
    `${server} says that ${displayName(name)} does not exist, and shows a record of it all the same`,
  /** `server` where one answered with all of the aliases. */
  "answer-aliases-long": ({ most, name }: { readonly most: number; readonly name: DomainName }) =>
    `the aliases from ${displayName(name)} lead through more than ${most} names`,
  "answer-delegates": ({ server, name, to }: Asked & { readonly name: DomainName; readonly to: readonly DomainName[] }) =>
    `${server} delegates ${displayName(name)} to ${listOf(to.map(displayName))}`,
  "answer-alias-circle": ({ names }: { readonly names: readonly DomainName[] }) =>
    `the aliases lead in a circle: ${[...names, names[0] as DomainName].map(displayName).join(" → ")}`,
  "answer-leads-out": ({ server, name, target }: Asked & { readonly name: DomainName; readonly target: DomainName }) =>
    `the alias at ${displayName(name)} leads to ${displayName(target)}, which ${server} does not hold`,
  "answer-neither": ({ server, name }: Asked & { readonly name: DomainName }) =>
    `${server} neither answers for ${displayName(name)} nor says who does`,
  "answer-without-signatures": ({ server }: Asked) => `${server} does not hand out DNSSEC signatures`,
  "answer-nobody-asked": "no name server could be asked",
  "answer-nobody-answers": "none of its name servers answers",
  "answer-no-name": ({ host }: { readonly host: string }) => `${host} is not a name`,
  "answer-no-resolver": "no resolver could be asked",
  "answer-outside-files": ({ name }: { readonly name: DomainName }) => `${displayName(name)} is not in the zone files`,
  "answer-below-cut": ({ name, zone }: { readonly name: DomainName; readonly zone: DomainName }) =>
    `${displayName(name)} lies in ${displayName(zone)}, which is delegated to other name servers`,
  "answer-alias-without-target": ({ name }: { readonly name: DomainName }) => `the alias at ${displayName(name)} has no target`,
  "transfer-by-url": ({ server }: Asked) => `${server} does not hand out zones`,
  "transfer-late": ({ server, zone, ms }: Asked & { readonly zone: DomainName; readonly ms: number }) =>
    `${server} did not hand out ${displayName(zone)} within ${ms / 1000} s`,
  /** `why` where the server said more than that. */
  "transfer-refused": ({ server, why }: Asked & { readonly why: string | undefined }) =>
    `${server} does not hand out the whole zone${why === undefined ? "" : ` (${why})`}`,
  "transfer-signature": ({ server, why }: TransferSignature) => `${server} does not hand out the whole zone: ${SIGNATURE[why]}`,
  "transfer-end-unsigned": ({ server }: Asked) => `${server} did not sign the end of the zone`,
  "transfer-octets": ({ server, mebioctets }: Asked & { readonly mebioctets: number }) =>
    `${server} sends more than ${mebioctets} MiB`,
  "transfer-records": ({ server, records }: Asked & { readonly records: number }) =>
    `${server} sends more than ${records} records`,
  "authority-none-above": ({ domain }: { readonly domain: DomainName }) => `no zone above ${displayName(domain)} could be found`,
  "authority-not-delegated": ({ parent, domain }: { readonly parent: DomainName; readonly domain: DomainName }) =>
    `${displayName(parent)} names no name servers for ${displayName(domain)}`,
  "authority-no-servers": ({ domain }: { readonly domain: DomainName }) => `no name servers are known for ${displayName(domain)}`,
  "authority-part-of": ({ domain, zone }: { readonly domain: DomainName; readonly zone: DomainName }) =>
    `${displayName(domain)} is part of ${displayName(zone)} and has no name servers of its own`,
  "authority-no-address": ({ server }: { readonly server: DomainName }) => `${displayName(server)} has no address`,
  "authority-not-in-files": ({ domain }: { readonly domain: DomainName }) =>
    `none of the zone files given holds ${displayName(domain)}`,
  "wire-broken": ({ what }: WireBroken) => BROKEN[what],
  /** Where the message ends. */
  "wire-ends": ({ octet }: { readonly octet: number }) => `the message breaks off at octet ${octet}`,
  "wire-too-many": ({ octets }: { readonly octets: number }) => `${octets} octets too many in a record`,
  /** What a value of a file has to be. */
  "expected-form": ({ form }: { readonly form: keyof typeof FORMS }) => `expected ${FORMS[form]}`,
  "expected-one-of": ({ values }: { readonly values: readonly string[] }) =>
    `expected ${values.length === 1 ? "" : "one of "}${values.join(", ")}`,
  "expected-no-such-key": ({ keys }: { readonly keys: readonly string[] }) =>
    `the key ${keys.join(", ")} means nothing here; remove it or correct its spelling`,
  "expected-known-value": ({ at }: { readonly at: string }) => `${at} has a value that is not known here`,
  "expected-at": ({ at }: { readonly at: string }) => `${at} is missing`,
  "expected-kind": ({ kind }: { readonly kind: string }) => `expected ${kind}`,
  /** The same as a sentence of its own. */
  "expected-here": ({ said }: { readonly said: Clause }, say) => `expected ${say(said)}`,
  "expected-number": ({ most }: { readonly most: number }) => `a whole number from 0 to ${most}`,
  "expected-time": "a time in seconds, or with units as in 1h30m",
  "expected-name": "a domain name",
  /** `because` says what is wrong with the one that is there. */
  "expected-other-name": ({ because }: { readonly because: Clause }, say) => `a domain name (${say(because)})`,
  "expected-name-not-address": "a name, not an address",
  "expected-ipv4": "an IPv4 address such as 192.0.2.10",
  "expected-ipv6": "an IPv6 address such as 2001:db8::10",
  "expected-escape": "an escape of the form \\x or \\DDD up to \\255",
  "expected-text": "a text",
  "expected-quoted-text": "a text in quotes",
  /** Both in octets. */
  "expected-shorter-text": ({ most, octets }: { readonly most: number; readonly octets: number }) =>
    `a text of at most ${most} octets, not ${octets}`,
  "expected-word": "a word of letters and digits",
  "expected-hexadecimal": "an even number of hexadecimal digits",
  "expected-hexadecimal-of": ({ octets }: { readonly octets: number }) => `${octets * 2} hexadecimal digits for ${octets} octets`,
  "expected-base64": "octets in base64",
  "expected-value-for": ({ type }: { readonly type: string }) => `a value that ${recordOf(type)} can hold`,
  "expected-service-parameter": 'a parameter such as alpn="h2" or port=8443',
  "expected-fitting-parameters": "parameters that fit each other, each once",
  "expected-location": "a place such as 51 30 12.7 N 0 7 39.6 W 25m",
  "expected-type": "a record type",
  "expected-type-such-as": "a record type such as TXT or CNAME",
  "expected-moment": "a moment as YYYYMMDDHHmmSS, or in seconds since 1970",
  "expected-salt": "a salt in hexadecimal, or - for none",
  "expected-hash": "a hash in base32",
  "expected-generic-form": ({ type }: { readonly type: string }) =>
    `data in the form \\# LENGTH HEX, because ${type} has no other here`,
  /** `detail` is what the reader of the wire says. */
  "expected-octets-of": ({ type, detail }: { readonly type: string; readonly detail: Clause }, say) =>
    `octets of ${recordOf(type)} (${say(detail)})`,
  "expected-end-of": ({ type }: { readonly type: string }) => `the end of the ${type} record`,
  "expected-close-before-open": "the closing parenthesis before another opens",
  "expected-open-before-close": "an opening parenthesis before a closing one",
  "expected-close": "a closing parenthesis",
  "expected-closing-quote": "a closing quote on the same line",
  "expected-argument": ({ directive }: { readonly directive: string }) => `something after ${directive}`,
  /** `included` where an included file has the line. */
  "expected-directive": ({ included }: { readonly included: boolean }) =>
    `$ORIGIN, $TTL or $INCLUDE${included ? " in the included file" : ""}`,
  "expected-no-loop-of-files": "files that do not include each other in a loop",
  "expected-fewer-files": ({ most }: { readonly most: number }) => `at most ${most} included files`,
  "expected-smaller-files": ({ octets }: { readonly octets: number }) => `at most ${octets >> 20} MiB in included files`,
  "expected-readable-file": "a file that can be read",
  "expected-allowed-file": "a file in the folder of the zone file or below (allow another with --include-from)",
  "expected-web-address": "a web address",
  "expected-owner": "a name in front, since no record before it has one",
  "expected-class-in": "the class IN",
  "expected-ttl": "a TTL: put a $TTL line at the top of the file",
} satisfies Words;
