import type { DossierDomain } from "../../app/fleet/dossier.ts";
import { moment } from "../index.ts";
import { chart } from "../reports/source-charts.ts";

/** Drawings of a dossier, as SVG. */

interface Node {
  name: string;
  children: Node[];
  itemStyle: object;
  label?: object;
}

const FREE = { color: "#ffffff", borderColor: "#17697a", borderWidth: 2 };
const COSTS = { color: "#b4661a", borderColor: "#b4661a" };

/** Characters of a term that fit beside its branch. */
const MAX_TERM = 44;

/** The SPF record as a tree: what costs lookups is filled, and says how many. */
export function spfFigure(spf: NonNullable<DossierDomain["spf"]>, domain: string): string {
  const root: Node = { name: `${domain}: ${spf.lookups} of ${spf.limit} lookups`, children: [], itemStyle: COSTS };
  const path: Node[] = [root];
  for (const { depth, text, lookups } of spf.branches) {
    const term = text.length > MAX_TERM ? `${text.slice(0, MAX_TERM - 1)}…` : text;
    const node: Node = {
      name: lookups === 0 ? term : `${term} (${lookups})`,
      children: [],
      itemStyle: lookups === 0 ? FREE : COSTS,
    };
    path[depth]?.children.push(node);
    path.splice(depth + 1, path.length, node);
  }
  return chart(Math.max(120, 28 * spf.branches.length + 40), {
    series: [
      {
        type: "tree",
        data: [root],
        ...{ left: 30, right: 330, top: 10, bottom: 10, symbolSize: 10, initialTreeDepth: -1, symbol: "circle" },
        ...{ edgeShape: "polyline", edgeForkPosition: "72%" },
        lineStyle: { color: "#8a8da0", width: 1.5 },
        label: { position: "top", distance: 4, align: "left", fontSize: 12, color: "#1f2440", backgroundColor: "#ffffff" },
        leaves: { label: { position: "right", align: "left", verticalAlign: "middle", distance: 6 } },
      },
    ],
  });
}

/** The newest change on a time line. */
export function spreadFigure(spread: NonNullable<DossierDomain["spread"]>, now: number): string {
  const events = [
    { title: "published", at: spread.published, color: "#17697a" },
    ...spread.seen.map(({ ask, at }) => ({ title: `${ask} seen by all we look from`, at, color: "#5f3f86" })),
    ...(spread.everyone === null ? [] : [{ title: "everyone sees it, at the latest", at: spread.everyone, color: "#b4661a" }]),
  ].sort((a, b) => a.at - b.at);
  const titles = events.map(({ title }) => title).reverse();
  return chart(70 + 34 * events.length, {
    grid: { left: 270, right: 150, top: 10, bottom: 40 },
    xAxis: {
      type: "time",
      axisLabel: { hideOverlap: true, fontSize: 12, color: "#1f2440" },
      splitLine: { show: true, lineStyle: { color: "#e3e0ea" } },
    },
    yAxis: {
      type: "category",
      data: titles,
      axisTick: { show: false },
      axisLabel: { width: 250, overflow: "truncate", color: "#1f2440" },
    },
    series: [
      {
        ...{ type: "scatter", symbolSize: 14 },
        data: events.map(({ title, at, color }) => ({
          value: [at, title],
          itemStyle: { color },
          label: { show: true, position: "right", formatter: moment(at, now), color: "#1f2440" },
        })),
      },
    ],
  });
}
