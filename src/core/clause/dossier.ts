import type { DomainName } from "../name/index.ts";
import type { Nothing } from "./nothing.ts";

/** What a dossier could not ask. */
export interface DossierClauses {
  "dossier-spf": Nothing;
  "dossier-dmarc": Nothing;
  "dossier-senders": Nothing;
  "dossier-record": { readonly name: DomainName; readonly type: string };
}
