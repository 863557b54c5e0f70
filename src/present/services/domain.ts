import type { SenderDomainResult } from "../../app/services/domain.ts";
import { inWords } from "../clauses/index.ts";
import { visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";

/** The result of {@link senderDomain} for people. */
export function senderDomainText(
  { domain, service, title, state, signing, because, missing, next }: SenderDomainResult,
  { style, width }: Layout,
): string {
  const mark = state === "accepted" ? style.good("✓ accepted") : style.careful(`○ ${state}`);
  return [
    `${mark}  ${style.title(domain.slice(0, -1))} at ${visible(title)}${signing === null ? "" : `, signing is ${signing === "on" ? style.good("on") : style.bad("off")}`}`,
    `  ${wrap(visible(inWords(because)).replace(/\.?$/, "."), width - 2, "  ")}`,
    ...missing.map(
      (one) => `  ${style.careful(one.state)}  ${wrap(`${one.what}: ${visible(inWords(one.because))}`, width - 4, "    ")}`,
    ),
    `  next: ${style.command(next !== null ? inWords(next) : `zandrel sender credential ${service} --new mail --domain ${domain.slice(0, -1)}`)}`,
    "",
  ].join("\n");
}
