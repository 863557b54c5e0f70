import { decodeHTMLStrict } from "entities";
import { plainBlanks, straightQuotes, withoutInvisible } from "../../copying.ts";

/** Something in the paste that was put right, named by its kind. */
export interface Repair {
  readonly kind: string;
  readonly was: string;
  readonly is: string;
}

/** One thing that goes wrong on the way from a page into a form: what it looks like, and what it should have been. */
interface Rule {
  readonly kind: string;
  readonly apply: (text: string) => string;
}

const clean: readonly Rule[] = [
  {
    kind: "html-entity",
    apply: decodeHTMLStrict,
  },
  {
    kind: "invisible-characters",
    apply: withoutInvisible,
  },
  {
    kind: "odd-spaces",
    apply: plainBlanks,
  },
];

const typographic: Rule = {
  kind: "typographic-quotes",
  apply: straightQuotes,
};

/** Hyphens that cannot be typed, and dashes that a text editor made of one. */
const hyphens: Rule = {
  kind: "odd-hyphens",
  apply: (text) =>
    text.replace(/[\u2010\u2011]|(?<=\S)[\u2012-\u2014\u2212](?=\S)|(?<=^|\s)[\u2012-\u2014\u2212](?=all\b)/g, "-"),
};

const codeMarks: Rule = {
  kind: "code-marks",
  apply: (text) => text.replace(/^`+|`+$/g, ""),
};

/** What marked-up text leaves in cells: links, escaped underscores and stars, slanted words. */
const markdown: Rule = {
  kind: "code-marks",
  apply: (text) =>
    text
      .replace(/\[([^\]\n]{1,300})\]\((?:https?:\/\/|mailto:)[^)\s]{1,400}\)/g, "$1")
      .replace(/\\([_*~[\]])/g, "$1")
      .replace(/(?<=^|[\s|(])\*([^*\s][^*\n]{0,100})\*(?=[\s|).,;]|$)/gm, "$1"),
};

/** Applies the rules one after the other and says which of them changed anything. */
function applyRules(text: string, rules: readonly Rule[]): { text: string; repairs: Repair[] } {
  const repairs: Repair[] = [];
  let now = text;
  for (const { kind, apply } of rules) {
    const next = apply(now);
    if (next !== now) repairs.push({ kind, was: now, is: next });
    now = next;
  }
  return { text: now, repairs };
}

/** Puts right what copying from a page does to any text. */
export const repairText = (text: string): { text: string; repairs: Repair[] } => applyRules(text, [...clean, markdown]);

/** Puts quotation marks right that a text editor has made of those that are typed. */
export const repairQuotes = (text: string) => applyRules(text, [typographic]);

/** The text of a TXT value: out of its quotes, its strings joined, unwrapped. */
export function repairTxt(value: string): { text: string; repairs: Repair[] } {
  return applyRules(value, [
    codeMarks,
    typographic,
    hyphens,
    {
      kind: "wrapped",
      apply: (text) =>
        /["']\s*\n\s*["']/.test(text)
          ? text.replace(/\n/g, " ")
          : text
              .split("\n")
              .map((line) => line.trim())
              .filter((line) => line !== "")
              .reduce((all, line) => `${all}${/^["']?v=(?:spf1|DMARC1)/i.test(text) || all.endsWith(";") ? " " : ""}${line}`),
    },
    {
      kind: "quotes",
      apply(text) {
        const strings = /^"((?:[^"\\]|\\.)*)"(?:\s*"((?:[^"\\]|\\.)*)")*$/.test(text)
          ? [...text.matchAll(/"((?:[^"\\]|\\.)*)"/g)].map((match) => (match[1] as string).replace(/\\(["\\])/g, "$1"))
          : undefined;
        if (strings !== undefined) return strings.join("");
        return /^'[^']*'$/.test(text) ? text.slice(1, -1) : text;
      },
    },
  ]);
}

/** The name in a target field: without scheme, path, port and stray quotes. */
export function repairTarget(value: string): { text: string; repairs: Repair[] } {
  return applyRules(value, [
    codeMarks,
    typographic,
    hyphens,
    { kind: "quotes", apply: (text) => text.replace(/^["']|["']$/g, "") },
    {
      kind: "scheme",
      apply: (text) => text.replace(/^[a-z][a-z0-9+.-]*:\/\//i, ""),
    },
    {
      kind: "path",
      apply: (text) => text.replace(/[/?#].*$/s, ""),
    },
    {
      kind: "port",
      apply: (text) => (/^[^:]+:\d+$/.test(text) ? text.replace(/:\d+$/, "") : text),
    },
  ]);
}
