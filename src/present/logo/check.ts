import type { LogoCheckResult } from "../../app/logo/check.ts";
import { displayName, withoutRootDot } from "../../core/name/index.ts";
import { inWords } from "../clauses/index.ts";
import { dayText, visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";

const TITLE: Readonly<Record<LogoCheckResult["checks"][number]["id"], string>> = {
  policy: "DMARC policy",
  subdomains: "subdomains",
  percent: "all mail",
  record: "record (BIMI)",
  address: "address",
  drawing: "drawing",
  evidence: "evidence",
};

/** What to do about the first thing that is in the way. */
function nextOf({ checks, domain, selector }: LogoCheckResult): { readonly words?: string; readonly command?: string } {
  const plain = withoutRootDot(domain);
  const first = checks.find(({ verdict }) => verdict === "broken") ?? checks.find(({ verdict }) => verdict === "unknown");
  if (first === undefined)
    return { words: "Nothing is left to do here: each mailbox provider decides for itself when it begins to show it." };
  if (first.verdict === "unknown") return { words: "What could not be asked has to be looked at again." };
  switch (first.id) {
    case "policy":
    case "subdomains":
    case "percent":
      return { command: `zandrel dmarc advise ${plain}` };
    case "record":
      return {
        words: `Make the drawing ready, with your address in place of the words in capitals, and save its record: zandrel logo prepare logo.svg --address https://www.YOUR-SITE/logo.svg --domain ${plain} --write`,
      };
    case "drawing":
      return { command: "zandrel logo prepare logo.svg --html logo.html" };
    case "address":
      return { words: "Ask those who run the web server to put right what is marked above, then look again." };
    case "evidence":
      return {
        words: `Ask the issuer of the evidence for a document that fits ${selector}._bimi.${plain}, or leave a= empty until there is one.`,
      };
  }
}

/** The result of {@link logoCheck} for people. */
export function logoCheckText(result: LogoCheckResult, { style, width }: Layout): string {
  const { domain, shown, record, checks, ends, at } = result;
  const mark = {
    met: style.good("✓"),
    broken: style.bad("✗"),
    unknown: style.careful("?"),
    skipped: style.quiet("–"),
  } as const;
  const lines = checks.flatMap(({ id, verdict, because, offences }) => [
    `  ${mark[verdict]} ${TITLE[id].padEnd(13)}  ${wrap(visible(inWords(because)), width - 19, " ".repeat(19))}`,
    ...offences.map(
      (one) =>
        `      ${wrap(`${one.line === null ? "" : `line ${one.line}: `}${visible(inWords(one.because))}`, width - 6, "        ")}`,
    ),
  ]);
  const verdict = {
    yes: style.good("Nothing is in the way of the logo that can be looked at from here."),
    no: style.bad("Mailbox providers do not show the logo today."),
    unknown: style.careful("It cannot be said whether the logo is shown."),
  }[shown];
  const next = nextOf(result);
  return [
    `${style.title(displayName(domain))}  ${verdict}`,
    ...(record === null ? [] : [style.quiet(wrap(`  ${visible(record)}`, width, "  "))]),
    "",
    ...lines,
    "",
    ...ends
      .filter(({ until }) => until > at)
      .map(
        ({ what, until }) =>
          `The ${what === "certificate" ? "web server's certificate" : "evidence"} is good until ${dayText(Math.floor(until / 86_400_000))}.`,
      ),
    next.command === undefined ? wrap(next.words ?? "", width) : `Next: ${style.command(next.command)}`,
    "",
  ].join("\n");
}
