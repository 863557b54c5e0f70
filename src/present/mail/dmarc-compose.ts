import type { DmarcComposeResult } from "../../app/mail/dmarc-compose.ts";
import { dmarcName } from "../../core/ask/index.ts";
import { displayName, withoutRootDot } from "../../core/name/index.ts";
import { inWords } from "../clauses/index.ts";
import { visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";

/** The result of {@link dmarcCompose} for people. */
export function dmarcComposeText(
  { domain, record, line, words, before, foreign, obstacles, permissions, remarks, ask }: DmarcComposeResult,
  { style, width }: Layout,
): string {
  const own = withoutRootDot(domain);
  const list = [
    style.title(`DMARC record for ${displayName(domain)}`),
    ...(before === null ? [] : [`${style.removed("today")}  ${visible(before)}`]),
    `${style.added("new")}    ${visible(record)}`,
    ...words.map((word) => wrap(visible(inWords(word)), width)),
  ];
  for (const { because, wayOut } of obstacles)
    list.push(
      "",
      style.bad(wrap(`Not yet: ${visible(inWords(because))}.`, width)),
      wrap(`Option: ${visible(inWords(wayOut))}.`, width),
    );
  for (const permission of permissions)
    list.push(
      "",
      wrap(
        `The owner of ${displayName(permission.destination)} must publish this, so that receivers send reports there${permission.ask === null ? "; send it to them" : `; saved as ${permission.ask}`}:`,
        width,
      ),
      style.quiet(permission.line),
    );
  for (const remark of remarks) list.push(style.quiet(wrap(`Note: ${visible(inWords(remark))}.`, width)));
  if (obstacles.length === 0)
    list.push(
      "",
      ask === null
        ? wrap(
            `Publish it at ${withoutRootDot(dmarcName(domain))}, or run the command again with --write so that Zandrel does it.`,
            width,
          )
        : `${style.good("saved")} as ${ask}. Next: ${style.command(`zandrel draft ${own}${foreign ? ` --replace _dmarc.${own}` : ""}`)}`,
      style.quiet(line),
    );
  return `${list.join("\n")}\n`;
}
