import { init } from "echarts";
import type { ReportSourcesResult } from "../../app/reports/sources.ts";
import { displayName } from "../../core/name/index.ts";
import { dayText } from "../index.ts";
import { WHY } from "./sources.ts";

type SourcesPage = ReportSourcesResult;

const html = (text: string): string =>
  text
    .replace(/[\x00-\x1f\x7f-\x9f\u202a-\u202e\u2066-\u2069]/g, "\ufffd")
    .replaceAll("&", "&amp;")
    .replaceAll("<", "&lt;")
    .replaceAll(">", "&gt;")
    .replaceAll('"', "&quot;");

/** Colours that people with any colour vision tell apart, and patterns for print; proven mail first. */
const PROVEN = { color: "#17697a", decal: { symbol: "none" } };
const OPEN = {
  color: "#b4661a",
  decal: { symbol: "rect", dashArrayX: [1, 0], dashArrayY: [2, 4], rotation: -Math.PI / 4, color: "rgba(0,0,0,0.45)" },
};

const MAX_BARS = 12;
const FONT = "system-ui, sans-serif";

/** A chart as SVG, drawn here, so that the page needs no script. */
function chart(height: number, option: object): string {
  const drawn = init(null, null, { renderer: "svg", ssr: true, width: 960, height });
  drawn.setOption({ animation: false, textStyle: { fontFamily: FONT, fontSize: 13 }, ...option });
  const svg = drawn.renderToSVGString();
  drawn.dispose();
  return svg;
}

const bars = (name: string, item: object, data: readonly number[]) => ({
  name,
  type: "bar",
  stack: "all",
  itemStyle: item,
  data,
  barMaxWidth: 46,
});
const LEGEND = {
  legend: { top: 0, left: 0, itemGap: 24, textStyle: { fontSize: 13 } },
  aria: { enabled: true, decal: { show: true } },
};

const titleOf = ({ title, ours }: SourcesPage["sources"][number]): string => (ours ? title : `unknown: ${title}`);

/** Every week there is, ascending. */
const weeksOf = ({ sources }: SourcesPage): number[] =>
  [...new Set(sources.flatMap((one) => one.weeks.map(({ week }) => week)))].sort();

/** Stacked bars, one a week; each series gives its number of messages for a week. */
function byWeek(
  weeks: readonly number[],
  series: readonly { readonly name: string; readonly item: object; of(week: number): number }[],
): string {
  return chart(320, {
    ...LEGEND,
    grid: { left: 70, right: 20, top: 40, bottom: 50 },
    xAxis: { type: "category", name: "week from", nameLocation: "middle", nameGap: 32, data: weeks.map(dayText) },
    yAxis: { type: "value", minInterval: 1 },
    series: series.map(({ name, item, of }) => bars(name, item, weeks.map(of))),
  });
}

type Week = SourcesPage["sources"][number]["weeks"][number];
const sumOf = (sources: SourcesPage["sources"], week: number, of: (one: Week) => number): number =>
  sources.reduce(
    (sum, source) => sum + source.weeks.filter((one) => one.week === week).reduce((all, one) => all + of(one), 0),
    0,
  );

const byVerdict = (page: SourcesPage): string =>
  byWeek(weeksOf(page), [
    { name: "proven to be yours", item: PROVEN, of: (week) => sumOf(page.sources, week, (one) => one.aligned) },
    { name: "not proven", item: OPEN, of: (week) => sumOf(page.sources, week, (one) => one.messages - one.aligned) },
  ]);

/** Colours that keep apart for any colour vision; the patterns are the chart's own. */
const PALETTE = ["#17697a", "#b4661a", "#5f3f86", "#a5345c", "#68701c", "#70748a"];

function byOrigin(page: SourcesPage): string {
  const named = page.sources.slice(0, PALETTE.length - 1);
  const rest = page.sources.slice(PALETTE.length - 1);
  const all = [
    ...named.map((one) => ({ name: titleOf(one), sources: [one] })),
    ...(rest.length === 0 ? [] : [{ name: `${rest.length} more`, sources: rest }]),
  ];
  return byWeek(
    weeksOf(page),
    all.map(({ name, sources }, i) => ({
      name,
      item: { color: PALETTE[i] },
      of: (week) => sumOf(sources, week, (one) => one.messages),
    })),
  );
}

/** Share of proven messages by source. */
function bySource({ sources }: SourcesPage): string {
  const shown = sources.slice(0, MAX_BARS).reverse();
  const share = (part: number, whole: number): number => (whole === 0 ? 0 : Math.round((part / whole) * 1000) / 10);
  return chart(90 + shown.length * 34, {
    ...LEGEND,
    grid: { left: 220, right: 30, top: 40, bottom: 40 },
    xAxis: { type: "value", max: 100, axisLabel: { formatter: "{value} %" } },
    yAxis: {
      type: "category",
      data: shown.map(titleOf),
      axisLabel: { width: 200, overflow: "truncate" },
    },
    series: [
      bars(
        "proven to be yours",
        PROVEN,
        shown.map((one) => share(one.aligned, one.messages)),
      ),
      bars(
        "not proven",
        OPEN,
        shown.map((one) => share(one.messages - one.aligned, one.messages)),
      ),
    ],
  });
}

/** One self-contained page about who sends as a domain: charts, and the same numbers as a table. */
export function sourcesPage(page: SourcesPage): string {
  const rows = page.sources.map((one) => {
    const why = Object.entries(one.reasons)
      .filter(([, count]) => count > 0)
      .map(([reason, count]) => `${count.toLocaleString("en")} ${WHY[reason as keyof typeof WHY]}`);
    return `<tr><th scope="row">${html(titleOf(one))}</th><td>${one.messages.toLocaleString("en")}</td><td>${one.aligned.toLocaleString("en")}</td><td>${html(one.blocks.slice(0, 3).join(", "))}</td><td>${html(why.join("; ") || "all proven")}</td></tr>`;
  });
  const title = `Who sends as ${displayName(page.domain)}`;
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>${html(title)}</title>
<style>
body { font: 16px/1.5 ${FONT}; color: #22263a; background: #fff; max-width: 980px; margin: 2rem auto; padding: 0 1rem; }
h1 { margin-bottom: 0; } h2 { margin-top: 2rem; } p { margin-top: .3rem; color: #51566b; }
svg { max-width: 100%; height: auto; }
table { border-collapse: collapse; width: 100%; font-size: .9rem; } th, td { text-align: left; padding: .35rem .6rem; border-bottom: 1px solid #d8d5df; vertical-align: top; } td:nth-child(2), td:nth-child(3) { text-align: right; white-space: nowrap; }
@media print { body { margin: 0; } h2, figure, tr { break-inside: avoid; } }
figure { margin: 0; }
</style>
</head>
<body>
<h1>${html(title)}</h1>
<p>${dayText(page.from)} to ${dayText(page.to)}, from ${page.reports} ${page.reports === 1 ? "report" : "reports"} by ${page.receivers} ${page.receivers === 1 ? "receiver" : "receivers"}: ${page.messages.toLocaleString("en")} messages, ${page.aligned.toLocaleString("en")} of them proven to be yours.</p>
<h2>Messages by week, proven or not</h2>
<figure>${byVerdict(page)}</figure>
<h2>Messages by week, by source</h2>
<figure>${byOrigin(page)}</figure>
<h2>Share proven, by source</h2>
<figure>${bySource(page)}</figure>
<h2>The numbers</h2>
<table><thead><tr><th scope="col">Source</th><th scope="col">Messages</th><th scope="col">Proven</th><th scope="col">From</th><th scope="col">Why not proven</th></tr></thead><tbody>
${rows.join("\n")}
</tbody></table>
</body>
</html>
`;
}
