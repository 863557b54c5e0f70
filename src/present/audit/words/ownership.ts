import { displayName } from "../../../core/name/index.ts";
import { inWords } from "../../clauses/index.ts";
import { type AreaWords, short } from "../say.ts";

export const OWNERSHIP: AreaWords<"ownership"> = {
  "ask-astray": {
    title: "Something a service asked for is published wrongly",
    why: "The service says “not yet” for as long as it stays like that.",
    evidence: ({ because, id }) => `${id}: ${inWords(because)}`,
    remedy: ({ id }) => `zandrel prove ${id} says what to change`,
  },
  "ask-refused": {
    title: "What a service asked for is refused for its DNSSEC signatures",
    why: "It is published as asked; a service whose resolver checks signatures does not see it.",
    evidence: ({ because, id }) => `${id}: ${inWords(because)}`,
    remedy: ({ id }) => `get the DNSSEC signatures fixed first: zandrel prove ${id} says who can do that`,
  },
  "record-missed": {
    title: "More was deleted or changed than was to be",
    why: "Whatever used it, such as the site or the mailboxes, stops working.",
    evidence: ({ because }) => inWords(because),
    remedy: (_, { plain }) => `zandrel publish ${plain} --check shows how to mend it`,
  },
  "ask-lapsed": {
    title: "Something a service relies on is gone",
    why: "Services look again from time to time, and take a domain away when the proof is gone.",
    evidence: ({ because, id }) => `${id}: ${inWords(because)}`,
    remedy: (_, { plain }) => `zandrel draft ${plain} shows how to bring it back`,
  },
  "ask-clashing": {
    title: "Something a service asked for cannot be published as it stands",
    why: "It waits until somebody decides.",
    evidence: ({ because, id }) => `${id}: ${inWords(because)}`,
    remedy: (_, { plain }) => `zandrel draft ${plain} shows the clash and the options`,
  },
  "ask-open": {
    title: "Something a service asked for is not published yet",
    why: "The service cannot be used for the domain before.",
    evidence: ({ because, id }) => `${id}: ${inWords(because)}`,
    remedy: (_, { plain }) => `zandrel publish ${plain} carries it out`,
  },
  "ask-waiting": {
    title: "Something waits for another proof",
    why: "It is easily forgotten.",
    evidence: ({ because, id }) => `${id}: ${inWords(because)}`,
    remedy: (_, { plain }) => `zandrel status ${plain} names what it waits for`,
  },
  "token-twice": {
    title: "The domain has several tokens of one kind",
    why: "Only the newest one counts for most services; the others let former agencies prove the domain as theirs.",
    evidence: ({ kind, times }) => `${times} texts begin with ${kind}=`,
    remedy: "find out which account each belongs to, and remove those nobody knows",
  },
  "token-unknown": {
    title: "There is a token that no ask wants",
    why: "Somebody proved the domain with it; if nobody knows who, it should go.",
    evidence: ({ text }) => `“${short(text)}”`,
    remedy: "save it with zandrel intake if it is needed, or remove it",
  },
  "texts-large": {
    title: "The texts at the domain no longer fit into a small answer",
    why: "Some networks lose large DNS answers, and with them SPF and every token.",
    evidence: ({ octets, texts }, { plain }) => `the ${texts} texts at ${plain} need about ${octets} octets`,
    remedy: "remove tokens nobody needs any more",
  },
  "text-quotes": {
    title: "A text contains quotation marks that were pasted along",
    why: "The service compares letter by letter and does not find its token.",
    evidence: ({ text }) => `“${short(text)}”`,
    remedy: "enter the value without quotation marks at the DNS host",
  },
  "text-spaces": {
    title: "A text begins or ends with a space, or holds invisible characters",
    why: "It looks right and is not, and the service does not find its token.",
    evidence: ({ text }) => `“${short(text)}”`,
    remedy: "enter the value again without the space",
  },
  "name-doubled": {
    title: "The domain was written twice in a name",
    why: "Nobody finds what is there, and what should be there is missing.",
    evidence: ({ name }) => `there is something at ${displayName(name)}`,
    remedy: "enter only the part in front of the domain in the host field, and remove this name",
  },
};
