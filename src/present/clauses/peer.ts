import type { PeerClauses } from "../../core/clause/index.ts";
import type { WordsOf } from "./words.ts";

const saying = (said: string | undefined): string => (said === undefined ? "" : `: ${said}`);

export const PEER: WordsOf<PeerClauses> = {
  "peer-http-status": ({ status }) => `it answered with HTTP status ${status}`,
  "peer-no-answer": ({ seconds }) => `it did not answer within ${seconds} s`,
  "peer-unreachable": ({ why }) => `it cannot be reached (${why})`,
  "peer-not-https": "its address is not an https one",
  "peer-too-large": ({ kibibytes }) => `it sends more than ${kibibytes} KiB`,
  "peer-not-text": "what it sends is not UTF-8 text",
  "peer-not-offered": "it does not offer it for this domain",
  "peer-settings-form": "its settings are not of the form that the open set-up protocol describes",
  "peer-settings-elsewhere": "its settings lead to another place than where they are from",
  "peer-template-unknown": ({ provider, service }) => `it does not know the template ${service} of ${provider}`,
  "peer-template-other": "it shows another template than the one that was asked for",
  "peer-grant-ended": ({ said }) => `it does not accept the grant any more${saying(said)}`,
  "peer-records-in-the-way": ({ said }) => `it says that records are in the way${saying(said)}`,
  "peer-template-or-domain-unknown": ({ said }) => `it knows no such template or domain${saying(said)}`,
  "peer-refuses": ({ status, said }) => `it refuses${said === undefined ? ` with HTTP status ${status}` : saying(said)}`,
  "peer-grant-error": ({ error, said }) => `it says ${error}${said === undefined ? "" : ` (${said})`}`,
  "peer-grant-form": "its answer is not of the form that OAuth 2.0 describes",
  "peer-key-not-accepted": "it does not accept the key of this workspace",
  "peer-key-may-not": ({ said }) => `the key may not do that${saying(said)}`,
  "peer-unknown-there": ({ said }) => `it knows no such thing${saying(said)}`,
  "peer-link-form": "its answer is not of the form docs/service-link.md describes",
  "peer-certificate-other": ({ host, names }) =>
    `its certificate is not for ${host}${names === undefined ? "" : ` but for ${names}`}`,
  "peer-certificate-not-trusted": ({ why }) => `its certificate is not trusted (${why})`,
  "peer-no-encryption": "it offers no encryption, and a password is never sent in the clear",
  "peer-no-login": "it offers no way to log in that is known here",
  "peer-nobody-listens": "nobody listens there (ECONNREFUSED)",
  "peer-broke-off": "it broke off the connection",
};
