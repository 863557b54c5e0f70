import { displayName } from "../../../core/name/index.ts";
import { MAX_LOOKUPS, MAX_OCTETS } from "../../../core/spf/index.ts";
import { inWords } from "../../clauses/index.ts";
import { listOf } from "../../english.ts";
import type { AreaWords } from "../say.ts";

export const SPF: AreaWords<"spf"> = {
  "spf-return-path": {
    title: "A host that takes bounces has no SPF record that counts",
    why: "Mail with this return path does not pass SPF, whatever the record of the domain says.",
    evidence: ({ because, name }) => `${displayName(name)} takes bounces, and ${inWords(because)}`,
    remedy: "publish the SPF record that the sending service shows for this host",
  },
  "spf-quotes": {
    title: "An SPF record was pasted with its quotation marks",
    why: "Receivers do not take it for an SPF record.",
    evidence: ({ text }) => text,
    remedy: "enter it again without the quotation marks",
  },
  "spf-missing": {
    title: "The domain has no SPF record",
    why: "Receivers cannot tell who may send for the domain; mail lands in the junk folder sooner, and forgers are not held back.",
    evidence: (_, { plain }) => `${plain} has no text that begins with v=spf1`,
    remedy: "zandrel spf combine makes one of what the services ask for; v=spf1 -all if the domain sends no mail",
  },
  "spf-several": {
    title: "The domain has more than one SPF record",
    why: "With more than one, receivers use none and treat it as an error.",
    evidence: ({ texts }) => texts.join(" / "),
    remedy: ({ together }) => `replace them by one: ${together}`,
  },
  "spf-syntax": {
    title: "The SPF record has a mistake",
    why: "One mistake anywhere makes receivers throw the whole record away.",
    evidence: ({ message, text }) => `at “${text}”: ${inWords(message)}`,
    remedy: ({ meant }) => (meant === undefined ? "correct it; zandrel spf explain shows the place" : `write ${meant}`),
  },
  "spf-nearly": {
    title: "A text was meant as SPF and is none",
    why: "Receivers pass it over, so that the domain has no protection at all.",
    evidence: ({ because, text }) => `“${text.slice(0, 60)}”: ${inWords(because)}`,
    remedy: "begin it with v=spf1 and a space, without quotation marks",
  },
  "spf-over-limit": {
    title: "The SPF record makes receivers ask too often",
    why: "Receivers stop at ten questions and treat the whole record as an error: all mail of the domain suffers.",
    evidence: ({ lookups }) => `it needs ${lookups} lookups, and ${MAX_LOOKUPS} are allowed`,
    remedy: "zandrel spf explain names the costly terms; zandrel spf flatten replaces one by addresses",
  },
  "spf-near-limit": {
    title: "The SPF record has no room left",
    why: "The next service, or one more include at a service, breaks it.",
    evidence: ({ lookups }) => `it needs ${lookups} lookups, and ${MAX_LOOKUPS} are allowed`,
    remedy: "take out what nobody uses before the next service is added",
  },
  "spf-voids": {
    title: "More than two parts of the SPF record lead nowhere",
    why: "Receivers stop at the third and treat the whole record as an error.",
    evidence: ({ terms }) => terms.join(", "),
    remedy: "take these terms out",
  },
  "spf-void": {
    title: "A part of the SPF record leads nowhere",
    why: "It costs one of the two that are allowed, and anyone who sets up that name may send.",
    evidence: ({ because, term }) => `${term}: ${inWords(because)}`,
    remedy: "take the term out",
  },
  "spf-include-missing": {
    title: "An include leads to a domain without an SPF record",
    why: "Receivers treat the whole record as an error as soon as they get there.",
    evidence: ({ because, term }) => `${term}: ${inWords(because)}`,
    remedy: "correct the name, or take the include out",
  },
  "spf-include-broken": {
    title: "An included record has a mistake",
    why: "The mistake of the service breaks your record too.",
    evidence: ({ because, term }) => `${term}: ${inWords(because)}`,
    remedy: "tell the service, and take the include out until it is corrected",
  },
  "spf-include-several": {
    title: "An include leads to a domain with several SPF records",
    why: "Receivers treat the whole record as an error as soon as they get there.",
    evidence: ({ because, term }) => `${term}: ${inWords(because)}`,
    remedy: "tell the service, and take the include out until it is corrected",
  },
  "spf-loop": {
    title: "The SPF record leads back to itself",
    why: "Receivers go round until the limit and treat the record as an error.",
    evidence: ({ because, term }) => `${term}: ${inWords(because)}`,
    remedy: "take out the include that leads back",
  },
  "spf-no-end": {
    title: "The SPF record does not say what happens to everyone else",
    why: "Forgers are neither refused nor suspicious.",
    evidence: ({ text }) => text,
    remedy: "end it with ~all or -all",
  },
  "spf-everybody": {
    title: "The SPF record lets everybody send",
    why: "Anybody in the world passes as this domain, and receivers distrust such domains altogether.",
    evidence: ({ because, term }) => `${term}: ${inWords(because)}`,
    remedy: "end the record with ~all or -all, and take out what leads to +all",
  },
  "spf-neutral": {
    title: "The SPF record says nothing about everyone else",
    why: "?all protects against nothing.",
    evidence: "it ends with ?all",
    remedy: "end it with ~all, and with -all once every sender is in it",
  },
  "spf-soft": {
    title: "The SPF record only doubts everyone else",
    why: "That is fine where a DMARC policy says what to do with mail that fails.",
    evidence: "it ends with ~all, and DMARC asks for nothing",
    remedy: "tighten the DMARC policy rather than this record",
  },
  "spf-behind-all": {
    title: "There are terms behind “all”",
    why: "Receivers stop reading there: a service added at the end is not allowed to send.",
    evidence: ({ because, term }) => `${term}: ${inWords(because)}`,
    remedy: "move it in front of “all”",
  },
  "spf-duplicate": {
    title: "A term is there twice",
    why: "It costs its lookups twice.",
    evidence: ({ because, term }) => `${term}: ${inWords(because)}`,
    remedy: "take one of them out",
  },
  "spf-shadowed": {
    title: "A term matches nothing that was not matched before",
    why: "It makes the record longer and harder to understand.",
    evidence: ({ because, term }) => `${term}: ${inWords(because)}`,
    remedy: "take it out",
  },
  "spf-ptr": {
    title: "The SPF record uses ptr",
    why: "It is slow and unreliable, and some receivers skip it.",
    evidence: ({ because, term }) => `${term}: ${inWords(because)}`,
    remedy: "replace it by the addresses or names of the servers",
  },
  "spf-huge": {
    title: "The SPF record allows a huge block of addresses",
    why: "Somebody in there is a forger.",
    evidence: ({ because, term }) => `${term}: ${inWords(because)}`,
    remedy: "name the addresses that really send",
  },
  "spf-registrable": {
    title: "The SPF record trusts a domain that anybody can register",
    why: "Anyone who buys it may send as this domain, and everything passes.",
    evidence: ({ because, term }) => `${term}: ${inWords(because)}`,
    remedy: "take the term out today",
  },
  "spf-return-path-only": {
    title: "SPF lists senders only at the host that bounces go to",
    why: "Mail sent through the service passes; anybody may still send with the domain itself as the return path.",
    evidence: ({ hosts }) => `${listOf(hosts.map(displayName))} has an SPF record, and the domain itself has none`,
    remedy: "publish an SPF record for the domain too: its own senders, or “v=spf1 -all” where it has none",
  },
  "spf-long": {
    title: "The SPF record is too long for a small answer",
    why: "Some networks lose large DNS answers; receivers there see no SPF.",
    evidence: ({ octets }) => `it has ${octets} octets, and ${MAX_OCTETS} are safe`,
    remedy: "take out what nobody uses, or move a service to a subdomain",
  },
  "spf-split": {
    title: "The SPF record is split without a space",
    why: "The strings are joined as they are: two terms become one word that means nothing.",
    evidence: ({ end, start }) => `“…${end}” and “${start}…” become one word`,
    remedy: "put a space at the end of the first string",
  },
  "spf-moved": {
    title: "A service moved away from the addresses that replace its include",
    why: "Its mail from the new addresses fails.",
    evidence: ({ because, move, term }) => (move === "gone" ? `${term}: ${inWords(because)}` : inWords(because)),
    remedy: ({ move }) => (move === "gone" ? "ask the service where it sends from now" : "run zandrel spf flatten again"),
  },
  "spf-old-type": {
    title: "There is a record of the old type SPF",
    why: "Nobody reads it any more, and it misleads people.",
    evidence: "the domain has a record of type 99",
    remedy: "remove it; the TXT record is the one that counts",
  },
  "spf-unknown-word": {
    title: "The SPF record has a word that means nothing",
    why: "Receivers ignore it; it may be a typing mistake.",
    evidence: ({ term }) => `“${term}”`,
    remedy: "correct it or take it out",
  },
};
