import type { Clause } from "../../core/clause/index.ts";
import { type DomainName, displayName } from "../../core/name/index.ts";
import type { Words } from "./words.ts";

const notReady = (lacks: readonly string[]): string => `what it depends on is not ready (${lacks.join(", ")})`;

/** What the enhanced status codes of mail servers mean (RFC 3463, and what was registered since). */
type StatusCode = {
  /** 2: done; 4: not now, tried again; 5: never. */
  readonly class: 2 | 4 | 5;
  readonly subject: number;
  readonly detail: number;
};

/** Subjects of RFC 3463 section 3, for codes whose detail is not known. */
const SUBJECTS: Readonly<Record<string, string>> = {
  0: "the server gives no further reason",
  1: "something is wrong with the address",
  2: "something is wrong with the recipient's mailbox",
  3: "the receiving mail system has trouble",
  4: "the network or the route to the recipient has trouble",
  5: "the two mail servers did not understand each other",
  6: "something is wrong with what the message contains",
  7: "the receiver's rules or protections refused it",
};

type Entry = readonly [meaning: string, remedy?: string];

const WRITE_AGAIN = "check the address for slips, then take it off the list";

const WAIT = "wait: it is tried again by itself";

/** Subject and detail: RFC 3463 section 3, and what was registered since (RFC 4954, 7372, 7505, 8616). */
const DETAILS: Readonly<Record<string, Entry>> = {
  "1.0": ["something is wrong with the address", WRITE_AGAIN],
  "1.1": ["there is no such mailbox at that domain", WRITE_AGAIN],
  "1.2": ["the recipient's domain takes no mail or does not exist", WRITE_AGAIN],
  "1.3": ["the recipient's address is not written correctly", WRITE_AGAIN],
  "1.4": ["the recipient's address fits more than one mailbox", WRITE_AGAIN],
  "1.5": ["the recipient's address is valid"],
  "1.6": ["the mailbox has moved, and the server does not say where to", "take the address off the list"],
  "1.7": ["the sender's address is not written correctly", "correct the sender address"],
  "1.8": [
    "the sender's domain does not exist or does not accept replies",
    "publish the records of the bounce host, see zandrel status",
  ],
  "1.9": ["the message was handed to a server that passes it on without reports"],
  "1.10": ["the recipient's domain says that it takes no mail at all", "take the address off the list"],
  "2.0": ["something is wrong with the recipient's mailbox"],
  "2.1": ["the mailbox is switched off and takes no messages", "take the address off the list"],
  "2.2": ["the mailbox is full", WAIT],
  "2.3": ["the message is larger than the mailbox takes", "send a smaller message"],
  "2.4": ["the mailing list could not be expanded"],
  "3.0": ["the receiving mail system has trouble", WAIT],
  "3.1": ["the receiving mail system has no room left", WAIT],
  "3.2": ["the receiving mail system takes no messages at the moment", WAIT],
  "3.3": ["the receiving mail system lacks a feature this message needs"],
  "3.4": ["the message is too big for the receiving mail system", "send a smaller message"],
  "3.5": ["the receiving mail system is set up wrongly"],
  "4.0": ["the network or the route has trouble", WAIT],
  "4.1": ["the receiving server does not answer", WAIT],
  "4.2": ["the connection to the receiving server broke off", WAIT],
  "4.3": ["the DNS could not be asked for the way to the recipient", WAIT],
  "4.4": ["there is no way to the recipient's server", "check the recipient's domain"],
  "4.5": ["the network is crowded", WAIT],
  "4.6": ["the message went round in circles", "check what the recipient forwards to"],
  "4.7": ["it was tried for too long without success", "send it again later"],
  "5.0": ["the servers did not understand each other"],
  "5.1": ["a command came at the wrong moment"],
  "5.2": ["a command could not be read"],
  "5.3": ["there are too many recipients at once", "send to fewer at a time"],
  "5.4": ["a command had wrong parameters"],
  "5.5": ["the servers speak different versions of the protocol"],
  "5.6": ["the login took too long or was too long"],
  "6.0": ["something is wrong with what the message contains"],
  "6.1": ["the receiver does not take this kind of content"],
  "6.2": ["the content had to be converted, and that is forbidden"],
  "6.3": ["the content had to be converted, and the receiver cannot"],
  "6.4": ["the content was converted, and something was lost"],
  "6.5": ["the content could not be converted"],
  "7.0": ["the receiver's rules or protections refused it", "read the server's own words"],
  "7.1": ["the receiver does not take messages from this sender", "read the server's own words, and ask the receiver"],
  "7.2": ["this sender may not write to the mailing list"],
  "7.3": ["the message needs a protection that the receiver cannot give"],
  "7.4": ["the receiver cannot do the protection the message asks for"],
  "7.5": ["a cryptographic operation failed"],
  "7.6": ["the receiver does not know the cryptographic method"],
  "7.7": ["the message changed on the way"],
  "7.8": ["the user name or the password is not accepted", "make a new credential, or correct the one you use"],
  "7.9": ["this way of logging in is too weak for the server"],
  "7.10": ["the connection must be encrypted first", "set the TLS mode to starttls or implicit"],
  "7.11": ["this way of logging in needs an encrypted connection", "set the TLS mode to starttls or implicit"],
  "7.12": ["the password must be changed once first", "log in at the service and change it"],
  "7.13": ["the account is switched off", "ask the service"],
  "7.20": ["no DKIM signature of the message verifies", "run zandrel dkim check"],
  "7.21": ["the DKIM signature is not one the receiver accepts", "run zandrel dkim check"],
  "7.22": ["the DKIM signature does not fit the sender", "let the service sign with your own domain"],
  "7.23": ["SPF does not allow the sending server", "run zandrel spf explain"],
  "7.24": ["SPF could not be checked", "run zandrel spf explain"],
  "7.25": ["the sending server has no reverse DNS that leads back to it", "ask the service; its server lacks it"],
  "7.26": [
    "the message is not authenticated: neither SPF nor DKIM proves the From domain",
    "run zandrel message judge and zandrel audit",
  ],
  "7.27": [
    "the sender's domain says that it takes no mail, so it must not send any",
    "remove the null MX, or send from another domain",
  ],
  "7.28": ["the receiver sees too much mail of this kind", "send more slowly"],
  "7.30": ["the receiver demands encryption on the whole way"],
};

const CLASSES = { 2: "accepted: ", 4: "not now: ", 5: "refused for good: " } as const;

/** What is said of messages, of verdicts on them, and of what a server replies. */
export const MAIL = {
  /** What a test message says; `at` in milliseconds since 1970. */
  "test-message-subject": ({ domain }: { readonly domain: DomainName }) => `Test message from ${displayName(domain)}`,
  "test-message-from": ({ domain, at }: { readonly domain: DomainName; readonly at: number }) =>
    `This is a test message from ${displayName(domain)}, sent on ${new Date(at).toUTCString()}.`,
  "test-message-arrived": "If it is in your inbox, you are done: you can delete it.",
  "message-empty": "the message is empty",
  "message-header-too-large": ({ octets }: { readonly octets: number }) =>
    `the header is larger than ${octets >> 20} MiB, which no mail server accepts`,
  "mailbox-open-quote": "a quotation mark is not closed",
  "mailbox-open-comment": "a comment is not closed",
  "mailbox-open-bracket": "an angle bracket is not closed",
  "mailbox-open-group": "a group is not closed by a semicolon",
  "mailbox-no-address": ({ found }: { readonly found: string }) => `“${found}” is not an address`,
  "mailbox-no-domain": ({ found }: { readonly found: string }) => `“${found}” is not a domain`,
  "mailbox-no-group": "a group is not written as one",
  "mailbox-no-comma": "a comma is missing behind a group",
  "message-not-sent": ({ lacks }: { readonly lacks: readonly string[] }) => `nothing was sent, ${notReady(lacks)}`,
  "message-yours-lacks": ({ lacks }: { readonly lacks: readonly string[] }) =>
    `the message arrived and is proven yours, but ${notReady(lacks)}`,
  "message-fails": ({ result, because }: { readonly result: string; readonly because: Clause }, say) =>
    `the message arrived, but DMARC ends with ${result}: ${say(because)}`,
  "message-yours-but": ({ because }: { readonly because: Clause }, say) =>
    `the message arrived and is proven yours, but ${say(because)}`,
  "message-has-it": ({ because }: { readonly because: Clause }, say) => `${say(because)}; the service has it all the same`,
  "message-envelope-unknown": "the sending server's address or the return path is not known; give --ip, --helo and --mail-from",
  "message-line-ends": "the lines of the file end without a carriage return; they are read as if it were there",
  "message-stray-lines": ({ lines, first }: { readonly lines: number; readonly first: string | undefined }) =>
    `lines of the header that cannot be read: ${lines}; the first is “${first}”`,
  "message-nul": "the body holds NUL characters, which mail does not allow",
  "message-not-ascii": "the header holds characters outside ASCII; only receivers that know internationalized mail take it",
  "message-signatures-ignored": ({ ignoredSignatures }: { readonly ignoredSignatures: number }) =>
    `further signatures that were not looked at: ${ignoredSignatures}`,
  "message-dns-unresolved": "nothing was sent, and the DNS could not be asked",
  "message-refused": "the message was not taken",
  "message-maybe-taken": "nobody knows whether the message was taken",
  "message-came-back": "the message came back",
  "message-spam": "the message arrived and was reported as spam",
  "message-unjudged": "the message arrived, and could not be judged: the DNS did not answer",
  "message-in-folder": ({ folder }: { readonly folder: string }) =>
    `the message is proven yours, but it arrived in the folder ${folder}, not in the inbox`,
  "message-ready": "the message arrived, and receivers can prove that it is yours",
  "message-gone-quiet": "the message was taken, and nobody can say what became of it",
  "message-still": ({ state }: { readonly state: string }) => `the message is still ${state}`,
  "message-unseen": "the message was delivered, and nobody has looked at what arrived; give --copy with the copy or its mailbox",
  "message-not-ready": "what it depends on is not ready; --force sends all the same",
  "message-maybe-taken-followed": "nobody knows whether it was taken; it is looked for by its Message-ID",
  "bulk-from-is": ({ address }: { readonly address: string }) => `From is ${address}`,
  "bulk-from-names": ({ addresses, fields }: { readonly addresses: number; readonly fields: number }) =>
    `From names ${addresses} addresses in ${fields} fields, and must name one in one`,
  "verdict-some-unproven": ({ domains, failing }: { readonly domains: number; readonly failing: readonly DomainName[] }) =>
    `From names ${domains} domains, and of ${failing.map(displayName).join(" and ")} it is not proven that the message is theirs`,
  "verdict-no-from": "the message has no From field",
  "verdict-from-unreadable": ({ error }: { readonly error: Clause }, say) => `the From field cannot be read: ${say(error)}`,
  "verdict-several-from": ({ from }: { readonly from: number }) => `the message has ${from} From fields, and may have only one`,
  "verdict-from-nobody": "the From field names nobody",
  "verdict-from-no-domain": "the From address has no domain",
  "verdict-all-pass": "all domains in From pass",
  "bulk-reverse-unresolved": ({ ip, detail }: { readonly ip: string; readonly detail: Clause }, say) =>
    `the name of ${ip} could not be asked: ${say(detail)}`,
  "bulk-no-reverse": ({ ip }: { readonly ip: string }) => `${ip} has no name in the DNS`,
  "bulk-back-unresolved": ({ target, detail }: { readonly target: string; readonly detail: Clause }, say) =>
    `${target} could not be asked: ${say(detail)}`,
  "bulk-reverse-right": ({ ip, target }: { readonly ip: string; readonly target: string }) =>
    `${ip} is ${target}, and that name leads back to it`,
  "bulk-reverse-apart": ({ ip }: { readonly ip: string }) => `the name of ${ip} does not lead back to it`,
  "bulk-address-unknown": "the sending server's address is not known",
  "bulk-date": "there is one valid Date",
  "bulk-no-date": "there is no Date",
  "bulk-several-dates": ({ dates }: { readonly dates: number }) => `there are ${dates} Dates`,
  "bulk-bad-date": "the Date is not written as mail wants it",
  "bulk-message-id": "there is one valid Message-ID",
  "bulk-no-message-id": "there is no Message-ID",
  "bulk-several-message-ids": ({ ids }: { readonly ids: number }) => `there are ${ids} Message-IDs`,
  "bulk-bad-message-id": "the Message-ID is not of the form <…@…>",
  "bulk-spf": "SPF passes for the From domain",
  "bulk-spf-unchecked": "SPF could not be checked",
  "bulk-no-spf": "SPF does not pass for the From domain",
  "bulk-dkim": "DKIM passes for the From domain",
  "bulk-dkim-unchecked": "DKIM could not be checked",
  "bulk-no-dkim": "DKIM does not pass for the From domain",
  "bulk-policy": "the From domain has a DMARC record",
  "bulk-policy-unresolved": "the DMARC record could not be asked for",
  "bulk-no-policy": "the From domain has no usable DMARC record",
  "bulk-one-click": "one click unsubscribes",
  "bulk-no-one-click":
    "List-Unsubscribe with an https address and “List-Unsubscribe-Post: List-Unsubscribe=One-Click” are needed in newsletters",
  "bulk-one-click-signed": "both unsubscribe fields are signed",
  "bulk-one-click-unsigned": "the unsubscribe fields are not covered by a signature that passes",
  "bulk-one-click-none": "there is no one-click unsubscribe to sign",
  "bulk-encrypted": "the last hop was encrypted",
  "bulk-encryption-unknown": "the message does not say whether it came encrypted",
  "bulk-unencrypted": "the last hop was not encrypted",
  "bulk-lines": ({ most }: { readonly most: number }) => `no line is longer than ${most} octets`,
  "bulk-long-line": ({ octets, most }: { readonly octets: number; readonly most: number }) =>
    `a line has ${octets} octets, and ${most} are allowed`,
  "status-code": ({ class: cls, subject, detail }: StatusCode) => {
    const known = DETAILS[`${subject}.${detail}`]?.[0];
    // Detail 0 of a success names what was gone through (“2.6.0”: the content), and not that anything is wrong with it.
    if (cls === 2 && (known === undefined || detail === 0)) return "the message was accepted";
    return `${CLASSES[cls]}${known ?? SUBJECTS[subject] ?? "the server gives a reason of its own"}`;
  },
  /** What to do about it; nothing where there is nothing to do. */
  "status-code-mend": ({ class: cls, subject, detail }: StatusCode) => {
    const remedy = DETAILS[`${subject}.${detail}`]?.[1];
    if (cls === 2 || remedy === undefined) return "";
    // “5.2.2” is for good what “4.2.2” is for now; waiting helps only with the second.
    return remedy === WAIT && cls === 5 ? "send it again later" : remedy;
  },
} satisfies Words;
