import type { DossierClauses } from "../../core/clause/index.ts";
import { displayName } from "../../core/name/index.ts";
import type { WordsOf } from "./words.ts";

export const DOSSIER: WordsOf<DossierClauses> = {
  "dossier-spf": "the SPF record",
  "dossier-dmarc": "the DMARC policy",
  "dossier-senders": "who sends",
  "dossier-record": ({ name, type }) => `${type} ${displayName(name)}`,
};
