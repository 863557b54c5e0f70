import { displayName } from "../../../core/name/index.ts";
import { type AreaWords, namesOf, short } from "../say.ts";

export const WILDCARD: AreaWords<"wildcard"> = {
  "wildcard-address": {
    title: "Every name that does not exist has an address",
    why: "Mistyped names lead somewhere, and nobody notices a record that was forgotten.",
    evidence: ({ addresses }, { plain }) => `a name that nobody made below ${plain} answers with ${addresses.join(", ")}`,
    remedy: "remove the wildcard if no site needs it",
  },
  "wildcard-alias": {
    title: "Every name that does not exist is an alias",
    why: "It answers for _dmarc, for DKIM keys and for ownership tokens too, with nonsense that receivers and services then judge.",
    evidence: ({ target }) => `a name that nobody made is an alias for ${displayName(target)}`,
    remedy: "replace the wildcard by aliases for the names that are really used",
  },
  "wildcard-text": {
    title: "Every name that does not exist has a text",
    why: "Anyone who looks for a policy, a key or a token below the domain finds this text instead.",
    evidence: ({ text }) => `a name that nobody made answers with “${short(text)}”`,
    remedy: "remove the TXT record at the wildcard",
  },
  "wildcard-spf": {
    title: "Every subdomain has an SPF record by a wildcard",
    why: "A name with any other record is not covered by it, so that it protects less than it seems to.",
    evidence: ({ text }) => `the wildcard says ${short(text)}`,
    remedy: "protect subdomains by DMARC (sp= and np=) instead",
  },
  "wildcard-mail": {
    title: "Every name that does not exist takes mail",
    why: "Mistyped and made-up addresses are accepted, and forgers get a From domain that looks real.",
    evidence: ({ exchanges }) => `a name that nobody made takes mail at ${namesOf(exchanges)}`,
    remedy: "remove the MX record at the wildcard",
  },
  "wildcard-key": {
    title: "Every selector has the same DKIM answer",
    why: "A key that is missing is not noticed, and a test that something is there says nothing.",
    evidence: ({ text }) => `a selector that nobody made answers with “${short(text)}”`,
    remedy: "remove the wildcard, or make it a revoked key (v=DKIM1; p=) on a domain that sends nothing",
  },
  "wildcard-dmarc": {
    title: "A wildcard answers where DMARC policies of subdomains are looked for",
    why: "A text that is not a policy there is passed over by most, and misread by some.",
    evidence: ({ text }) => `_dmarc below a name that nobody made answers with “${short(text)}”`,
    remedy: "remove the wildcard; sp= in the domain's own record covers subdomains",
  },
};
