import type * as z from "zod";
import type { approveHostSchema, forgetHostSchema } from "../../app/hosts/approve.ts";
import type { FindHostResult } from "../../app/hosts/find.ts";
import { displayName, withoutRootDot } from "../../core/name/index.ts";
import { inWords } from "../clauses/index.ts";
import { listOf } from "../english.ts";
import { count, visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";

const WAYS: Readonly<Record<FindHostResult["offers"][number]["way"], string>> = {
  approval: "approve in the browser",
  update: "signed updates",
  transfer: "whole zone",
  "by-hand": "fill in its form",
};

/** Who serves a domain and what that host offers, for people. */
export function findHostText(
  { domain, nameServers, host, offers, written, next }: FindHostResult,
  { style, width }: Layout,
): string {
  const known = host === null ? "" : host.known ? "in zandrel.yaml" : written ? "now in zandrel.yaml" : "not in zandrel.yaml yet";
  const rows = offers.map(({ way, offered, because }) => {
    const mark = offered === null ? style.careful("?") : offered ? style.good("✓") : style.quiet("–");
    return `  ${mark} ${style.strong(WAYS[way].padEnd(22))} ${wrap(visible(inWords(because)), width - 28, " ".repeat(27))}\n`;
  });
  const is = host === null || host.way === null ? "" : `Published today: ${host.way}.\n`;
  return `${style.title(displayName(domain))}  is served by ${style.strong(visible(host?.title ?? "nobody known"))} (${known})\n${wrap(`Name servers: ${listOf(nameServers.map(displayName))}.`, width)}\n${rows.join("")}${is}Next: ${style.command(inWords(next))}\n`;
}

/** What was approved, for people. */
export function approveHostText(
  { host, domain, granted, next }: z.output<typeof approveHostSchema>,
  { style, width }: Layout,
): string {
  const lines = granted.map(({ provider, services, renewable }) =>
    wrap(
      `${visible(provider)}: ${listOf(services.map(visible))}${renewable ? "" : "; it ends by itself, and is asked for again then"}`,
      width - 2,
      "  ",
    ),
  );
  return `${style.title(displayName(domain))}  ${style.good("approved")} at ${visible(host)}\n${lines.map((line) => `  ${line}\n`).join("")}It is kept in keys/, which belongs to nobody else; zandrel host forget ${visible(host)} ${withoutRootDot(domain)} gives it back.\nNext: ${style.command(inWords(next))}\n`;
}

/** What was given back, for people. */
export function forgetHostText(
  { host, domain, forgotten, kept, revoked, because }: z.output<typeof forgetHostSchema>,
  { style, width }: Layout,
): string {
  if (forgotten + kept === 0)
    return `${style.title(displayName(domain))}  nothing was approved at ${visible(host)}.\nNext: ${style.command(`zandrel status ${withoutRootDot(domain)}`)}\n`;
  const open = because.map((line) => `  ${style.careful("!")} ${wrap(visible(inWords(line)), width - 4, "    ")}\n`).join("");
  return `${style.title(displayName(domain))}  ${style.good(`${count(forgotten, "approval")} deleted here`)}, ${revoked} taken back by ${visible(host)}\n${open}${kept === 0 ? "" : `${count(kept, "approval")} kept until the host can be asked.\n`}Next: ${style.command(kept === 0 ? `zandrel status ${withoutRootDot(domain)}` : `zandrel host forget ${visible(host)} ${withoutRootDot(domain)}`)}\n`;
}
