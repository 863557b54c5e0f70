import type { Unsaid } from "../../core/template/index.ts";
import { visible } from "../safe.ts";

/** Why something is not said in the other format. */
const UNSAID: Readonly<Record<Unsaid["code"], string>> = {
  "flattened-alias": "an alias at the domain itself, which only some DNS hosts can make; ask the service for addresses instead",
  redirect: "a redirect, which is not a record; the DNS host or the site builder sets it up",
  "variable-in-number": "a variable where a number belongs",
  "unknown-key": "a key that the open format does not have",
  "record-type": "a line that is not a record of the open format: another type, or one that goes on over several lines",
  "field-missing": "a field that such a record needs is missing",
  order: "records of several groups stand mixed; each group becomes one ask",
  later: "that it comes after other asks, or later",
  pattern: "the form its value has to have, and the example",
  before: "what has to be done at the service first",
  notes: "the notes",
  policy: "the least strict DMARC policy",
  provider: "the service's own domain, which the kit does not say; put it there in place of this one (providerId)",
  purpose: "what it is for; it is read from its records, and those look like something else",
  explain: "an explanation for each input; one text explains them all",
};

/** One part of a template or a kit that the other format has no words for. */
export const unsaidText = ({ code, at }: Unsaid): string => `${visible(at)}: ${UNSAID[code]}`;
