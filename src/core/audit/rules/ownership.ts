import { isDmarc } from "../../dmarc/index.ts";
import { displayName } from "../../name/index.ts";
import { isSpf } from "../../spf/index.ts";
import type { Facts } from "../facts.ts";
import { rulesOf, type Seen, when } from "../finding.ts";

const short = (text: string): string => (text.length > 60 ? `${text.slice(0, 60)}…` : text);

const inState =
  (state: string, remedy: string) =>
  ({ asks, plain }: Facts): Seen[] =>
    asks
      .filter((ask) => ask.state === state)
      .map(({ id, because }) => ({ evidence: `${id}: ${because}`, remedy: remedy.replace("ID", id).replace("DOMAIN", plain) }));

/** What stands in front of the equals sign of a token, such as `seekmere-owner`. */
const kindOf = (text: string): string | undefined => /^([a-z0-9][a-z0-9._-]{2,40})=/i.exec(text)?.[1]?.toLowerCase();
const tokens = ({ texts }: Facts): string[] => texts.filter((text) => !isSpf(text) && !isDmarc(text));

export const ownership = rulesOf("ownership", [
  [
    "ask-astray",
    "breaks",
    "RFC 1035 section 3.3.14",
    "Something a service asked for is published wrongly",
    "The service says “not yet” for as long as it stays like that.",
    inState("astray", "zandrel prove ID says what to change"),
  ],
  [
    "ask-lapsed",
    "breaks",
    "RFC 1035 section 3.3.14",
    "Something a service relies on is gone",
    "Services look again from time to time, and take a domain away when the proof is gone.",
    inState("lapsed", "zandrel draft DOMAIN shows how to bring it back"),
  ],
  [
    "ask-clashing",
    "risks",
    "RFC 2181 section 10.1",
    "Something a service asked for cannot be published as it stands",
    "It waits until somebody decides.",
    inState("clashing", "zandrel draft DOMAIN shows the clash and the options"),
  ],
  [
    "ask-open",
    "note",
    "RFC 1035 section 3.3.14",
    "Something a service asked for is not published yet",
    "The service cannot be used for the domain before.",
    inState("noted", "zandrel publish DOMAIN carries it out"),
  ],
  [
    "ask-waiting",
    "note",
    "RFC 1035 section 3.3.14",
    "Something waits for another proof",
    "It is easily forgotten.",
    inState("waiting", "zandrel status DOMAIN names what it waits for"),
  ],
  [
    "token-twice",
    "untidy",
    "RFC 1035 section 3.3.14",
    "The domain has several tokens of one kind",
    "Only the newest one counts for most services; the others let former agencies prove the domain as theirs.",
    (facts) => {
      const kinds = new Map<string, string[]>();
      for (const text of tokens(facts)) {
        const kind = kindOf(text);
        if (kind !== undefined) kinds.set(kind, [...(kinds.get(kind) ?? []), text]);
      }
      return [...kinds].flatMap(([kind, all]) =>
        when(
          all.length > 1,
          `${all.length} texts begin with ${kind}=`,
          "find out which account each belongs to, and remove those nobody knows",
        ),
      );
    },
  ],
  [
    "token-unknown",
    "note",
    "RFC 1035 section 3.3.14",
    "There is a token that no ask wants",
    "Somebody proved the domain with it; if nobody knows who, it should go.",
    (facts) =>
      facts.asks.length === 0
        ? []
        : tokens(facts)
            .filter((text) => kindOf(text) !== undefined && !facts.wantedTexts.includes(text))
            .map((text) => ({
              evidence: `“${short(text)}”`,
              remedy: "save it with zandrel intake if it is needed, or remove it",
            })),
  ],
  [
    "texts-large",
    "untidy",
    "RFC 7208 section 3.4",
    "The texts at the domain no longer fit into a small answer",
    "Some networks lose large DNS answers, and with them SPF and every token.",
    ({ txt, texts, plain }) => {
      const octets = texts.reduce((sum, text) => sum + text.length + 14, 0);
      return when(
        txt.data.length > 0 && octets > 480,
        `the ${texts.length} texts at ${plain} need about ${octets} octets`,
        "remove tokens nobody needs any more",
      );
    },
  ],
  [
    "text-quotes",
    "untidy",
    "RFC 1035 section 5.1",
    "A text contains quotation marks that were pasted along",
    "The service compares letter by letter and does not find its token.",
    ({ texts }) =>
      texts
        .filter((text) => /^["“”„'].*["“”'].?$|\\"/.test(text))
        .map((text) => ({ evidence: `“${short(text)}”`, remedy: "enter the value without quotation marks at the DNS host" })),
  ],
  [
    "text-spaces",
    "untidy",
    "RFC 1035 section 3.3.14",
    "A text begins or ends with a space, or holds invisible characters",
    "It looks right and is not, and the service does not find its token.",
    ({ texts }) =>
      texts
        .filter((text) => /^\s|\s$|[\x00-\x1f\x7f\u00a0\u200b-\u200f\u2028-\u202e\ufeff]/.test(text))
        .map((text) => ({ evidence: `“${short(text)}”`, remedy: "enter the value again without the space" })),
  ],
  [
    "name-doubled",
    "risks",
    "RFC 1035 section 5.1",
    "The domain was written twice in a name",
    "Nobody finds what is there, and what should be there is missing.",
    ({ doubled }) =>
      doubled.map((name) => ({
        evidence: `there is something at ${displayName(name)}`,
        remedy: "enter only the part in front of the domain in the host field, and remove this name",
      })),
  ],
]);
