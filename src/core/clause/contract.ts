import type { Nothing } from "./nothing.ts";

/** What a helper program or the link of a service is tried for, and what it did instead. */
export interface ContractClauses {
  "helper-step": {
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
  /** `atomic`: whether all changes are carried out together or none. */
  "helper-is": { readonly title: string; readonly atomic: boolean };
  /** The texts of the set that it shows. */
  "helper-shows": { readonly data: readonly string[] };
  "helper-says": { readonly outcome: string; readonly reason: string };
  "link-check": {
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
  /** Without a key, an operation by its path is refused. */
  "link-needs-key": { readonly path: string };
  "link-did-it": Nothing;
  "link-accepted-nobody": Nothing;
  "link-knows-nobody": { readonly what: "domain" | "address" };
  "link-shows-secret": Nothing;
}
