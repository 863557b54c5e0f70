import { isKeyText, readKeyRecord } from "../../dkim/index.ts";
import { isDmarc } from "../../dmarc/index.ts";
import { displayName } from "../../name/index.ts";
import { isSpf } from "../../spf/index.ts";
import { textsIn } from "../facts.ts";
import { rulesOf, when } from "../finding.ts";

const short = (text: string): string => (text.length > 60 ? `${text.slice(0, 60)}…` : text);

export const wildcard = rulesOf("wildcard", [
  [
    "wildcard-address",
    "note",
    "RFC 4592 section 2.1",
    "Every name that does not exist has an address",
    "Mistyped names lead somewhere, and nobody notices a record that was forgotten.",
    ({ anyA, plain }) =>
      when(
        anyA.data.length > 0 && anyA.answer.chain.length === 0,
        `a name that nobody made below ${plain} answers with ${anyA.data.map((one) => one.address).join(", ")}`,
        "remove the wildcard if no site needs it",
      ),
  ],
  [
    "wildcard-alias",
    "risks",
    "RFC 4592 section 4.3",
    "Every name that does not exist is an alias",
    "It answers for _dmarc, for DKIM keys and for ownership tokens too, with nonsense that receivers and services then judge.",
    ({ anyTxt, anyA }) => {
      const target = (anyTxt.answer.chain[0] ?? anyA.answer.chain[0])?.data[0]?.target;
      return target === undefined
        ? []
        : when(
            true,
            `a name that nobody made is an alias for ${displayName(target)}`,
            "replace the wildcard by aliases for the names that are really used",
          );
    },
  ],
  [
    "wildcard-text",
    "risks",
    "RFC 4592 section 2.1",
    "Every name that does not exist has a text",
    "Anyone who looks for a policy, a key or a token below the domain finds this text instead.",
    ({ anyTxt }) =>
      when(
        anyTxt.data.length > 0 && anyTxt.answer.chain.length === 0,
        `a name that nobody made answers with “${short(textsIn(anyTxt)[0] ?? "")}”`,
        "remove the TXT record at the wildcard",
      ),
  ],
  [
    "wildcard-spf",
    "untidy",
    "RFC 7208 section 3.5",
    "Every subdomain has an SPF record by a wildcard",
    "A name with any other record is not covered by it, so that it protects less than it seems to.",
    ({ anyTxt }) =>
      textsIn(anyTxt)
        .filter(isSpf)
        .map((text) => ({
          evidence: `the wildcard says ${short(text)}`,
          remedy: "protect subdomains by DMARC (sp= and np=) instead",
        })),
  ],
  [
    "wildcard-mail",
    "risks",
    "RFC 4592 section 2.1",
    "Every name that does not exist takes mail",
    "Mistyped and made-up addresses are accepted, and forgers get a From domain that looks real.",
    ({ anyMx }) =>
      when(
        anyMx.data.some((one) => one.exchange !== "."),
        `a name that nobody made takes mail at ${anyMx.data.map((one) => displayName(one.exchange)).join(", ")}`,
        "remove the MX record at the wildcard",
      ),
  ],
  [
    "wildcard-key",
    "risks",
    "RFC 6376 section 3.6.2",
    "Every selector has the same DKIM answer",
    "A key that is missing is not noticed, and a test that something is there says nothing.",
    ({ anyKey, sends }) =>
      textsIn(anyKey)
        .filter((text) => sends && !(isKeyText(text) && readKeyRecord([text]).problem?.kind === "revoked"))
        .map((text) => ({
          evidence: `a selector that nobody made answers with “${short(text)}”`,
          remedy: "remove the wildcard, or make it a revoked key (v=DKIM1; p=) on a domain that sends nothing",
        })),
  ],
  [
    "wildcard-dmarc",
    "untidy",
    "RFC 7489 section 6.6.3",
    "A wildcard answers where DMARC policies of subdomains are looked for",
    "A text that is no policy there is passed over by most, and misread by some.",
    ({ anyDmarc, anyTxt }) =>
      when(
        anyDmarc.data.length > 0 && anyTxt.data.length > 0,
        `_dmarc below a name that nobody made answers with “${short(textsIn(anyDmarc).find((text) => !isDmarc(text)) ?? textsIn(anyDmarc)[0] ?? "")}”`,
        "remove the wildcard; sp= in the domain's own record covers subdomains",
      ),
  ],
]);
