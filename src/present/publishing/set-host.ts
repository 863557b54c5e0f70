import type * as z from "zod";
import type { setHostSchema } from "../../app/publishing/set-host.ts";
import { displayName, withoutRootDot } from "../../core/name/index.ts";
import { listOf } from "../english.ts";
import { visible } from "../index.ts";
import type { Layout } from "../layout.ts";

/** The result of saying how a DNS host is reached, for people. */
export function setHostText(result: z.output<typeof setHostSchema>, { style }: Layout): string {
  const { key, title, became, entry, domains } = result;
  const lines = entry
    .trimEnd()
    .split("\n")
    .map((line) => `    ${visible(line)}\n`)
    .join("");
  const [first] = domains;
  const served =
    domains.length === 0
      ? ""
      : `${listOf(domains.map((domain) => displayName(domain)))} ${domains.length === 1 ? "is" : "are"} published there from now on.\n`;
  const next = first === undefined ? "zandrel status" : `zandrel draft ${withoutRootDot(first)}`;
  return `${style.good(became)}  ${visible(title)} in zandrel.yaml:\n  ${visible(key)}:\n${lines}${served}Next: ${style.command(next)}\n`;
}
