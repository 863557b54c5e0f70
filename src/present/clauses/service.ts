import type { ServiceClauses } from "../../core/clause/index.ts";
import { displayName } from "../../core/name/index.ts";
import type { WordsOf } from "./words.ts";

/** Where a sender address stands at its service. */
function addressState({ state, title, address, mailed, expiresAt }: ServiceClauses["service-address"]): string {
  const until =
    expiresAt === undefined ? "" : `; the link works until ${expiresAt.replace("T", " ").replace(/(:\d\d)?(\.\d+)?Z$/, " UTC")}`;
  switch (state) {
    case "confirmed":
      return "the link was opened";
    case "pending":
      return `${mailed ? `a mail with a link is on its way to ${address}` : `the link mailed to ${address} was not opened yet`}${until}`;
    case "expired":
      return "the link was not opened in time and no longer works";
    case "unknown":
      return `${title} does not know this address`;
  }
}

/** What a server has to do at each step of handing a message in. */
const STEPS: Readonly<Record<ServiceClauses["service-stopped"]["step"], string>> = {
  connect: "connect",
  greet: "greet",
  encrypt: "encrypt",
  login: "log in",
  sender: "take the sender",
  recipient: "take the recipient",
  message: "take the message",
  end: "end",
};

export const SERVICE: WordsOf<ServiceClauses> = {
  "service-domain-open": ({ title }) => `${title} has not accepted the domain`,
  "service-signing-off": ({ title }) => `${title} does not sign yet`,
  "service-address-unconfirmed": "the sender address is not confirmed",
  "service-domains-unresolved": ({ title }) => `${title} cannot be asked about domains from here: look at its page`,
  "service-not-asked-yet": ({ title }) =>
    `${title} was not asked to look yet: its records are not settled, and who asks too early makes it remember “not found”`,
  "service-recorded": ({ on, note }) => `you recorded it for ${on}${note === "" ? "" : `: ${note}`}`,
  "service-said-so": ({ on }) => `the service said so on ${on}`,
  "service-addresses-unresolved": ({ title, address }) =>
    `${title} cannot be asked about addresses from here: open the link it mails to ${address}`,
  "service-address": addressState,
  "service-knows-not": ({ title, domain }) => `${title} does not know ${displayName(domain)} yet`,
  "service-took-as": ({ host, id }) => `${host} took it: its id is ${id}`,
  "service-declined": ({ host, because }, say) => `${host} refused to take the message: ${say(because)}`,
  "service-took": ({ host, reply }) => `${host} took it: ${reply}`,
  "service-unreachable": ({ host, because }, say) => `${host} could not be reached: ${say(because)}`,
  "service-stopped": ({ host, step, because }, say) => `${host} stopped when it had to ${STEPS[step]}: ${say(because)}`,
  "service-refused": ({ host, step, reply, meaning, remedy }, say) => {
    const what = [meaning, remedy].map(say).filter((one) => one !== "");
    return `${host} refused to ${STEPS[step]}: “${reply}”${what.length === 0 ? "" : ` (${what.join("; ")})`}`;
  },
  "service-logged-in": "connected, encrypted and logged in",
  "service-no-domain": "it is not a domain of this workspace",
};
