import type { DkimRotateResult } from "../../app/mail/dkim-rotate.ts";
import { displayName } from "../../core/name/index.ts";
import { inWords } from "../clauses/index.ts";
import { deadline, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";

/** The result of {@link dkimRotate} for people. */
export function dkimRotateText({ at, domain, from, to, steps, made, asks }: DkimRotateResult, { style, width }: Layout): string {
  const now = at;
  const marks = { done: style.good("✓"), now: style.careful("→"), later: "…" } as const;
  return [
    style.title(`From ${from} to ${to}, for ${displayName(domain)}`),
    ...(made === null ? [] : [`${style.good("written")}  ${made.keyFile} (the private key; only you can read it)`]),
    ...asks.map((ask) => `${style.good("saved")}  ${ask}`),
    "",
    ...steps.flatMap((step) => [
      `${marks[step.state]} ${(step.state === "done" ? "" : deadline(step.from, now)).padEnd(24)} ${style.strong(inWords(step.what))}`,
      `  ${" ".repeat(25)}${style.quiet(wrap(inWords(step.because), width - 27, " ".repeat(27)))}`,
      ...(step.state === "now" && step.command !== null ? [`  ${" ".repeat(25)}${style.command(inWords(step.command))}`] : []),
    ]),
    "",
  ].join("\n");
}
