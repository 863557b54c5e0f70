import type { Offer } from "../core/sending/index.ts";
/** What one mail service does its own way. */
export interface MailServiceDescription {
  readonly key: "heronpost" | "swiftquill" | "inglemail";
  readonly title: string;
  /** Short letters in front of tracking ids. */
  readonly mark: string;
  readonly address: string;
  readonly selectors: readonly string[];
  /** How its keys are published: by an alias to the service, or as a text in the domain. */
  readonly publishes: "alias" | "text";
  /** Whether it wants a token at a label of its own first. */
  readonly wantsToken: boolean;
  /** Where bounces of a domain go. */
  readonly returnHost: (domain: string) => string;
  readonly offers: readonly Offer[];
  /** What it does with mail of a domain that it has not accepted. */
  readonly unaccepted: "refuse" | "sign-as-itself";
  /** Whether its signing is a switch of its own. */
  readonly signingSwitch: boolean;
}
