import { type DomainName, isAtOrBelow, parseName, withoutRootDot } from "../../../name/index.ts";
import { readSpfRecord } from "../../../spf/index.ts";
import { looksLikeName, type Paste, type Span, wholeLine } from "../paste.ts";
import type { Reader, Reading } from "../reading.ts";
import { SAYS } from "../words.ts";

/** A forwarding of a web address that a page asks for; no record. */
export interface Forward {
  readonly from: string;
  readonly to: string;
  /** Whether the browser may remember it; undefined where the page does not say. */
  readonly permanent: boolean | undefined;
}

/** A proof on the web: a tag in a page, or a file. `url` is missing where the page leaves it to the reader. */
export type PastedProof =
  | { readonly kind: "meta"; readonly name: string; readonly content: string; readonly url?: string }
  | { readonly kind: "file"; readonly url: string; readonly text: string };

const TERM = /(?<![\w=])[+?~-]?(?:include:|ip4:|ip6:|a:|mx:|exists:)[^\s"“”'`,;<>]*[^\s"“”'`,;<>.]/gi;

/** “Add include:… to your SPF record”: terms for a record that may be there already. */
export function readSpfTerms({ lines }: Paste, free: (line: number) => boolean): { terms: string[]; spans: Span[] } {
  const terms: string[] = [];
  const spans: Span[] = [];
  for (const line of lines) {
    if (!free(line.index) || line.text.length > 2000 || /v=spf1/i.test(line.text) || !/\bSPF\b/.test(line.text)) continue;
    if (!SAYS.add.test(line.text) && !/\binclude\b|\bmerge\b/i.test(line.text)) continue;
    for (const match of line.text.matchAll(TERM)) {
      if (!readSpfRecord(`v=spf1 ${match[0]}`).ok) continue;
      terms.push(match[0]);
      spans.push({ line: line.index, from: match.index, to: match.index + match[0].length });
    }
  }
  return { terms: [...new Set(terms)], spans };
}

/**
 * “Change the name servers to …”: names of their own, on the lines below or in the sentence; where it names a host below the domain, that
 * is given away by them, and not the domain.
 */
export const readNameServers =
  (domain: DomainName): Reader =>
  ({ lines }, free): Reading[] => {
    const readings: Reading[] = [];
    const own = withoutRootDot(domain);
    const isBelowOwn = (text: string): boolean => text.toLowerCase().endsWith(`.${own}`);
    const isOwn = (text: string): boolean => text.toLowerCase() === own || isBelowOwn(text);
    lines.forEach((line) => {
      if (
        !free(line.index) ||
        line.text.length > 500 ||
        !/\bname ?servers?\b|\bDNS servers?\b|\bNameserver\b|\bserveurs de noms\b|\bservidores de nombres?\b|\bNS[- ](?:records?|entries|eintr[aä]ge?)\b/i.test(
          line.text,
        )
      )
        return;
      const host = [...line.text.matchAll(/[^\s,;"“”()]+/g)].map(([word]) => word.replace(/[.:]+$/, "")).find(isBelowOwn);
      const names: { text: string; span: Span }[] = [...line.text.matchAll(/[^\s,;"“”]+/g)]
        .map((match) => ({
          text: match[0].replace(/[.:)]+$/, ""),
          span: { line: line.index, from: match.index, to: match.index + match[0].length },
        }))
        .filter(
          ({ text }) =>
            looksLikeName(text) &&
            !isOwn(text) &&
            /^(?:[a-z-]*ns|dns|[a-z]+)\d*[a-z-]*\d*\./i.test(text) &&
            /^(?:ns|dns|[a-z]*\d)/i.test(text),
        );
      for (const next of lines.slice(line.index + 1, line.index + 10)) {
        const text = next.text
          .trim()
          .replace(/^[-–•*·]\s+/, "")
          .replace(/^(?:name ?server|ns|primary|secondary)\s*#?\d?\s*[:=]?\s+/i, "");
        if (!free(next.index) || !looksLikeName(text)) break;
        names.push({ text, span: wholeLine(next) });
      }
      if (names.length > 0)
        readings.push({
          layout: "name servers",
          labelled: true,
          rows: names.map(({ text }) => ({
            line: line.index,
            fields: host === undefined ? { nameServer: text } : { type: "NS", host: `${host}.`, value: text },
          })),
          spans: names.map(({ span }) => span),
        });
    });
    return readings;
  };

/** “Forward brackwater.example to https://www.brackwater.example (301)”. */
export const readForwards: Reader = ({ lines }, free): Reading[] =>
  lines.flatMap((line): Reading[] => {
    if (!free(line.index) || line.text.length > 500) return [];
    const found =
      /\b(?:forward|redirect|weiterleiten|rediriger)\s+(?<from>\S+)\s+(?:to|nach|vers|→|->)\s+(?<to>https?:\/\/\S*[^\s.,;)]|\S*[^\s.,;)])/i.exec(
        line.text,
      );
    const { from, to } = found?.groups ?? {};
    if (
      found === null ||
      from === undefined ||
      to === undefined ||
      !(from === "@" || looksLikeName(from.replace(/^https?:\/\//, "")) || from === "www")
    )
      return [];
    const kind = /\b30[1278]\b|\bpermanent(?:ly)?\b|\btemporar(?:y|ily)\b/i.exec(line.text)?.[0];
    return [
      {
        layout: "forwarding",
        labelled: true,
        rows: [
          {
            line: line.index,
            fields: { type: "redirect", host: from, value: to, ...(kind === undefined ? {} : { forwardKind: kind }) },
          },
        ],
        spans: [wholeLine(line)],
      },
    ];
  });

/** The page of the domain that a service speaks of, such as `https://www.brackwater.example/`; undefined where it names none. */
function siteIn(lines: Paste["lines"], domain: DomainName): string | undefined {
  for (const { text } of lines)
    for (const [found, host = "", path = ""] of text.slice(0, 2000).matchAll(/https?:\/\/([a-z0-9.-]+)(\/[^\s"'<>),;]*)?/gi)) {
      const read = parseName(`${host.toLowerCase().replace(/\.$/, "")}.`);
      if (!read.ok || !isAtOrBelow(read.value, domain) || /\.(?:html?|txt|xml)$/i.test(path)) continue;
      return `${found.slice(0, found.length - path.length).toLowerCase()}${path === "" ? "/" : path}`;
    }
  return undefined;
}

/** The proofs on the web that a page asks for. */
export function readProofs(
  { lines, metaTags }: Paste,
  free: (line: number) => boolean,
  domain: DomainName,
): { proofs: PastedProof[]; spans: Span[] } {
  const url = siteIn(lines, domain);
  const proofs: PastedProof[] = metaTags.map(({ name, content }) => ({
    ...{ kind: "meta", name, content },
    ...(url === undefined ? {} : { url }),
  }));
  const spans: Span[] = [];
  for (const line of lines) {
    if (!free(line.index) || line.text.length > 1000 || !/\b(?:file|upload|datei|fichier|archivo)\b/i.test(line.text)) continue;
    const file = /https?:\/\/[^\s"<>]+\/[^\s"<>]+?\.(?:html?|txt|xml|json)(?=[\s".,;)]|$)/i.exec(line.text);
    const inside = /\b(?:contains?|containing|with (?:the |this )?(?:text|content|contents|line))\b\s*:?\s*(.*)$/i.exec(
      line.text,
    );
    if (file === null || inside === null) continue;
    const below = lines[line.index + 1];
    const here = (inside[1] as string).trim().replace(/^["“`]|["”`.]+$/g, "");
    const text = here === "" ? below?.text.trim() : here;
    if (text === undefined) continue;
    proofs.push({ kind: "file", url: file[0], text });
    spans.push(wholeLine(line), ...(here === "" && below !== undefined ? [wholeLine(below)] : []));
  }
  return { proofs, spans };
}
