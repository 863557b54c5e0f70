import { type DomainName, isAtOrBelow, parseName } from "../../../name/index.ts";
import { type Line, looksLikeName, type Paste, type Span } from "../paste.ts";
import { fits, looksLikeHost, type Reader, type Reading } from "../reading.ts";
import { isTypeWord, SAYS } from "../words.ts";
import { SENTENCE, typesIn } from "./context.ts";

/** A word of a line, or several in quotation marks, with its place. */
interface Token {
  readonly text: string;
  readonly from: number;
  readonly to: number;
}

/** Lines with more words are not lines about one record. */
const MAX_WORDS = 60;

/** A policy or key that goes on to the end of its line or its quotation marks. */
const POLICY = /v=(?:spf1|DKIM1|DMARC1)\b[^"“”`\n]*/i;

function tokensOf(text: string): Token[] {
  const tokens: Token[] = [];
  let rest = text;
  const policy = POLICY.exec(text);
  if (policy !== null) {
    const value = policy[0].replace(/[\s)]+$/, "").replace(/(?<=all)\.$/, "");
    tokens.push({ text: value, from: policy.index, to: policy.index + value.length });
    rest = `${text.slice(0, policy.index)}${" ".repeat(value.length)}${text.slice(policy.index + value.length)}`;
  }
  for (const match of rest.matchAll(/[“"`']([^“”"`']{1,400})[”"`']|[^\s,;()|→⟶➔⇒"“”`]+/g)) {
    const word = match[1] ?? match[0].replace(/[.:!?]+$/, "").replace(/^[.]+/, "");
    if (word === "" || /^(?:->|=>|-->|–|—|-)$/.test(word)) continue;
    const from = match.index + match[0].indexOf(word);
    tokens.push({ text: word, from, to: from + word.length });
  }
  return tokens.sort((a, b) => a.from - b.from);
}

/** Words for the domain itself in a sentence. */
const ROOT = /\b(?:at|for|on|to|of|in) (?:the |your )?(?:root|apex|bare domain|naked domain|root domain)\b/i;

/**
 * Lines and sentences in which the order of words says nothing and need not: one record type, one value that fits it and
 * nothing else that would, one host that can be nothing else.
 */
export const readWords =
  (domain: DomainName): Reader =>
  ({ lines }: Paste, free) =>
    lines.flatMap((line): Reading[] => {
      if (!free(line.index) || line.text.length > 2000) return [];
      let from = 0;
      return line.text.split(SENTENCE).flatMap((sentence) => {
        const at = line.text.indexOf(sentence, from);
        from = at + sentence.length;
        return readingOf(line, at, sentence, domain) ?? [];
      });
    });

function readingOf(line: Line, at: number, sentence: string, domain: DomainName): Reading | undefined {
  const tokens = tokensOf(sentence);
  if (tokens.length < 2 || tokens.length > MAX_WORDS) return undefined;
  const span = ({ from, to }: Token): Span => ({ line: line.index, from: at + from, to: at + to });
  const types = typesIn(sentence);
  const priority = /\b(?:priority|prio|preference)\b\D{0,3}(\d{1,5})\b/i.exec(sentence)?.[1];
  const policy = tokens.find(({ text }) => /^v=(?:spf1|DMARC1)/i.test(text));
  const bareA = types.size === 0 && tokens.some(({ text }) => text === "A") && tokens.some(({ text }) => fits("A", text) === 2);
  const type = bareA
    ? "A"
    : types.size === 1
      ? ([...types][0] as string)
      : types.size === 0 && policy !== undefined
        ? "TXT"
        : types.size === 0 && priority !== undefined
          ? "MX"
          : undefined;
  if (type === undefined) return undefined;
  const typeTokens = tokens.filter(({ text }) => text.toUpperCase() === type);
  const others = tokens.filter(
    (token) =>
      !typeTokens.includes(token) &&
      !/^(?:IN|records?|SPF|DKIM|DMARC|priority|prio|preference|value|host|name|type)$/i.test(token.text) &&
      !/^\d{1,9}$/.test(token.text),
  );
  const isOwn = (text: string) => {
    const read = looksLikeName(text) ? parseName(`${text.replace(/\.$/, "")}.`) : undefined;
    return read?.ok === true && isAtOrBelow(read.value, domain);
  };
  const values = others.filter(({ text }) => !isOwn(text) && !isSureHost(text) && fits(type, text) === 2);
  const [value] = values;
  if (value === undefined || values.length > 1) return undefined;
  const sure = others.filter((token) => token !== value && (isOwn(token.text) || isSureHost(token.text)));
  // In a line of three words the one that is left is the host.
  const left = others.filter((token) => token !== value);
  const hosts =
    sure.length > 0
      ? sure
      : left.length === 1 && tokens.length <= 6 && looksLikeHost((left[0] as Token).text) && !isTypeWord((left[0] as Token).text)
        ? left
        : [];
  // The name of the domain beside a host only says where the host belongs.
  const named =
    hosts.length > 1
      ? hosts.filter(
          ({ text }) =>
            parseName(`${text.replace(/\.$/, "")}.`, domain).ok && text.replace(/\.$/, "").toLowerCase() !== domain.slice(0, -1),
        )
      : hosts;
  const [host] = named;
  if (named.length > 1) return undefined;
  const apex = host === undefined && (ROOT.test(sentence) || type === "MX" || policy !== undefined);
  if (host === undefined && !apex) return undefined;
  const at0 = host?.text ?? (policy !== undefined && /DMARC1/i.test(policy.text) ? "_dmarc" : "@");
  return {
    layout: "sentence",
    rows: [
      {
        line: line.index,
        ...(SAYS.remove.test(sentence) && !SAYS.add.test(sentence) ? { remove: true } : {}),
        fields: { type, host: at0, value: value.text, ...(priority === undefined || type !== "MX" ? {} : { priority }) },
      },
    ],
    spans: [...typeTokens, ...(host === undefined ? [] : [host]), value].map(span),
  };
}

/** A word that can only be a host: `@`, a wildcard, `www`, a label that begins with an underscore. */
const isSureHost = (text: string): boolean =>
  text === "@" ||
  text === "www" ||
  /^(?:\*\.)?_[a-z0-9_.-]+$/i.test(text) ||
  text === "*" ||
  /^\*\.[a-z0-9.-]+$/i.test(text) ||
  /^[a-z0-9-]+\._domainkey$/i.test(text);
