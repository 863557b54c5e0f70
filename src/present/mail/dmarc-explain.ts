import type { DmarcExplainResult } from "../../app/mail/dmarc-explain.ts";
import { displayName, withoutRootDot } from "../../core/name/index.ts";
import { inWords } from "../clauses/index.ts";
import { columns, sentence, visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";

const HAPPENS = { none: "delivered", quarantine: "junk folder", reject: "refused" } as const;

/** A record with a mark under the character a mistake is at. */
export function pointed(record: string, list: DmarcExplainResult["mistakes"], width: number): string[] {
  return list.flatMap(({ at, message, meant }) => {
    const from = Math.max(0, Math.min(at - 20, record.length - (width - 4)));
    return [
      `  ${visible(record.slice(from, from + width - 4))}`,
      `  ${" ".repeat(Math.max(0, at - from))}^ ${visible(inWords(message))}${meant === null ? "" : `; did you mean ${visible(meant)}?`}`,
    ];
  });
}

/** What to do about a policy, as a command that runs as it stands or a sentence. */
function nextOf({ domain, at, asked, mistakes }: DmarcExplainResult, style: Layout["style"]): string {
  if (!asked)
    return "Nothing is known about the policy until it can be asked for. Next: try again, or ask another resolver with --resolver.";
  if (domain === null)
    return mistakes.length > 0
      ? "Next: correct it where it is marked, and run the command again."
      : "Next: compare it with what is published: zandrel dmarc explain DOMAIN (your domain in its place).";
  const own = withoutRootDot(domain);
  return `Next: ${style.command(at === null || mistakes.length > 0 ? `zandrel dmarc compose ${own} --reports-to dmarc@${own}` : `zandrel audit ${own}`)}`;
}

/** The result of {@link dmarcExplain} for people. */
export function dmarcExplainText(shown: DmarcExplainResult, { style, width }: Layout): string {
  const { domain, record, at, because, words, difference, destinations } = shown;
  const whose = at !== null && at !== domain ? ` (the record of ${displayName(at)} counts)` : "";
  const rows = shown.scenarios.map((scenario) => [
    scenario.kind === "domain"
      ? `From ${displayName(scenario.from)}`
      : scenario.kind === "subdomain"
        ? "From one of its subdomains"
        : "From a subdomain that does not exist",
    scenario.tag === null ? "no policy" : `${scenario.tag}=${scenario.policy}`,
    scenario.kind === "made-up" ? "there is no real mail" : "delivered",
    scenario.kind === "made-up" ? "" : HAPPENS[scenario.unaligned],
    HAPPENS[scenario.forged],
  ]);
  const table =
    shown.scenarios.length === 0 || at === null
      ? []
      : [
          "",
          ...columns([["", "policy", "proven to be yours", "yours, but not proven", "forged"], ...rows], (cell, _, row) =>
            row === 0 ? style.quiet(cell) : cell,
          ),
        ];
  return [
    ...(domain === null ? [] : [style.title(`DMARC of ${displayName(domain)}${whose}`)]),
    ...(record === null ? [] : [style.quiet(wrap(visible(record), width))]),
    ...(because === null ? [] : [style.bad(wrap(sentence(visible(inWords(because))), width))]),
    ...(record === null ? [] : pointed(record, shown.mistakes, width).map((line) => style.careful(line))),
    ...words.map((line) => wrap(visible(inWords(line)), width)),
    ...table,
    ...(difference === null ? [] : ["", style.careful(wrap(`Receivers differ: ${visible(inWords(difference))}.`, width))]),
    ...destinations
      .filter((candidate) => candidate.permission === "missing" || candidate.permission === "unknown")
      .map(({ destination, permission }) =>
        style.bad(
          wrap(
            permission === "missing"
              ? `Reports to ${displayName(destination)} are not sent: that domain has not agreed to take them (see zandrel dmarc compose).`
              : `Whether ${displayName(destination)} takes reports could not be asked.`,
            width,
          ),
        ),
      ),
    "",
    nextOf(shown, style),
    "",
  ].join("\n");
}
