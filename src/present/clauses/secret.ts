import type { SecretClauses } from "../../core/clause/index.ts";
import type { WordsOf } from "./words.ts";

export const SECRET: WordsOf<SecretClauses> = {
  "secret-password": ({ title }) => `the password of ${title}`,
  "secret-key": ({ title }) => `the key of ${title}`,
  "secret-link-key": "the key of the link",
  "secret-events": ({ title }) => `the secret of ${title}'s events`,
  "secret-approvals": ({ title }) => `the secret for approvals at ${title}`,
  "secret-tsig": ({ title }) => `the TSIG key of ${title}`,
  "secret-credential": ({ title }) => `the credential of ${title}`,
  "secret-notices": "the secret that signs notices",
  "secret-queue": "the address of the queue",
  "secret-journal": "the address of the shared journal",
};
