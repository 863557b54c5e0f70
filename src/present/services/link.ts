import type { SenderLinkResult } from "../../app/services/link.ts";
import { inWords } from "../clauses/index.ts";
import { visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";

/** The result of {@link senderLink} for people. */
export function senderLinkText({ service, link, offers, checks }: SenderLinkResult, { style, width }: Layout): string {
  const MARK = { met: style.good("✓"), broken: style.bad("✗"), unknown: style.careful("?") } as const;
  const broken = checks.filter((check) => check.verdict !== "met").length;
  return [
    style.title(`${visible(service ?? link)}${offers.length === 0 ? "" : ` offers ${visible(offers.join(", "))}`}`),
    ...checks.map(
      (check) =>
        `${MARK[check.verdict]} ${wrap(`${visible(inWords(check.what))}${inWords(check.because) === "" ? "" : `: ${visible(inWords(check.because))}`}`, width - 2, "  ")}`,
    ),
    broken === 0
      ? style.good(`All ${checks.length} hold.`)
      : `${broken} of ${checks.length} do not hold; docs/service-link.md says what is expected.`,
    "",
  ].join("\n");
}
