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

/** Whether what a chain arrives at only shows another page. */
function pretends(chain: readonly Fetched[] | undefined): boolean {
  const last = chain?.at(-1);
  return last !== undefined && "page" in last && readMarkup(last.page.body).pretends !== undefined;
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
  const pretending = [apex, www].find((host) => pretends(secure(host)));
  // A page that shows the other one inside a frame is no second site.
  if (atApex === apex && atWww === www && pretending !== undefined)
    return of(pretending).map(([url, chain]) => ({
      ...judgeRedirect(url, chain, pretending === apex ? www : apex),
      id: "pair",
    }));
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
