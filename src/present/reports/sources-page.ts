import type { ReportSourcesResult } from "../../app/reports/sources.ts";
import { displayName } from "../../core/name/index.ts";
import { dayText } from "../index.ts";
import { page } from "../page.ts";
import { html } from "../sheet.ts";
import { sourceLabel } from "../source-names.ts";
import { byOrigin, bySource, byVerdict } from "./source-charts.ts";
import { WHY } from "./sources.ts";

/** The numbers behind the charts, source by source. */
function sourcesTable({ sources }: ReportSourcesResult): string {
  const rows = sources.map((source) => {
    const why = Object.entries(source.reasons)
      .filter(([, count]) => count > 0)
      .map(([reason, count]) => `${count.toLocaleString("en")} ${WHY[reason as keyof typeof WHY]}`);
    return `<tr><th scope="row">${html(sourceLabel(source))}</th><td class="number">${source.messages.toLocaleString("en")}</td><td class="number">${source.aligned.toLocaleString("en")}</td><td>${html(source.blocks.slice(0, 3).join(", "))}</td><td>${html(why.join("; ") || "all proven")}</td></tr>`;
  });
  return `<div class="wide"><table><thead><tr><th scope="col">Source</th><th scope="col" class="number">Messages</th><th scope="col" class="number">Proven</th><th scope="col">From</th><th scope="col">Why not proven</th></tr></thead><tbody>
${rows.join("\n")}
</tbody></table></div>`;
}

/** How much mail was seen, and from when to when, in one sentence. */
export const sourcesLead = ({ from, to, reports, receivers, messages, aligned }: ReportSourcesResult): string =>
  `${dayText(from)} to ${dayText(to)}, from ${reports} ${reports === 1 ? "report" : "reports"} by ${receivers} ${receivers === 1 ? "receiver" : "receivers"}: ${messages.toLocaleString("en")} messages, ${aligned.toLocaleString("en")} of them proven to be yours.`;

/** One self-contained page about who sends as a domain: charts, and the same numbers as a table. */
export const sourcesPage = (sources: ReportSourcesResult): string =>
  page({
    title: `Who sends as ${displayName(sources.domain)}`,
    body: `<p class="lead">${html(sourcesLead(sources))}</p>
<h2>Messages by week, proven or not</h2>
<figure>${byVerdict(sources)}</figure>
<h2>Messages by week, by source</h2>
<figure>${byOrigin(sources)}</figure>
<h2>Share proven, by source</h2>
<figure>${bySource(sources)}</figure>
<h2>The numbers</h2>
${sourcesTable(sources)}`,
  });
