import type { SpfExplainResult } from "../../app/mail/spf-explain.ts";
import { displayName, parseName } from "../../core/name/index.ts";
import { MAX_LOOKUPS } from "../../core/spf/index.ts";
import { inWords } from "../clauses/index.ts";
import { columns, count, type Style, visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";
import { pointed } from "./dmarc-explain.ts";

/** Blocks named in full behind a branch; of more only the number is said. */
const MAX_BLOCKS = 4;

export function presentTree(shown: SpfExplainResult, style: Style, width: number): string {
  const { record, problem, mistakes, lookups, addresses, unresolved, everybody, error, branches } = shown;
  const lines = record === null ? [] : [style.quiet(wrap(visible(record), width))];
  const wrong = problem === null ? "" : visible(inWords(problem));
  if (problem !== null) lines.push(style.bad(wrap(`${wrong[0]?.toUpperCase() ?? ""}${wrong.slice(1)}.`, width)));
  if (record !== null) lines.push(...pointed(record, mistakes, width).map((line) => style.careful(line)));
  if (branches.length === 0) return `${lines.join("\n")}\n`;
  const rows = branches.map((branch) => {
    const blocks =
      branch.addresses.length > MAX_BLOCKS || branch.text.match(/^[+?~-]?ip[46]:/i)
        ? branch.addresses.length > MAX_BLOCKS
          ? count(branch.addresses.length, "block")
          : ""
        : branch.addresses.map((block) => block.slice(4)).join(", ");
    return [
      branch.lookups === 0 ? "" : String(branch.lookups),
      `${"  ".repeat(branch.depth)}${visible(inWords(branch.words))}`,
      visible(branch.text),
      blocks,
    ];
  });
  lines.push(
    "",
    ...columns([["cost", "who", "term", "addresses today"], ...rows], (cell, _, row) =>
      row === 0 ? style.quiet(cell) : cell,
    ).map((line) => line.trimEnd()),
    "",
  );
  for (const branch of branches) {
    const term = visible(branch.text);
    if (branch.ineffective !== null)
      lines.push(style.careful(wrap(`· ${term} does nothing: ${visible(inWords(branch.ineffective.because))}.`, width, "  ")));
    else if (branch.problem !== null) lines.push(style.bad(wrap(`! ${term}: ${visible(inWords(branch.problem))}.`, width, "  ")));
    for (const risk of branch.risks) lines.push(style.bad(wrap(`! ${term}: ${visible(inWords(risk.because))}.`, width, "  ")));
  }
  const cost = `${unresolved.length > 0 ? "At least " : ""}${count(lookups, "lookup")} of at most ${MAX_LOOKUPS}`;
  lines.push(lookups > MAX_LOOKUPS ? style.bad(`${cost}.`) : `${cost}.`);
  if (error !== null)
    lines.push(
      style.bad(
        wrap(
          `Receivers that come to ${visible(error.term)} treat the whole record as an error: ${visible(inWords(error.because))}. Only senders that a term in front of it lets in still pass.`,
          width,
        ),
      ),
    );
  if (everybody) {
    lines.push(style.bad("Everybody in the world may send as this domain."));
    return `${lines.join("\n")}\n`;
  }
  const six =
    addresses.ipv6 === "0"
      ? ""
      : addresses.ipv6.length > 9
        ? " and very many IPv6 addresses"
        : ` and ${count(Number(addresses.ipv6), "IPv6 address", "IPv6 addresses")}`;
  lines.push(
    `${count(addresses.ipv4, "IPv4 address", "IPv4 addresses").replace(/^\d+/, (digits) => Number(digits).toLocaleString("en"))}${six} may send today.`,
  );
  return `${lines.join("\n")}\n`;
}

/** What to do about a record, as a command that runs as it stands or a sentence. */
function nextOf({ domain, record, problem, mistakes, error, unresolved }: SpfExplainResult, style: Style): string {
  if (domain === null)
    return problem !== null || mistakes.length > 0
      ? "Next: correct it where it is marked, and run the command again."
      : "Next: compare it with what is published: zandrel spf explain DOMAIN (your domain in its place).";
  const own = domain.replace(/\.$/, "");
  if (record === null)
    return `Next: save what each service asks for with ${style.command("zandrel intake")}; a record is made of all of it.`;
  if (problem === null && error === null && unresolved.length > 0) return "Next: run it again when the name servers answer.";
  return `Next: ${style.command(problem === null && error !== null ? `zandrel spf combine ${own}` : `zandrel audit ${own}`)}`;
}

/** The result of {@link spfExplain} for people. */
export function spfExplainText(shown: SpfExplainResult, { style, width }: Layout): string {
  const parsed = shown.domain === null ? undefined : parseName(shown.domain);
  const title = parsed?.ok ? `${style.title(`SPF of ${displayName(parsed.value)}`)}\n` : "";
  return `${title}${presentTree(shown, style, width)}\n${nextOf(shown, style)}\n`;
}
