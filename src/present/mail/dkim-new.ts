import type { Made } from "../../app/mail/dkim-new.ts";
import { displayName, withoutRootDot } from "../../core/name/index.ts";
import { wrap } from "../index.ts";
import type { Layout } from "../layout.ts";

/** The result of {@link dkimNew} for people. */
export function dkimNewText({ domain, selector, keyFile, takenUp, line, ask, type }: Made, { style, width }: Layout): string {
  const next =
    ask === null
      ? "Publish the record at the DNS host; in a workspace Zandrel does it."
      : `Next: ${style.command(`zandrel draft ${withoutRootDot(domain)}`)}, then publish. Sign with it once zandrel status says it is settled.`;
  return [
    style.title(`${takenUp ? "The" : "A new"} ${type} key for ${displayName(domain)}, selector ${selector}`),
    takenUp
      ? `${style.good("found")}  ${keyFile} (the private key was there already, and its record was asked for nowhere)`
      : `${style.good("written")}  ${keyFile} (the private key; only you can read it. Never send it to anybody by mail)`,
    ...(ask === null ? [] : [`${style.good("saved")}  ${ask}`]),
    "",
    "The record that publishes it:",
    style.quiet(line),
    "",
    wrap(next, width),
    "",
  ].join("\n");
}
