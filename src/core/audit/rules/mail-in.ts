import { displayName } from "../../name/index.ts";
import { rulesOf, when } from "../finding.ts";

const PRIVATE = /^(10\.|192\.168\.|172\.(1[6-9]|2\d|3[01])\.|169\.254\.|f[cd][0-9a-f]{2}:|fe80:)/i;

export const mailIn = rulesOf("mail-in", [
  [
    "mx-missing",
    "risks",
    "RFC 5321 section 5.1",
    "The domain names no mail server",
    "Answers and bounces to its addresses go to the web server or nowhere.",
    ({ mx, sends, plain }) =>
      when(
        sends && (mx.answer.kind === "nodata" || mx.answer.kind === "nxdomain"),
        `${plain} has no MX record`,
        "enter the mail servers of the mailbox service, or a null MX (0 .) if it takes no mail",
      ),
  ],
  [
    "mx-alias",
    "breaks",
    "RFC 2181 section 10.3",
    "A mail server is named by an alias",
    "Some senders refuse to deliver to it.",
    ({ exchanges }) =>
      exchanges.flatMap(({ name, alias }) =>
        alias === undefined
          ? []
          : when(
              true,
              `${displayName(name)} is an alias for ${displayName(alias)}`,
              `name ${displayName(alias)} in the MX record`,
            ),
      ),
  ],
  [
    "mx-no-address",
    "breaks",
    "RFC 5321 section 5.1",
    "A mail server has no address",
    "Mail waits for it and comes back after days.",
    ({ exchanges }) =>
      exchanges.flatMap(({ name, hasNone, alias }) =>
        when(
          hasNone && alias === undefined,
          `${displayName(name)} has no address`,
          "correct the MX record; the mailbox service names its servers",
        ),
      ),
  ],
  [
    "mx-address",
    "breaks",
    "RFC 1035 section 3.3.9",
    "An MX record holds an address instead of a name",
    "No sender can deliver to it.",
    ({ exchanges }) =>
      exchanges.flatMap(({ name }) =>
        when(
          /^\d+\.\d+\.\d+\.\d+\.?/.test(name),
          `the MX record says ${displayName(name)}`,
          "give the server a name with an A record, and name that",
        ),
      ),
  ],
  [
    "mx-private",
    "risks",
    "RFC 1918 section 3",
    "A mail server has an address that only exists inside a network",
    "Nobody outside can deliver to it.",
    ({ exchanges }) =>
      exchanges.flatMap(({ name, addresses }) =>
        addresses
          .filter((one) => PRIVATE.test(one))
          .map((one) => ({
            evidence: `${displayName(name)} has the address ${one}`,
            remedy: "name the mail server's public address",
          })),
      ),
  ],
  [
    "mx-single",
    "note",
    "RFC 5321 section 5.1",
    "There is only one mail server",
    "When it is down, mail waits at the senders.",
    ({ exchanges }) =>
      when(
        exchanges.length === 1 && exchanges[0]?.addresses.length === 1,
        `only ${displayName(exchanges[0]?.name ?? ("." as never))} takes mail`,
        "ask the mailbox service whether it has a second one",
      ),
  ],
  [
    "mx-null-beside",
    "breaks",
    "RFC 7505 section 3",
    "The domain says that it takes no mail, and names a mail server",
    "The two exclude each other, and senders choose as they like.",
    ({ mx, exchanges }) =>
      when(
        mx.data.some((one) => one.exchange === ".") && exchanges.length > 0,
        `a null MX stands beside ${exchanges.map(({ name }) => displayName(name)).join(", ")}`,
        "remove one of the two",
      ),
  ],
  [
    "mx-null-sends",
    "risks",
    "RFC 7505 section 4.2",
    "A domain that sends mail says that it takes none",
    "Receivers refuse mail from a domain to which no bounce can be sent.",
    ({ mx, exchanges, role }) =>
      when(
        (role === "sending" || role === "main") && exchanges.length === 0 && mx.data.some((one) => one.exchange === "."),
        "the MX record is a null MX",
        "name the mail server that takes answers and bounces",
      ),
  ],
  [
    "mx-twice",
    "untidy",
    "RFC 5321 section 5.1",
    "A mail server is named more than once",
    "Senders try it again for nothing.",
    ({ exchanges }) => {
      const names = exchanges.map(({ name }) => name);
      return [...new Set(names.filter((name, i) => names.indexOf(name) !== i))].map((name) => ({
        evidence: `${displayName(name)} stands in several MX records`,
        remedy: "leave one of them",
      }));
    },
  ],
]);
