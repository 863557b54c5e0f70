import { displayName } from "../../../core/name/index.ts";
import { type AreaWords, namesOf } from "../say.ts";

export const MAIL_IN: AreaWords<"mail-in"> = {
  "mx-missing": {
    title: "The domain names no mail server",
    why: "Answers and bounces to its addresses go to the web server or nowhere.",
    evidence: (_, { plain }) => `${plain} has no MX record`,
    remedy: "enter the mail servers of the mailbox service, or a null MX (0 .) if it takes no mail",
  },
  "mx-alias": {
    title: "A mail server is named by an alias",
    why: "Some senders refuse to deliver to it.",
    evidence: ({ alias, name }) => `${displayName(name)} is an alias for ${displayName(alias)}`,
    remedy: ({ alias }) => `name ${displayName(alias)} in the MX record`,
  },
  "mx-no-address": {
    title: "A mail server has no address",
    why: "Mail waits for it and comes back after days.",
    evidence: ({ name }) => `${displayName(name)} has no address`,
    remedy: "correct the MX record; the mailbox service names its servers",
  },
  "mx-address": {
    title: "An MX record holds an address instead of a name",
    why: "No sender can deliver to it.",
    evidence: ({ name }) => `the MX record says ${displayName(name)}`,
    remedy: "give the server a name with an A record, and name that",
  },
  "mx-private": {
    title: "A mail server has an address that only exists inside a network",
    why: "Nobody outside can deliver to it.",
    evidence: ({ address, name }) => `${displayName(name)} has the address ${address}`,
    remedy: "name the mail server's public address",
  },
  "mx-single": {
    title: "There is only one mail server",
    why: "When it is down, mail waits at the senders.",
    evidence: ({ name }) => `only ${displayName(name)} takes mail`,
    remedy: "ask the mailbox service whether it has a second one",
  },
  "mx-null-beside": {
    title: "The domain says that it takes no mail, and names a mail server",
    why: "The two exclude each other, and senders choose as they like.",
    evidence: ({ exchanges }) => `a null MX stands beside ${namesOf(exchanges)}`,
    remedy: "remove one of the two",
  },
  "mx-null-sends": {
    title: "A domain that sends mail says that it takes none",
    why: "Receivers refuse mail from a domain to which no bounce can be sent.",
    evidence: "the MX record is a null MX",
    remedy: "name the mail server that takes answers and bounces",
  },
  "mx-twice": {
    title: "A mail server is named more than once",
    why: "Senders try it again for nothing.",
    evidence: ({ name }) => `${displayName(name)} stands in several MX records`,
    remedy: "leave one of them",
  },
};
