import type { KitCheckResult } from "../../app/kits/check.ts";
import type { KitExportResult } from "../../app/kits/export.ts";
import { listOf } from "../english.ts";
import { count, visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";

/** Why something is not said in the other format. */
const UNSAID: Readonly<Record<KitCheckResult["unsaid"][number]["code"], string>> = {
  "flattened-alias": "an alias at the domain itself, which only some DNS hosts can make; ask the service for addresses instead",
  redirect: "a redirect, which is not a record; the DNS host or the site builder sets it up",
  "spf-elsewhere": "SPF terms at another name than the domain itself",
  "variable-in-number": "a variable where a number belongs",
  "host-variable": "it depends on the host that is chosen; it is read for the domain itself",
  "unknown-key": "a key that the open format does not have",
  "record-type": "a line that is not a record of the open format: another type, or one that goes on over several lines",
  "field-missing": "a field that such a record needs is missing",
  order: "records of several groups stand mixed; each group becomes one ask",
  later: "that it comes after other asks, or later",
  pattern: "the form its value has to have, and the example",
  before: "what has to be done at the service first",
  notes: "the notes",
  policy: "the least strict DMARC policy",
  provider: "the service's own domain, which the kit does not say; put it there in place of this one (providerId)",
  purpose: "what it is for; it is read from its records, and those look like something else",
  explain: "an explanation for each input; one text explains them all",
};

const unsaidLines = (unsaid: KitCheckResult["unsaid"], { style, width }: Layout): string =>
  unsaid
    .map(({ code, at }) => `  ${style.careful("!")} ${wrap(`${visible(at)}: ${UNSAID[code]}`, width - 6, "    ")}\n`)
    .join("");

/** What is in a kit or a template, for people. */
export function kitCheckText(result: KitCheckResult, layout: Layout): string {
  const { file, form, title, asks, inputs, unsaid, signed, byGrantOnly } = result;
  const { style, width } = layout;
  const what = form === "kit" ? "a kit" : "a template of the open set-up format";
  const rows = asks
    .map((ask) => `  ${style.strong(visible(ask.id))}  ${ask.purpose}, ${count(ask.records, "record")}\n`)
    .join("");
  const asked = inputs.length === 0 ? "It asks for nothing.\n" : `It asks for ${listOf(inputs.map(visible))}.\n`;
  const host = [
    ...(byGrantOnly ? ["A DNS host may only apply it after zandrel host approve."] : []),
    ...(signed === null ? [] : [`Links to a DNS host have to be signed with the key at ${visible(signed)}.`]),
  ];
  const lost = unsaid.length === 0 ? "" : `Not in the kit that is made of it:\n${unsaidLines(unsaid, layout)}`;
  return `${style.title(visible(title))}  ${style.good("✓")} ${visible(file)} is ${what}\n${rows}${wrap(asked.trim(), width)}\n${host
    .map((line) => `${wrap(line, width)}\n`)
    .join("")}${lost}Next: ${style.command(`zandrel intake --kit ${/^[\w./-]+$/.test(file) ? file : `'${visible(file)}'`}`)}\n`;
}

/** A template that was made from a kit, for people. */
export function kitExportText(result: KitExportResult, layout: Layout): string {
  const { kit, file, template, unsaid } = result;
  const { style } = layout;
  const shown = file === null ? `${JSON.stringify(template, null, 2).split("\n").map(visible).join("\n")}\n` : "";
  const lost =
    unsaid.length === 0 ? "Nothing of the kit is lost.\n" : `A template has no words for:\n${unsaidLines(unsaid, layout)}`;
  const name = visible(kit)
    .replace(/^.*\//, "")
    .replace(/\.[a-z]+$/i, "");
  const next =
    file === null ? `zandrel kit export ${visible(kit)} --file ${name}-template.json` : `zandrel kit check ${visible(file)}`;
  return `${shown}${file === null ? "" : `${style.good("written")}  ${visible(file)}\n`}${lost}Next: ${style.command(next)}\n`;
}
