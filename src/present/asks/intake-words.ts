import type { PersonQuestion } from "../../app/context.ts";
import { ANOTHER_SERVICE } from "../../core/ask/index.ts";
import type { IntakeProblem, IntakeQuestion, Layout, Repair } from "../../core/ask/intake/index.ts";
import { displayName, parseName, withoutRootDot } from "../../core/name/index.ts";
import { printData } from "../../core/record/index.ts";
import { inWords } from "../clauses/index.ts";
import { listOf } from "../english.ts";
import { unsaidText } from "../kits/unsaid.ts";
import { visible } from "../safe.ts";

/** What was put right in a paste, by the kind of repair: why the new form is meant. */
const REPAIRS: Readonly<Record<string, string>> = {
  "html-entity": "the page's markup came along",
  "invisible-characters": "characters that nobody sees came along from the page",
  "odd-spaces": "the page used spaces that do not break lines",
  "odd-hyphens": "the page used a hyphen or dash that cannot be typed",
  "typographic-quotes": "a text editor turned straight quotation marks into typographic ones",
  "code-marks": "marks for code came along",
  wrapped: "the value was wrapped over several lines on the page",
  quotes: "the quotation marks only show where the value begins and ends",
  scheme: "a record holds a name, not the address of a page",
  path: "a record holds a name; what follows it belongs to the page's address",
  port: "a record holds a name without a port",
  priority: "no priority was given; 10 is usual for the only mail server",
  "ttl-words": "a TTL is a number of seconds",
  "ttl-unread": "the page says no time there; the usual one is taken",
  "duplicate-row": "the same record stands there twice",
  "html-tag": "the source of a page is read as a browser shows it",
  "final-dot": "the name is meant in full, although its final dot is missing",
  "srv-numbers": "no priority or weight was given; 0 is usual for the only server",
  "domain-doubled": "the domain stood there twice",
  "host-form": "the page writes the host in its own way; this is the name it means",
  "host-empty": "an empty host field means the domain itself",
  "host-assumed": "the page names no host, and this is where such a record goes",
  "type-spf": "an SPF record is published as a TXT record",
  "example-left-out": "the page shows it as an example only",
  "left-alone": "the page says to keep what is there",
  "found-left-out": "the page shows it as what is there now",
  "struck-out": "the page shows it struck through",
};

export const repairReason = ({ kind }: Pick<Repair, "kind">): string => REPAIRS[kind] ?? "copying from a page does this";

/** A name for people, where the text is one. */
const shownName = (text: string): string => {
  const read = parseName(text);
  return read.ok && text.endsWith(".") ? displayName(read.value) : visible(text);
};

/** What is asked where a paste can be understood in two ways. */
export function doubtText({ kind, about }: IntakeQuestion): string {
  const text = visible(about);
  switch (kind) {
    case "host-inside":
      return `Is the host “${text}” inside this domain, or is it a name elsewhere?`;
    case "host-which":
      return `The host field reads “${text}”. Which name is meant?`;
    case "type":
      return `The page names no record type. Is “${text}” the target of an alias or a text?`;
    case "target":
      return `Is the target “${text}” a host of this domain?`;
    case "options":
      return "The page offers several ways, of which one is enough. Which one do you want?";
    case "readings":
      return "The paste can be read in two ways. Which one is right?";
  }
}

/** What a choice of such a question means. */
export function choiceText({ kind }: IntakeQuestion, { key, means }: IntakeQuestion["choices"][number]): string {
  if (kind === "type") return key === "CNAME" ? "a CNAME record that leads there" : "a TXT record with that text";
  if (kind === "host-inside" && key === "elsewhere") return `${visible(means)}, which cannot be saved for this domain`;
  if (kind === "options" && key === "tag") return `the tag “${visible(means)}” in the head of a page`;
  if (kind === "options" && key === "file") return `the file ${visible(means)}`;
  if (kind === "options" && key === "record") return `the DNS record: ${visible(means)}`;
  if (kind === "target" && key === "as-is") return "a name of its own";
  return shownName(means);
}

const NO_RECORD = {
  "example-only": {
    because: "the paste shows an example only",
    remedy: "copy the record with your own values from the service's page",
  },
  nothing: {
    because: "no record was found in the paste",
    remedy: "copy the table or text with type, host and value, or give them with --type, --host and --value",
  },
};

/** What is wrong with a text of the page, by its code: it is not shown in full, or is not what its field holds. */
const TEXT_PROBLEMS = {
  ellipsis: (text: string) => ({
    because: `the value “${text}” was shortened by the page`,
    remedy: "use the page's copy button, which copies all of it, and paste it again",
  }),
  hidden: (text: string) => ({
    because: `the page hides the value behind “${text}”`,
    remedy: "let the page show it, then copy it again",
  }),
  placeholder: (text: string) => ({
    because: `“${text}” is a blank that the page leaves to you`,
    remedy: "fill in what the service gave you, then paste it again",
  }),
  picture: (text: string) => ({
    because: `the page shows “${text}” as a picture, and pictures cannot be copied`,
    remedy: "type the value with --type, --host and --value",
  }),
  words: (text: string) => ({
    because: `“${text}” describes a value and is none`,
    remedy: "find the value on the service's page; where these words are the value itself, give them with --value",
  }),
  "no-host": (text: string) => ({
    because: `the page names no host for the ${text} record`,
    remedy: "find the host on the page, and give it with --type, --host and --value",
  }),
  "not-a-type": (text: string) => ({
    because: `“${text}” is not a record type`,
    remedy: "ask the service for a TXT, CNAME or A record",
  }),
  "priority-invalid": (text: string) => ({
    because: `the priority “${text}” is not a number`,
    remedy: "mail servers are tried from the lowest number up; 10 is usual for the only one",
  }),
  "ttl-invalid": (text: string) => ({
    because: `the TTL “${text}” is not a length of time`,
    remedy: "look what the page says, and give it as seconds or like 1h; where it says nothing clear, leave it out",
  }),
  "no-port": (text: string) => ({
    because: `the SRV record that leads to ${text} has no port, so that nobody would know where to connect`,
    remedy: "look which port the page names, and paste it too, or give the value as PRIORITY WEIGHT PORT TARGET with --value",
  }),
};

/** What no page asks for. */
const READ_WRONG: Readonly<Record<Extract<IntakeProblem, { code: "read-wrong" }>["why"], string>> = {
  "two-aliases": "two aliases with different targets were read for it, and a name has one",
  "value-is-domain": "the name of the domain itself was read as its text",
  "value-is-label": "a caption of the page was read as its text",
  "alias-of-domain": "an alias was read for the domain itself, where none can be",
};

const readWrong = ({ type, name, why }: Extract<IntakeProblem, { code: "read-wrong" }>) => ({
  because: `the ${type} record for ${displayName(name)} cannot be meant: ${READ_WRONG[why]}`,
  remedy: "see with --explain how the page was read, and give the record with --type, --host and --value",
});

/** Why a record of a paste cannot be saved, and what to do about it. */
export function problemText(problem: IntakeProblem): { readonly because: string; readonly remedy: string } {
  const again = "copy it in full from the service's page and paste it again";
  switch (problem.code) {
    case "ellipsis":
    case "hidden":
    case "placeholder":
    case "picture":
    case "words":
    case "no-port":
    case "no-host":
    case "not-a-type":
    case "priority-invalid":
    case "ttl-invalid":
      return TEXT_PROBLEMS[problem.code](visible(problem.text));
    case "host-invalid":
      return { because: `the host “${visible(problem.host)}” is not a name`, remedy: "check it against what the service shows" };
    case "mixed-script":
      return {
        because: `the host “${visible(problem.host)}” mixes letters of two alphabets that look alike`,
        remedy: "type it by hand, then paste the rest again",
      };
    case "other-domain":
      return {
        because: `the host ${visible(problem.host)} is not part of this domain`,
        remedy: "save the record for the domain it belongs to, with --domain",
      };
    case "verifies-other-domain":
      return {
        because: `the page is about ${visible(problem.domain)}, another domain than the one this would be saved for`,
        remedy: `name the right one with --domain ${visible(problem.domain)}`,
      };
    case "no-value":
      return {
        because: `the ${problem.type === "" ? "record" : `${visible(problem.type)} record`}${problem.host === "" ? "" : ` for “${visible(problem.host)}”`} has no value`,
        remedy: again,
      };
    case "number-differs":
      return {
        because: `the field ${problem.field} says ${visible(problem.given)}, and the value begins with ${visible(problem.found)}`,
        remedy: "find out which of the two the service means, and leave the other one out",
      };
    case "value-invalid":
      return {
        because: `the value of the ${problem.type} record for ${displayName(problem.name)} cannot be right: found “${visible(problem.found)}”, expected ${inWords(problem.expected)}`,
        remedy: again,
      };
    case "key-broken":
      return {
        because: `the DKIM key (the public part of a mail signature) for ${displayName(problem.name)} is not complete: ${visible(inWords(problem.why))}`,
        remedy: again,
      };
    case "policy-broken":
      return {
        because: `the ${problem.standard} record for ${displayName(problem.name)} would not be taken by receivers: ${visible(inWords(problem.why))}${problem.meant === undefined ? "" : `; perhaps “${visible(problem.meant)}” is meant`}`,
        remedy: "check it on the service's page, and give it as it has to be with --type, --host and --value",
      };
    case "read-wrong":
      return readWrong(problem);
    case "too-many-lines":
      return {
        because: `the paste has ${problem.lines} lines, more than any service's page`,
        remedy: "copy only the part that shows the records",
      };
    case "example-only":
    case "nothing":
      return NO_RECORD[problem.code];
  }
}

/** The layout a paste was read from, for people. */
export const layoutText = (layout: Layout | { readonly kit: string } | undefined): string =>
  layout === undefined ? "nothing" : typeof layout === "string" ? layout : `kit ${layout.kit}`;

/** A question to the person at the terminal: the text, what can be answered, and what Enter means. */
export interface Prompt {
  readonly text: string;
  readonly choices: readonly { readonly key: string; readonly label: string }[];
  readonly usual?: string;
}

const labelled = ({ key, title }: { readonly key: string; readonly title: string }) => ({ key, label: visible(title) });

const PROMPTS: {
  readonly [K in PersonQuestion["kind"]]: (question: Extract<PersonQuestion, { readonly kind: K }>, shown: string) => Prompt;
} = {
  "paste-doubt": (question) => ({
    text: doubtText(question.question),
    choices: question.question.choices.map((choice) => ({ key: choice.key, label: choiceText(question.question, choice) })),
  }),
  "replace-older": ({ older }) => ({
    text: `This looks like a newer ${listOf(older)}. Put it in the place of the old one, whose records go when it is published?`,
    choices: [
      { key: "yes", label: "yes, in its place" },
      { key: "no", label: "no, keep both" },
    ],
  }),
  "save-paste": (_, shown) => ({
    text: `${shown}Is this right?`,
    choices: [
      { key: "yes", label: "save it" },
      { key: "edit", label: "change a field first" },
      { key: "no", label: "save nothing" },
    ],
    usual: "yes",
  }),
  "which-domain": (question) => ({
    text: "Which domain is it for?",
    choices: question.domains.map((domain) => ({ key: withoutRootDot(domain), label: displayName(domain) })),
  }),
  "which-ask": (question) => ({ text: "Which ask is it about?", choices: question.asks.map((key) => ({ key, label: "" })) }),
  "change-host": (question) => ({
    text: `${displayName(question.domain)} has moved. Should its file name ${question.host} as the DNS host from now on?`,
    choices: [
      { key: "yes", label: "change the file" },
      { key: "no", label: "leave it" },
    ],
    usual: "yes",
  }),
  "kit-changed": (question) => ({
    text: `The kit ${visible(question.name)} changed since it was agreed to:\n${(question.changes.length === 0 ? ["the order of its lines"] : question.changes).map((line) => `  ${visible(line)}\n`).join("")}Use it as it is now?`,
    choices: [
      { key: "yes", label: "use it" },
      { key: "no", label: "save nothing" },
    ],
    usual: "no",
  }),
  "kit-unsaid": (question) => ({
    text: `The template ${visible(question.kit)} has parts that no record can say:\n${question.unsaid.map((part) => `  ${unsaidText(part)}\n`).join("")}Save the rest?`,
    choices: [
      { key: "yes", label: "save the rest" },
      { key: "no", label: "save nothing" },
    ],
    usual: "no",
  }),
  undo: (_, shown) => ({
    text: `${shown === "" ? "" : `This is taken back:\n${shown}`}Is that right?`,
    choices: [
      { key: "yes", label: "take it back" },
      { key: "no", label: "change nothing" },
    ],
    usual: "no",
  }),
  "write-host": (question) => ({
    text: question.known
      ? `${visible(question.title)} takes approvals: its page opens, and you click once. Publish there like that from now on, and not by hand?`
      : `Write ${visible(question.title)} into zandrel.yaml${question.way === "approval" ? ", to be published by approval in the browser" : ", to be published by hand"}?`,
    choices: [
      { key: "yes", label: question.known ? "by approval" : "write it" },
      { key: "no", label: question.known ? "by hand, as before" : "change nothing" },
    ],
    usual: question.known ? "no" : "yes",
  }),
  "which-way": () => ({
    text: "How are records published there?",
    choices: [
      { key: "by-hand", label: "you fill in its form, from a sheet that Zandrel writes" },
      { key: "zone-file", label: "Zandrel edits a zone file" },
      { key: "update", label: "Zandrel sends signed updates (RFC 2136)" },
      { key: "helper", label: "a small program of yours talks to the host" },
      { key: "approval", label: "you approve it once on a page of the host, where it offers that" },
    ],
    usual: "by-hand",
  }),
  "which-known-service": ({ known }) => ({ text: "Which service is it about?", choices: known.map(labelled) }),
  "which-service": ({ known, guess }) => ({
    text: "Which service is it from?",
    choices: [...known.map(labelled), { key: ANOTHER_SERVICE, label: "a service that is not in zandrel.yaml yet" }],
    ...(guess === undefined ? {} : { usual: guess }),
  }),
  "which-purpose": (question) => {
    const records = question.records.map(
      ({ name, type, data }) => `${displayName(name)} ${type} ${visible(printData(type, data))}`,
    );
    return {
      text: `What is ${listOf(records)} for? The page does not say.`,
      choices: [
        { key: "ownership", label: "proves that the domain is yours" },
        { key: "site", label: "leads visitors to a site or an API" },
        { key: "certificate", label: "lets a certificate be issued" },
        { key: "tracking", label: "counts opens and clicks of mail" },
        { key: "bounce", label: "takes mail that comes back" },
      ],
      usual: question.guess,
    };
  },
};

/** The words of a question; `save-paste` shows what was understood, made by the caller. */
export const promptFor = <Q extends PersonQuestion>(question: Q, shown: string): Prompt =>
  (PROMPTS[question.kind] as (question: Q, shown: string) => Prompt)(question, shown);
