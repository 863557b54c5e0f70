import { clause } from "../clause/index.ts";
import { checksOf, type Fetched, judgeRedirect, type SiteCheck } from "./judge.ts";
import { readMarkup } from "./markup.ts";

/** What following a web address brought, from each of the four doors of a site. */
export interface Doors {
  /** The host of the domain itself, without the final dot. */
  readonly apex: string;
  readonly www: string;
  /** The chains of pages by the address they began with. */
  readonly chains: ReadonlyMap<string, readonly Fetched[]>;
}

/** The host at which a chain ends by itself; undefined where it does not end or brings nothing. */
function serves(chain: readonly Fetched[] | undefined): string | undefined {
  const last = chain?.at(-1);
  if (last === undefined || "none" in last || last.page.location !== undefined) return undefined;
  return new URL(last.page.url).hostname;
}

/** The page at which a chain comes back to where it was. */
function loopsAt(chain: readonly Fetched[]): string | undefined {
  const seen = new Set<string>();
  for (const fetched of chain) {
    if (!("page" in fetched)) continue;
    const { url, location } = fetched.page;
    if (seen.has(url) || location === url) return url;
    seen.add(url);
  }
  const last = chain.at(-1);
  return last !== undefined && "page" in last && last.page.location !== undefined && seen.has(last.page.location)
    ? last.page.location
    : undefined;
}

/** Words of pages that a DNS host or registrar shows where no site is. */
const PARKED =
  /\b(?:parked|domain (?:is|may be) for sale|buy this domain|future home of|has (?:just )?been registered|default (?:web )?page|under construction)\b/i;
/** Words of a service that knows nothing of a host that leads to it. */
const STRANGER =
  /\b(?:no such (?:site|app|store)|unknown (?:domain|host)|not (?:yet )?connected|site not found|does(?: not|n.t) exist here|nothing is here)\b/i;

/** Whether the page a host shows is a site at all: not a parked page, and not a service that does not know the host. */
export function judgePage(host: string, chain: readonly Fetched[]): SiteCheck[] {
  const last = chain.at(-1);
  if (last === undefined || "none" in last) return [];
  const { body, status } = last.page;
  const { text } = readMarkup(body);
  if (PARKED.test(text))
    return [checksOf("parked", host).wrong("parked", clause("site-parked", { host }), clause("site-parked-mend"))];
  if (STRANGER.test(text) || status === 421)
    return [
      checksOf("wrong-service", host).wrong(
        "wrong-service",
        clause("site-wrong-service", { host, status }),
        clause("site-wrong-service-mend"),
      ),
    ];
  if (status >= 500) return [checksOf("page", host).unknown(clause("site-error", { host, status }), clause("site-error-mend"))];
  return [];
}

/**
 * Judges the domain itself and `www` together: one of them shows the site, the other redirects there permanently, with path,
 * query and HTTPS kept. Nothing is said where one of them could not be looked at; that is said of the host itself.
 */
export function judgePair({ apex, www, chains }: Doors): SiteCheck[] {
  const of = (host: string) => [...chains].filter(([url]) => new URL(url).hostname === host);
  const looped = [...chains].flatMap(([url, chain]) => (loopsAt(chain) === undefined ? [] : [url]));
  if (looped.length > 0) return [checksOf("loop", apex).wrong("loop", clause("site-loop", { looped }), clause("site-loop-mend"))];
  const secure = (host: string) => of(host).find(([url]) => url.startsWith("https:"))?.[1];
  const [atApex, atWww] = [serves(secure(apex)), serves(secure(www))];
  if (atApex === undefined || atWww === undefined) return [];
  if (atApex === apex && atWww === www)
    return [
      checksOf("both-serve", apex).wrong("both-serve", clause("site-both-serve", { apex, www }), clause("site-both-serve-mend")),
    ];
  if (atApex !== atWww || (atApex !== apex && atApex !== www))
    return [
      checksOf("apart", apex).wrong("apart", clause("site-apart", { apex, atApex, www, atWww }), clause("site-apart-mend")),
    ];
  return [...chains]
    .filter(([url]) => !(new URL(url).hostname === atApex && url.startsWith("https:")))
    .map(([url, chain]) => ({ ...judgeRedirect(url, chain, atApex), id: "pair" }));
}
