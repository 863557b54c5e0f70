import { init } from "echarts";
import type { ReportSourcesResult } from "../../app/reports/sources.ts";
import { dayText } from "../index.ts";
import { sourceLabel } from "../source-names.ts";

/** Charts of who sends as a domain, drawn here as SVG, so that a page with them needs no script. */

type SourcesPage = ReportSourcesResult;

/** Colours that people with any colour vision tell apart, and patterns for print; proven mail first. */
const PROVEN = { color: "#17697a", decal: { symbol: "none" } };
const OPEN = {
  color: "#b4661a",
  decal: { symbol: "rect", dashArrayX: [1, 0], dashArrayY: [2, 4], rotation: -Math.PI / 4, color: "rgba(0,0,0,0.45)" },
};

const MAX_BARS = 12;
const FONT = "system-ui, sans-serif";

/** A chart as SVG; `height` in pixels of 960 that it is wide. */
export function chart(height: number, option: object): string {
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
  legend: { top: 0, left: 0, right: 0, itemGap: 24, textStyle: { fontSize: 13 } },
  aria: { enabled: true, decal: { show: true } },
};

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
    // Long names take a second line.
    grid: { left: 70, right: 20, top: series.length > 4 ? 70 : 40, bottom: 50 },
    xAxis: { type: "category", name: "week from", nameLocation: "middle", nameGap: 32, data: weeks.map(dayText) },
    yAxis: { type: "value", minInterval: 1 },
    series: series.map(({ name, item, of }) => bars(name, item, weeks.map(of))),
  });
}

type Week = SourcesPage["sources"][number]["weeks"][number];
const sumOf = (sources: SourcesPage["sources"], week: number, of: (one: Week) => number): number =>
  sources.reduce(
    (sum, source) => sum + source.weeks.filter((candidate) => candidate.week === week).reduce((all, one) => all + of(one), 0),
    0,
  );

/** Messages by week, proven or not. */
export const byVerdict = (page: SourcesPage): string =>
  byWeek(weeksOf(page), [
    { name: "proven to be yours", item: PROVEN, of: (week) => sumOf(page.sources, week, (one) => one.aligned) },
    { name: "not proven", item: OPEN, of: (week) => sumOf(page.sources, week, (one) => one.messages - one.aligned) },
  ]);

/** Colours that keep apart for any colour vision; the patterns are the chart's own. */
const PALETTE = ["#17697a", "#b4661a", "#5f3f86", "#a5345c", "#68701c", "#70748a"];

/** Messages by week and source, the largest by themselves. */
export function byOrigin(page: SourcesPage): string {
  const named = page.sources.slice(0, PALETTE.length - 1);
  const rest = page.sources.slice(PALETTE.length - 1);
  const all = [
    ...named.map((one) => ({ name: sourceLabel(one), sources: [one] })),
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
export function bySource({ sources }: SourcesPage): string {
  const shown = sources.slice(0, MAX_BARS).reverse();
  const share = (part: number, whole: number): number => (whole === 0 ? 0 : Math.round((part / whole) * 1000) / 10);
  return chart(90 + shown.length * 34, {
    ...LEGEND,
    grid: { left: 220, right: 30, top: 40, bottom: 40 },
    xAxis: { type: "value", max: 100, axisLabel: { formatter: "{value} %" } },
    yAxis: {
      type: "category",
      data: shown.map(sourceLabel),
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
