import type { Clause } from "../../clause/index.ts";
import { isDmarc } from "../../dmarc/index.ts";
import { isSpf } from "../../spf/index.ts";
import type { Facts } from "../facts.ts";
import { rule, when } from "../finding.ts";

const inState =
  (state: string) =>
  ({ asks }: Facts): { readonly id: string; readonly because: Clause }[] =>
    asks.filter((ask) => ask.state === state).map(({ id, because }) => ({ id, because }));

/** What is in front of the equals sign of a token, such as `seekmere-owner`. */
const kindOf = (text: string): string | undefined => /^([a-z0-9][a-z0-9._-]{2,40})=/i.exec(text)?.[1]?.toLowerCase();
const tokens = ({ texts }: Facts): string[] => texts.filter((text) => !isSpf(text) && !isDmarc(text));

export const ownership = {
  "ask-astray": rule("breaks", "RFC 1035 section 3.3.14", (facts) =>
    inState("astray")({ ...facts, asks: facts.asks.filter(({ isRefused }) => isRefused !== true) }),
  ),
  "ask-refused": rule("breaks", "RFC 4035 section 5.5", ({ asks }) =>
    asks.filter(({ isRefused }) => isRefused === true).map(({ id, because }) => ({ id, because })),
  ),
  "record-missed": rule("breaks", "RFC 2181 section 5", ({ missed = [] }) => missed.map((because) => ({ because }))),
  "ask-lapsed": rule("breaks", "RFC 1035 section 3.3.14", inState("lapsed")),
  "ask-clashing": rule("risks", "RFC 2181 section 10.1", inState("clashing")),
  "ask-open": rule("note", "RFC 1035 section 3.3.14", inState("noted")),
  "ask-waiting": rule("note", "RFC 1035 section 3.3.14", inState("waiting")),
  "token-twice": rule("untidy", "RFC 1035 section 3.3.14", (facts) => {
    const kinds = new Map<string, string[]>();
    for (const text of tokens(facts)) {
      const kind = kindOf(text);
      if (kind !== undefined) kinds.set(kind, [...(kinds.get(kind) ?? []), text]);
    }
    return [...kinds].flatMap(([kind, all]) => when(all.length > 1, { times: all.length, kind }));
  }),
  "token-unknown": rule("note", "RFC 1035 section 3.3.14", (facts) =>
    facts.asks.length === 0
      ? []
      : tokens(facts)
          .filter((text) => kindOf(text) !== undefined && !facts.wantedTexts.includes(text))
          .map((text) => ({ text })),
  ),
  "texts-large": rule("untidy", "RFC 7208 section 3.4", ({ txt, texts }) => {
    const octets = texts.reduce((sum, text) => sum + text.length + 14, 0);
    return when(txt.data.length > 0 && octets > 480, { texts: texts.length, octets });
  }),
  "text-quotes": rule("untidy", "RFC 1035 section 5.1", ({ texts }) =>
    texts.filter((text) => /^["“”„'].*["“”'].?$|\\"/.test(text)).map((text) => ({ text })),
  ),
  "text-spaces": rule("untidy", "RFC 1035 section 3.3.14", ({ texts }) =>
    texts.filter((text) => /^\s|\s$|[\x00-\x1f\x7f\u00a0\u200b-\u200f\u2028-\u202e\ufeff]/.test(text)).map((text) => ({ text })),
  ),
  "name-doubled": rule("risks", "RFC 1035 section 5.1", ({ doubled }) => doubled.map((name) => ({ name }))),
} as const;
