import type { LogoPrepareResult } from "../../app/logo/prepare.ts";
import { displayName, withoutRootDot } from "../../core/name/index.ts";
import { inWords } from "../clauses/index.ts";
import { count, visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";
import { shellWord } from "../safe.ts";

/** The result of {@link logoPrepare} for people. */
export function logoPrepareText(
  { file, into, page, sizes, done, offences, domain, record, ask }: LogoPrepareResult,
  { style, width }: Layout,
): string {
  const kib = (octets: number): string => `${(octets / 1024).toFixed(1)} kB`;
  const plain = domain === null ? "DOMAIN" : withoutRootDot(domain);
  const head =
    into === null
      ? `${style.title(visible(file))}  ${style.bad("cannot be made clean without changing how it looks")}: ${count(offences.length, "thing")} in the way`
      : `${style.title(visible(into))}  ${style.good("written")}, ${kib(sizes.after)} (it was ${kib(sizes.before)})`;
  const next =
    into === null
      ? "Next: have the designer take these out, then prepare it again."
      : ask !== null
        ? `Next: ${style.command(`zandrel draft ${plain}`)}, once the file is at its address`
        : record === null
          ? `Next: put the file on your web server, and then, with its address in place of the words in capitals: ${style.command(`zandrel logo prepare ${shellWord(file)} --force --address https://www.YOUR-SITE/logo.svg --write`)}`
          : `Next: the same again with ${style.command("--write")}, so that the record is saved as an ask`;
  return [
    wrap(head, width),
    ...done.map((one) => `  ${style.quiet("-")} ${wrap(visible(inWords(one)), width - 4, "    ")}`),
    ...offences.map(
      ({ line, because }) => `  ${style.bad("✗")} ${wrap(`line ${line}: ${visible(inWords(because))}`, width - 4, "    ")}`,
    ),
    ...(record === null
      ? []
      : [`Its record${domain === null ? "" : ` at default._bimi.${displayName(domain)}`}: ${visible(record)}`]),
    ...(ask === null ? [] : [`${style.good("saved")} as ${ask}`]),
    ...(page === null ? [] : [`${style.good("written")}  ${visible(page)}, which shows both in a browser`]),
    next,
    "",
  ].join("\n");
}
