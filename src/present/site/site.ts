import type { SiteResult } from "../../app/site/site.ts";
import { displayName, withoutRootDot } from "../../core/name/index.ts";
import { inWords } from "../clauses/index.ts";
import { count, visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";

/** The result of {@link site} for people. */
export function siteText({ domains }: SiteResult, { style, width }: Layout): string {
  const blocks = domains.map(({ domain, role, checks }) => {
    const lines = checks.map(({ met, because: clause, name: where, remedy }) => {
      const because = inWords(clause);
      const mark = met === true ? style.good("✓") : met === false ? style.bad("✗") : style.state("unknown", "?");
      const about = because.includes(where) ? "" : `${style.quiet(visible(where))}  `;
      return `  ${mark} ${about}${wrap(visible(because), width - 4, "    ")}${met === true ? "" : `\n    ${style.careful("do:")} ${wrap(visible(inWords(remedy)), width - 8, "        ")}`}`;
    });
    return `${style.title(displayName(domain))}  ${style.quiet(role)}\n${lines.join("\n")}`;
  });
  const open = domains.filter((one) => one.checks.some(({ met }) => met !== true)).map((one) => withoutRootDot(one.domain));
  const judged = domains.flatMap((one) => one.checks).length;
  const wrong = domains.flatMap((one) => one.checks).filter((candidate) => candidate.met !== true).length;
  return `${blocks.join("\n\n")}\n\n${judged === 0 ? "Nothing was judged: no domain of this workspace has a site." : wrong === 0 ? style.good("Every name leads where it should.") : `${count(wrong, "thing")} to look at. Next, once that is mended: ${style.command(`zandrel site ${open.join(" ")}`)}`}\n`;
}
