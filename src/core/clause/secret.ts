import type { Nothing } from "./nothing.ts";

/** What a secret is for: the object of “which holds …”. */
export interface SecretClauses {
  "secret-password": { readonly title: string };
  /** The key of a service's link, or of a link that no service has. */
  "secret-key": { readonly title: string };
  "secret-link-key": Nothing;
  "secret-events": { readonly title: string };
  "secret-approvals": { readonly title: string };
  "secret-tsig": { readonly title: string };
  "secret-credential": { readonly title: string };
  "secret-notices": Nothing;
  "secret-queue": Nothing;
  "secret-journal": Nothing;
}
