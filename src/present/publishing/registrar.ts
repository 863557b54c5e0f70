import type { LabRegistrarResult } from "../../app/relocate/registrar.ts";
import { displayName } from "../../core/name/index.ts";
import { spanText } from "../../core/spread/index.ts";
import { inWords } from "../clauses/index.ts";
import { listOf } from "../english.ts";
import { deadline, visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";

/** What the lab's registrar has on record, and what was changed there. */
export function labRegistrarText(
  { at, domain, nameServers, ttl, ds, before, rememberedUntil, next }: LabRegistrarResult,
  { style, width }: Layout,
): string {
  const servers = listOf(nameServers.map(displayName));
  const records = ds.length === 0 ? "none" : listOf(ds.map(visible), "conjunction");
  const lines =
    before === null
      ? [
          `${style.title(displayName(domain))} has the name servers ${servers}; resolvers remember them for ${spanText(ttl)}.`,
          `DNSSEC records (DS): ${records}.`,
        ]
      : [
          `${style.title(displayName(domain))} now has the name servers ${servers}; before: ${listOf(before.nameServers.map(displayName))}.`,
          `DNSSEC records (DS): ${records}; before: ${before.ds.length === 0 ? "none" : listOf(before.ds.map(visible))}.`,
          `Resolvers that asked before remember what was on record until ${deadline(rememberedUntil ?? at, at)}.`,
        ];
  return `${lines.map((line) => wrap(line, width)).join("\n")}\n\nNext: ${inWords(next)}\n`;
}
