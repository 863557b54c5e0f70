import ipaddr from "ipaddr.js";
import { type DomainName, labelsOf, type NameError, parseName } from "../name/index.ts";
import { organizationalDomain } from "../suffix/index.ts";

/** Why an entry of a list names no domain. */
export type Unreadable = "address" | "one-label" | "record-name" | "not-a-name" | "blank";

/** What an entry of a list turned out to be. */
export type Listed =
  | {
      readonly kind: "domain";
      readonly domain: DomainName;
      /** What it was taken from, where it was not the domain itself. */
      readonly from?: "web-address" | "mail-address";
    }
  | { readonly kind: "unreadable"; readonly why: Unreadable; readonly detail: "" | NameError["code"] }
  | { readonly kind: "empty" };

const unreadable = (why: Unreadable, detail: "" | NameError["code"] = ""): Listed => ({ kind: "unreadable", why, detail });

/** White space as lists from spreadsheets and pages have it, with a byte order mark. */
const SPACE = /^[\s\u00a0\u200b\u2060\ufeff]+|[\s\u00a0\u200b\u2060\ufeff]+$/g;

/** The host of a web address, with or without its scheme; undefined where it is none. */
function webHost(text: string): string | undefined {
  const scheme = /^[a-z][a-z0-9+.-]*:\/\//i.test(text);
  if (!scheme && !/^[^\s/?#@:]+(?::\d{1,5})?(?:[/?#]|:\d{1,5}$)/.test(text)) return undefined;
  try {
    const { hostname } = new URL(scheme ? text : `http://${text}`);
    return hostname === "" ? undefined : hostname.replace(/^\[|\]$/g, "");
  } catch {
    return undefined;
  }
}

/**
 * One entry of a list of domains. People list what they have: domains, names with umlauts, addresses of pages and of people.
 * A page's address stands for the domain it is registered under, a mail address for the domain its mail goes by.
 */
export function readListed(given: string): Listed {
  const text = given.replace(SPACE, "");
  if (text === "" || text.startsWith("#")) return { kind: "empty" };
  const mail = /^(?:mailto:)?[^\s@<>]+@([^\s@<>]+)$/i.exec(text)?.[1] ?? /<[^\s@<>]+@([^\s@<>]+)>$/.exec(text)?.[1];
  const web = mail === undefined ? webHost(text) : undefined;
  const host = mail ?? web ?? text;
  // The package tells by an exception what is not an address, which is slow for a million names.
  if ((/^[\d.]+$/.test(host) && ipaddr.IPv4.isValidFourPartDecimal(host)) || ipaddr.IPv6.isValid(host))
    return unreadable("address");
  const parsed = parseName(host);
  if (!parsed.ok) return unreadable("not-a-name", parsed.error.code);
  const labels = labelsOf(parsed.value);
  if (labels.some((label) => label === "*" || /^_[a-z0-9-]+$/.test(label))) return unreadable("record-name");
  if (!labels.every((label) => /^[a-z0-9](?:[a-z0-9-]*[a-z0-9])?$/.test(label))) return unreadable("not-a-name");
  if (labels.length < 2) return unreadable("one-label");
  if (mail !== undefined) return { kind: "domain", domain: parsed.value, from: "mail-address" };
  const site = web !== undefined || labels[0] === "www";
  return site
    ? { kind: "domain", domain: organizationalDomain(parsed.value), from: "web-address" }
    : { kind: "domain", domain: parsed.value };
}

/** How columns with domains are called; what says it most plainly comes first, because tables have names of people too. */
const TITLES = [
  /^(?:domains?|domain[ _-]?names?|fqdn)$/i,
  /[ _-]domains?$/i,
  /^zones?$/i,
  /^(?:hosts?|host[ _-]?names?)$/i,
  /^(?:sites?|web[ _-]?sites?|urls?)$/i,
  /^names?$/i,
];

/** What a cell can be taken for, the likeliest first: tables have addresses of people beside their domains. */
const LIKELY = [undefined, "web-address", "mail-address"];

/** The cell of a row that is likeliest to be what the row is about; -1 where none reads as a domain. */
function likeliest(cells: readonly string[]): number {
  const ranks = cells.map((cell) => {
    const read = readListed(cell);
    return read.kind === "domain" ? LIKELY.indexOf(read.from) : LIKELY.length;
  });
  const best = Math.min(...ranks, LIKELY.length);
  return best === LIKELY.length ? -1 : ranks.indexOf(best);
}

/** Which column of a table holds the domains, and whether its first row names the columns. */
export interface Columns {
  readonly domain: number;
  /** The names of all columns: those of the first row, or `column 2` and so on. */
  readonly names: readonly string[];
  readonly hasHead: boolean;
}

/** The column whose title says that it holds the domains, and whose cell in the `second` row does; without such a title, that cell. */
function titledColumn(titles: readonly string[], second: readonly string[]): number {
  const titled = TITLES.flatMap((pattern) => titles.flatMap((title, i) => (pattern.test(title) ? [i] : [])));
  const reads = (i: number) => readListed(second[i] ?? "").kind === "domain";
  return titled.find(reads) ?? titled[0] ?? likeliest(second);
}

/**
 * Tells from the first rows of a table where the domains are: by a column's title, or by the first cell that reads as a domain.
 * `wanted` is the name or number of the column, where the person says it; undefined comes back where there is no such column.
 */
export function columnsOf(first: readonly string[], second: readonly string[], wanted?: string): Columns | undefined {
  const cells = first.map((cell) => cell.replace(SPACE, ""));
  const hasHead = likeliest(cells) < 0;
  const titles = cells.map((cell, i) => (hasHead && cell !== "" ? cell : `column ${i + 1}`));
  // A title that is there twice stands for its own column all the same.
  const names = titles.map((title, i) => {
    const nth = titles.slice(0, i + 1).filter((candidate) => candidate === title).length;
    return nth === 1 ? title : `${title} (${nth})`;
  });
  const numbered = wanted !== undefined && /^\d+$/.test(wanted) ? Number(wanted) - 1 : -1;
  // One column is the domains', whatever its first line is.
  if (wanted === undefined && cells.length === 1)
    return { domain: 0, names, hasHead: hasHead && TITLES.some((title) => title.test(cells[0] ?? "")) };
  const domain =
    wanted !== undefined
      ? numbered >= 0 && numbered < cells.length
        ? numbered
        : names.findIndex((name) => name.toLowerCase() === wanted.toLowerCase())
      : hasHead
        ? titledColumn(cells, second)
        : likeliest(cells);
  return domain < 0 ? undefined : { domain, names, hasHead };
}

/** What separates the cells of a list's lines; undefined where each line is one entry. */
export function delimiterOf(line: string): "," | ";" | "\t" | "|" | undefined {
  const counted = ([",", ";", "\t", "|"] as const).map((one) => [line.split(one).length - 1, one] as const);
  const [most] = counted.sort((a, b) => b[0] - a[0]);
  return most === undefined || most[0] === 0 ? undefined : most[1];
}
