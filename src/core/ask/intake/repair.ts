import { decodeHTMLStrict } from "entities";

/** Something in the paste that was put right, and why. */
export interface Repair {
  readonly kind: string;
  readonly was: string;
  readonly is: string;
  readonly because: string;
}

/** One thing that goes wrong on the way from a page into a form: what it looks like, and what it should have been. */
interface Rule {
  readonly kind: string;
  readonly because: string;
  readonly apply: (text: string) => string;
}

const clean: readonly Rule[] = [
  {
    kind: "html-entity",
    because: "the page's markup came along",
    apply: decodeHTMLStrict,
  },
  {
    kind: "invisible-characters",
    because: "characters without width came along from the page",
    apply: (text) => text.replace(/[\u00ad\u200b-\u200f\u2060\ufeff]/g, ""),
  },
  {
    kind: "odd-blanks",
    because: "the page used non-breaking spaces",
    apply: (text) => text.replace(/[\u00a0\u2000-\u200a\u202f\u3000]/g, " "),
  },
];

const typographic: Rule = {
  kind: "typographic-quotes",
  because: "a text editor turned straight quotation marks into typographic ones",
  apply: (text) => text.replace(/[“”„‟]/g, '"').replace(/[‘’‚‛]/g, "'"),
};

const codeMarks: Rule = {
  kind: "code-marks",
  because: "marks for code came along",
  apply: (text) => text.replace(/^`+|`+$/g, ""),
};

/** Applies the rules one after the other and says which of them changed anything. */
function applyRules(text: string, rules: readonly Rule[]): { text: string; repairs: Repair[] } {
  const repairs: Repair[] = [];
  let now = text;
  for (const { kind, because, apply } of rules) {
    const next = apply(now);
    if (next !== now) repairs.push({ kind, was: now, is: next, because });
    now = next;
  }
  return { text: now, repairs };
}

/** Puts right what copying from a page does to any text. */
export const repairText = (text: string) => applyRules(text, clean);

/** The text of a TXT value: out of its quotes, its strings joined, unwrapped. */
export function repairTxt(value: string): { text: string; repairs: Repair[] } {
  return applyRules(value, [
    codeMarks,
    typographic,
    {
      kind: "wrapped",
      because: "the value was wrapped over several lines on the page",
      apply: (text) =>
        /["']\s*\n\s*["']/.test(text)
          ? text.replace(/\n/g, " ")
          : text
              .split("\n")
              .map((line) => line.trim())
              .filter((line) => line !== "")
              .join(/^v=(spf1|DMARC1)/i.test(text) ? " " : ""),
    },
    {
      kind: "quotes",
      because: "the quotation marks mark where the value begins and ends and are not part of it",
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
    { kind: "quotes", because: "a name is written without quotation marks", apply: (text) => text.replace(/^["']|["']$/g, "") },
    {
      kind: "scheme",
      because: "a record holds a name, not the address of a page",
      apply: (text) => text.replace(/^[a-z][a-z0-9+.-]*:\/\//i, ""),
    },
    {
      kind: "path",
      because: "a record holds a name; what follows it belongs to the page's address",
      apply: (text) => text.replace(/[/?#].*$/s, ""),
    },
    {
      kind: "port",
      because: "a record holds a name without a port",
      apply: (text) => (/^[^:]+:\d+$/.test(text) ? text.replace(/:\d+$/, "") : text),
    },
  ]);
}
