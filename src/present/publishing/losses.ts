import type * as z from "zod";
import type { loss } from "../../app/shapes.ts";
import { displayName, withoutRootDot } from "../../core/name/index.ts";
import type { Layout } from "../layout.ts";
import { dataList, wrap } from "../lines.ts";
import { visible } from "../safe.ts";

/** What is gone or was changed beside what was published, two lines each. */
export const lossLines = (lost: readonly z.output<typeof loss>[], { style, width }: Layout): string[] =>
  lost.flatMap(({ domain, name, type, records, now }) => [
    now.length === 0
      ? `  ${style.bad("✗ deleted too much")}  ${wrap(`${displayName(name)} ${type}: ${visible(dataList(records))} stood there before, was not to be touched, and is gone`, width - 4, "    ")}`
      : `  ${style.bad("✗ changed")}  ${wrap(`${displayName(name)} ${type}: it was ${visible(dataList(records))} before, was not to be touched, and is ${visible(dataList(now))} now`, width - 4, "    ")}`,
    `    next: ${style.command(`zandrel publish ${withoutRootDot(domain)} --check`)}`,
  ]);
