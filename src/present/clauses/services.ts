import type { Clause } from "../../core/clause/index.ts";
import { type DomainName, displayName } from "../../core/name/index.ts";
import { listOf } from "../english.ts";
import type { Words } from "./words.ts";

/** A step of handing a message in. */
type Step = "connect" | "greet" | "encrypt" | "login" | "sender" | "recipient" | "message" | "end";

/** What “service-address” needs. */
type ServiceAddress = {
  readonly state: "confirmed" | "pending" | "expired" | "unknown";
  readonly title: string;
  readonly address: string;
  /** Whether a mail with a link went out just now. */
  readonly mailed: boolean;
  /** RFC 3339. */
  readonly expiresAt: string | undefined;
};

/** What “service-stopped” needs. */
type ServiceStopped = { readonly host: string; readonly step: Step; readonly because: Clause };

/** Where a sender address stands at its service. */
function addressState({ state, title, address, mailed, expiresAt }: ServiceAddress): string {
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
const STEPS: Readonly<Record<ServiceStopped["step"], string>> = {
  connect: "connect",
  greet: "greet",
  encrypt: "encrypt",
  login: "log in",
  sender: "take the sender",
  recipient: "take the recipient",
  message: "take the message",
  end: "end",
};

/** What “helper-step” needs. */
type HelperStep = {
  readonly step:
    | "describes"
    | "shows-empty"
    | "adds"
    | "shows-added"
    | "extends"
    | "shows-extended"
    | "refuses-changed"
    | "shows-unchanged"
    | "removes"
    | "shows-removed";
};

/** What “link-check” needs. */
type LinkCheck = {
  readonly check:
    | "describe"
    | "check"
    | "showDomain"
    | "showSender"
    | "listCredentials"
    | "showSubmission"
    | "showMessage"
    | "unsubscribe"
    | "makeCredential"
    | "scope"
    | "listCredentials-secret"
    | "revokeCredential"
    | "revoked"
    | "subscribe"
    | "unsubscribe-again";
};

const CONTRACT_STEPS: Readonly<Record<HelperStep["step"], string>> = {
  describes: "describes itself",
  "shows-empty": "shows that the scratch name is empty",
  adds: "adds a set",
  "shows-added": "shows what was added",
  extends: "extends a set",
  "shows-extended": "shows both, to the letter",
  "refuses-changed": "refuses where somebody changed the set since",
  "shows-unchanged": "changed nothing when it refused",
  removes: "removes a set",
  "shows-removed": "shows that the scratch name is empty again",
};

const CHECKS: Readonly<Record<LinkCheck["check"], string>> = {
  describe: "the service describes itself without a key",
  check: "a domain nobody has is refused, or not yet accepted",
  showDomain: "a domain it was never told of is unknown",
  showSender: "an address it was never told of is unknown",
  listCredentials: "credentials are listed without their secrets",
  showSubmission: "host, port and TLS mode are said",
  showMessage: "a tracking id that was never given out is unknown",
  unsubscribe: "a subscription that never was is unknown",
  makeCredential: "a credential is made, with its secret",
  scope: "a sending credential cannot make others",
  "listCredentials-secret": "its secret is never shown again",
  revokeCredential: "it can be ended",
  revoked: "after that it is good for nothing",
  subscribe: "events can be subscribed to",
  "unsubscribe-again": "a subscription can be ended",
};

type Kind = "bounces" | "complaints";

const percent = (share: number): string => `${(share * 100).toFixed(share < 0.01 ? 2 : 1).replace(/\.?0+$/, "")} %`;

const WHAT = { bounces: "came back", complaints: "were reported as spam by those who got them" } as const;

const MEND = {
  bounces: "take the addresses whose mail came back off the list before the next mailing",
  complaints: "write only to people who asked for it, and make leaving the list one click",
} as const;

const saying = (said: string | undefined): string => (said === undefined ? "" : `: ${said}`);

/** What is said of services, of their links, and of other programs. */
export const SERVICES = {
  "service-domain-open": ({ title }: { readonly title: string }) => `${title} has not accepted the domain`,
  "service-signing-off": ({ title }: { readonly title: string }) => `${title} does not sign yet`,
  "service-address-unconfirmed": "the sender address is not confirmed",
  "service-domains-unresolved": ({ title }: { readonly title: string }) =>
    `${title} cannot be asked about domains from here: look at its page`,
  "service-not-asked-yet": ({ title }: { readonly title: string }) =>
    `${title} was not asked to look yet: its records are not settled, and who asks too early makes it remember “not found”`,
  /** `on` a day, YYYY-MM-DD. */
  "service-recorded": ({ on, note }: { readonly on: string; readonly note: string }) =>
    `you recorded it for ${on}${note === "" ? "" : `: ${note}`}`,
  "service-said-so": ({ on }: { readonly on: string }) => `the service said so on ${on}`,
  "service-addresses-unresolved": ({ title, address }: { readonly title: string; readonly address: string }) =>
    `${title} cannot be asked about addresses from here: open the link it mails to ${address}`,
  "service-address": addressState,
  "service-knows-not": ({ title, domain }: { readonly title: string; readonly domain: DomainName }) =>
    `${title} does not know ${displayName(domain)} yet`,
  "service-took-as": ({ host, id }: { readonly host: string; readonly id: string }) => `${host} took it: its id is ${id}`,
  "service-declined": ({ host, because }: { readonly host: string; readonly because: Clause }, say) =>
    `${host} refused to take the message: ${say(because)}`,
  "service-took": ({ host, reply }: { readonly host: string; readonly reply: string }) => `${host} took it: ${reply}`,
  "service-unreachable": ({ host, because }: { readonly host: string; readonly because: Clause }, say) =>
    `${host} could not be reached: ${say(because)}`,
  "service-stopped": ({ host, step, because }: ServiceStopped, say) =>
    `${host} stopped when it had to ${STEPS[step]}: ${say(because)}`,
  "service-refused": (
    {
      host,
      step,
      reply,
      meaning,
      remedy,
    }: {
      readonly host: string;
      readonly step: Step;
      readonly reply: string;
      readonly meaning: Clause | undefined;
      readonly remedy: Clause | undefined;
    },
    say,
  ): string => {
    const what = [meaning, remedy].map(say).filter((candidate) => candidate !== "");
    return `${host} refused to ${STEPS[step]}: “${reply}”${what.length === 0 ? "" : ` (${what.join("; ")})`}`;
  },
  "service-logged-in": "connected, encrypted and logged in",
  "service-no-domain": "it is not a domain of this workspace",
  "helper-step": ({ step }: HelperStep) => CONTRACT_STEPS[step],
  /** `atomic`: whether all changes are carried out together or none. */
  "helper-is": ({ title, atomic }: { readonly title: string; readonly atomic: boolean }) =>
    `${title}, ${atomic ? "all or nothing" : "one set after the other"}`,
  /** The texts of the set that it shows. */
  "helper-shows": ({ data }: { readonly data: readonly string[] }) => `it shows ${data.length === 0 ? "nothing" : listOf(data)}`,
  "helper-says": ({ outcome, reason }: { readonly outcome: string; readonly reason: string }) =>
    `it says ${outcome}${reason === "" ? "" : ` (${reason})`}`,
  "link-check": ({ check }: LinkCheck) => CHECKS[check],
  /** Without a key, an operation by its path is refused. */
  "link-needs-key": ({ path }: { readonly path: string }) => `${path} is refused without a key`,
  "link-did-it": "it did what it was asked",
  "link-accepted-nobody": "it accepted a domain that nobody has",
  "link-knows-nobody": ({ what }: { readonly what: "domain" | "address" }) =>
    `it knows ${what === "address" ? "an address" : "a domain"} nobody has`,
  "link-shows-secret": "the list holds the secret",
  /** Shares from 0 to 1. */
  "events-over-limit": ({
    kind,
    share,
    messages,
    limit,
  }: {
    readonly kind: Kind;
    readonly share: number;
    readonly messages: number;
    readonly limit: number;
  }) => `${percent(share)} of ${messages.toLocaleString("en")} messages ${WHAT[kind]}, the usual limit is ${percent(limit)}`,
  "events-over-limit-mend": ({ kind }: { readonly kind: Kind }) => MEND[kind],
  "secret-password": ({ title }: { readonly title: string }) => `the password of ${title}`,
  /** The key of a service's link, or of a link that no service has. */
  "secret-key": ({ title }: { readonly title: string }) => `the key of ${title}`,
  "secret-link-key": "the key of the link",
  "secret-events": ({ title }: { readonly title: string }) => `the secret of ${title}'s events`,
  "secret-approvals": ({ title }: { readonly title: string }) => `the secret for approvals at ${title}`,
  "secret-tsig": ({ title }: { readonly title: string }) => `the TSIG key of ${title}`,
  "secret-credential": ({ title }: { readonly title: string }) => `the credential of ${title}`,
  "secret-notices": "the secret that signs notices",
  "secret-queue": "the address of the queue",
  "secret-journal": "the address of the shared journal",
  "peer-http-status": ({ status }: { readonly status: number }) => `it answered with HTTP status ${status}`,
  "peer-no-answer": ({ seconds }: { readonly seconds: number }) => `it did not answer within ${seconds} s`,
  "peer-unreachable": ({ why }: { readonly why: string }) => `it cannot be reached (${why})`,
  "peer-not-https": "its address is not an https one",
  "peer-too-large": ({ kibibytes }: { readonly kibibytes: number }) => `it sends more than ${kibibytes} KiB`,
  "peer-not-text": "what it sends is not UTF-8 text",
  "peer-not-offered": "it does not offer it for this domain",
  "peer-settings-form": "its settings are not of the form that the open set-up protocol describes",
  "peer-settings-elsewhere": "its settings lead to another place than where they are from",
  "peer-template-unknown": ({ provider, service }: { readonly provider: string; readonly service: string }) =>
    `it does not know the template ${service} of ${provider}`,
  "peer-template-other": "it shows another template than the one that was asked for",
  "peer-grant-ended": ({ said }: { readonly said: string | undefined }) => `it does not accept the grant any more${saying(said)}`,
  "peer-records-in-the-way": ({ said }: { readonly said: string | undefined }) =>
    `it says that records are in the way${saying(said)}`,
  "peer-template-or-domain-unknown": ({ said }: { readonly said: string | undefined }) =>
    `it knows no such template or domain${saying(said)}`,
  "peer-refuses": ({ status, said }: { readonly status: number; readonly said: string | undefined }) =>
    `it refuses${said === undefined ? ` with HTTP status ${status}` : saying(said)}`,
  "peer-grant-error": ({ error, said }: { readonly error: string; readonly said: string | undefined }) =>
    `it says ${error}${said === undefined ? "" : ` (${said})`}`,
  "peer-grant-form": "its answer is not of the form that OAuth 2.0 describes",
  "peer-key-not-accepted": "it does not accept the key of this workspace",
  "peer-key-may-not": ({ said }: { readonly said: string | undefined }) => `the key may not do that${saying(said)}`,
  "peer-unknown-there": ({ said }: { readonly said: string | undefined }) => `it knows no such thing${saying(said)}`,
  "peer-link-form": "its answer is not of the form docs/service-link.md describes",
  "peer-certificate-other": ({ host, names }: { readonly host: string; readonly names: string | undefined }) =>
    `its certificate is not for ${host}${names === undefined ? "" : ` but for ${names}`}`,
  "peer-certificate-not-trusted": ({ why }: { readonly why: string }) => `its certificate is not trusted (${why})`,
  "peer-no-encryption": "it offers no encryption, and a password is never sent in the clear",
  "peer-no-login": "it offers no way to log in that is known here",
  "peer-nobody-listens": "nobody listens there (ECONNREFUSED)",
  "peer-broke-off": "it broke off the connection",
  "program-helper": ({ command }: { readonly command: string }) => `the helper ${command}`,
  "program-named": ({ command }: { readonly command: string }) => `the program ${command}`,
  "program-took-notices": ({ program }: { readonly program: Clause }, say) => `${say(program)} took them`,
  "program-no-answer": ({ program, seconds }: { readonly program: Clause; readonly seconds: number }, say) =>
    `${say(program)} did not answer within ${seconds} s`,
  "program-output-too-long": ({ program, mebibytes }: { readonly program: Clause; readonly mebibytes: number }, say) =>
    `${say(program)} printed more than ${mebibytes} MiB`,
  "program-not-started": ({ program, why }: { readonly program: Clause; readonly why: string }, say) =>
    `${say(program)} cannot be started (${why})`,
  /** `how` is its exit code or the signal that ended it, `said` its last words on standard error. */
  "program-ended": (
    { program, how, said }: { readonly program: Clause; readonly how: string | number; readonly said: string | undefined },
    say,
  ) => `${say(program)} ended with ${how}${said === undefined ? "" : ` (${said})`}`,
  "program-not-json": ({ program }: { readonly program: Clause }, say) => `${say(program)} did not answer with JSON`,
  "program-other-form": (
    { program, at, message }: { readonly program: Clause; readonly at: string; readonly message: Clause },
    say,
  ) => `${say(program)} answered in another form than docs/helpers.md describes (${at}: ${say(message)})`,
} satisfies Words;
