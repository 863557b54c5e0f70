import type { Nothing } from "./nothing.ts";

/** What an outside system did or did not do; “it” is that system, and `said` is what it told of it. */
export interface PeerClauses {
  "peer-http-status": { readonly status: number };
  "peer-no-answer": { readonly seconds: number };
  "peer-unreachable": { readonly why: string };
  "peer-not-https": Nothing;
  "peer-too-large": { readonly kibibytes: number };
  "peer-not-text": Nothing;
  "peer-not-offered": Nothing;
  "peer-settings-form": Nothing;
  "peer-settings-elsewhere": Nothing;
  "peer-template-unknown": { readonly provider: string; readonly service: string };
  "peer-template-other": Nothing;
  "peer-grant-ended": { readonly said: string | undefined };
  "peer-records-in-the-way": { readonly said: string | undefined };
  "peer-template-or-domain-unknown": { readonly said: string | undefined };
  "peer-refuses": { readonly status: number; readonly said: string | undefined };
  "peer-grant-error": { readonly error: string; readonly said: string | undefined };
  "peer-grant-form": Nothing;
  "peer-key-not-accepted": Nothing;
  "peer-key-may-not": { readonly said: string | undefined };
  "peer-unknown-there": { readonly said: string | undefined };
  "peer-link-form": Nothing;
  "peer-certificate-other": { readonly host: string; readonly names: string | undefined };
  "peer-certificate-not-trusted": { readonly why: string };
  "peer-no-encryption": Nothing;
  "peer-no-login": Nothing;
  "peer-nobody-listens": Nothing;
  "peer-broke-off": Nothing;
}
