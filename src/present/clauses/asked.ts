import type { AskedClauses } from "../../core/clause/index.ts";
import type { WordsOf } from "./words.ts";

export const ASKED: WordsOf<AskedClauses> = {
  "asked-where-stands": ({ of }) => `say where ${of} stands`,
  "asked-accept": ({ domain }) => `accept ${domain}`,
  "asked-mail-link": ({ address }) => `mail the link for ${address}`,
  "asked-take-message": "take the message",
  "asked-make-credential": "make a credential",
  "asked-end-credential": ({ id }) => `end the credential ${id}`,
  "asked-list-credentials": "list its credentials",
  "asked-post-events": "post its events",
  "asked-submission": "show its SMTP settings",
  "by-hand-credential": ({ service }) =>
    `make the credential on its page, then keep it with zandrel sender credential ${service} --keep`,
  "by-hand-events": ({ service }) =>
    `set the feed up on its page, and write id and secret under services: ${service}: events: in zandrel.yaml`,
  "undone-ended": ({ what, id }) => `so the new ${what} ${id} was ended again`,
  "undone-not-ended": ({ what, id, title }) => `and the new ${what} ${id} could not be ended either, end it at ${title}`,
  "undone-nothing": "and nothing was changed",
};
