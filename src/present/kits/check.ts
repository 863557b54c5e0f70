import type { KitCheckResult } from "../../app/kits/check.ts";
import type { KitExportResult } from "../../app/kits/export.ts";
import { listOf } from "../english.ts";
import { count, visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";
import { unsaidText } from "./unsaid.ts";

const unsaidLines = (unsaid: KitCheckResult["unsaid"], { style, width }: Layout): string =>
  unsaid.map(({ code, at }) => `  ${style.careful("!")} ${wrap(`${unsaidText({ code, at })}`, width - 6, "    ")}\n`).join("");

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
