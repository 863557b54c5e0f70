import type { MailServiceDescription } from "./mail-description.ts";
import { ADDRESSES } from "./zones.ts";

/** Newsletters: addresses are confirmed by a mailed link, keys are delegated by aliases, bounces come back to a host of their own. */
export const HERONPOST: MailServiceDescription = {
  key: "heronpost",
  title: "Heronpost",
  mark: "HP",
  address: ADDRESSES.heronpost,
  selectors: ["hpa", "hpb"],
  publishes: "alias",
  wantsToken: false,
  returnHost: (domain) => `bounce.${domain}`,
  offers: ["domains", "senders", "credentials", "submission", "messages"],
  unaccepted: "sign-as-itself",
  signingSwitch: false,
};

/** Ticket mail: a token of its own, keys as texts, scoped credentials, SMTP and HTTP, and a signed event feed. */
export const SWIFTQUILL: MailServiceDescription = {
  key: "swiftquill",
  title: "Swiftquill",
  mark: "SQ",
  address: ADDRESSES.swiftquill,
  selectors: ["sq1"],
  publishes: "text",
  wantsToken: true,
  returnHost: (domain) => `mail.${domain}`,
  offers: ["domains", "credentials", "submission", "messages", "events"],
  unaccepted: "refuse",
  signingSwitch: false,
};

/** Mailboxes: signing is a switch that can be turned on once the key is seen. */
export const INGLEMAIL: MailServiceDescription = {
  key: "inglemail",
  title: "Inglemail",
  mark: "IM",
  address: ADDRESSES.inglemail,
  selectors: ["ingle"],
  publishes: "text",
  wantsToken: false,
  returnHost: (domain) => domain,
  offers: ["domains", "credentials", "submission", "messages"],
  unaccepted: "sign-as-itself",
  signingSwitch: true,
};
