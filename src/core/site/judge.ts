import { type Clause, clause, NOTHING } from "../clause/index.ts";
import { type DomainName, displayName } from "../name/index.ts";
import { readMarkup } from "./markup.ts";

/** What one request to a web server brought. */
export interface Page {
  readonly url: string;
  readonly status: number;
  /** Where it redirects to, absolute; undefined where it does not. */
  readonly location?: string;
  /** The body as text, or its beginning. */
  readonly body: string;
  /** Whether there was more of it than is read. */
  readonly cut?: boolean;
  readonly certificate?: Certificate;
  /** What the server calls it, and its octets, where those are asked for. */
  readonly contentType?: string;
  readonly octets?: Buffer;
}

/** What a server showed of itself over TLS. */
export interface Certificate {
  /** DNS names it covers, in lower case; may begin with `*.`. */
  readonly names: readonly string[];
  /** Milliseconds since 1970. */
  readonly until: number;
  /** Why it is not trusted, in the words of the TLS library; undefined where it is. */
  readonly distrust?: string;
}

/** A request that brought nothing: `unresolved` where the name has no address, `unreachable` where nobody answered. */
export interface NoPage {
  readonly url: string;
  readonly kind: "unresolved" | "unreachable" | "unknown";
  readonly detail: Clause;
}

export type Fetched = { readonly page: Page } | { readonly none: NoPage };

/** What kind of thing is wrong with a site. */
export type SiteFlaw =
  | "no-address"
  | "missing-address"
  | "leftover-address"
  | "unreachable"
  | "certificate-name"
  | "certificate-expired"
  | "certificate-untrusted"
  | "framed"
  | "moves-after-loading"
  | "no-redirect"
  | "wrong-target"
  | "unencrypted"
  | "temporary"
  | "path-lost"
  | "loop"
  | "both-serve"
  | "apart"
  | "parked"
  | "wrong-service"
  | "no-page"
  | "issuer-forbidden";

/** One thing checked of a site: it holds, does not hold, or could not be determined. */
export interface SiteCheck {
  readonly id: string;
  readonly name: string;
  readonly met: boolean | undefined;
  readonly because: Clause;
  /** What to do; empty where it holds. */
  readonly remedy: Clause;
  /** What kind of thing is wrong; only where it does not hold. */
  readonly flaw?: SiteFlaw;
  /** Of a certificate that is right: when it ends, in milliseconds since 1970. */
  readonly until?: number;
}

/** What is asked for a host of a site, and who can mend what is wrong there. */
export interface HostAsked {
  /** The host itself, without the final dot. */
  readonly host: string;
  /** Asks want it led somewhere; only the other one of the domain and `www`; or neither. */
  readonly asked: "here" | "other" | "nowhere";
  /** Whether the domain's own servers show what is asked; undefined where they could not be asked. */
  readonly isPublished: boolean | undefined;
  /** The other one of the domain and `www`. */
  readonly other: string;
  /** Titles of the service that asks, and of the DNS host. */
  readonly builder: string | undefined;
  readonly dnsHost: string | undefined;
}

/** What visitors meet at a host that is not the site. */
export type Instead = "no-address" | "parked" | "wrong-service" | "no-page";

/** What mends it: it follows from what is asked, what is published, and who can change it. */
const mendOf = (asked: HostAsked, instead: Instead): Clause => clause("site-host-mend", { ...asked, instead });

/** Makes the checks of one name: what is right, what is wrong, and what could not be determined. */
export const checksOf = (id: string, name: string) => ({
  right: (because: Clause): SiteCheck => ({ id, name, met: true, because, remedy: NOTHING }),
  wrong: (flaw: SiteFlaw, because: Clause, remedy: Clause): SiteCheck => ({ id, name, met: false, because, remedy, flaw }),
  unknown: (because: Clause, remedy: Clause): SiteCheck => ({ id, name, met: undefined, because, remedy }),
});

/** Whether a certificate covers a host; a wildcard stands for exactly one label (RFC 9525 section 6.3). */
export const covers = ({ names }: Certificate, host: string): boolean => {
  const plain = host.toLowerCase();
  return names.some(
    (name) =>
      name === plain ||
      (name.startsWith("*.") &&
        plain.split(".").slice(1).join(".") === name.slice(2) &&
        plain.split(".").length === name.split(".").length),
  );
};

/**
 * What is wrong with the certificate of a page over HTTPS.
 *
 * @param since when the name was published last, milliseconds since 1970; a certificate is pending from there
 */
export function judgeCertificate(host: string, fetched: Fetched, now: number, since?: number): SiteCheck {
  const { right, wrong, unknown } = checksOf("certificate", host);
  const pending = since === undefined ? undefined : now - since;
  if ("none" in fetched) {
    const remedy = clause("site-see-builder");
    return fetched.none.kind === "unknown"
      ? unknown(fetched.none.detail, remedy)
      : wrong("unreachable", fetched.none.detail, remedy);
  }
  const { certificate } = fetched.page;
  if (certificate === undefined) return unknown(clause("site-no-certificate"), clause("site-try-again"));
  if (!covers(certificate, host))
    return wrong(
      "certificate-name",
      clause("site-certificate-other", { names: certificate.names, host, pending }),
      clause("site-certificate-other-mend"),
    );
  if (certificate.until < now)
    return wrong("certificate-expired", clause("site-certificate-expired", { host }), clause("site-certificate-expired-mend"));
  if (certificate.distrust !== undefined)
    return wrong(
      "certificate-untrusted",
      clause("site-certificate-untrusted", { host, distrust: certificate.distrust }),
      clause("site-certificate-untrusted-mend"),
    );
  return { ...right(clause("site-certificate-covers", { host })), until: certificate.until };
}

const hostOf = (url: string, base?: string): string => new URL(url, base).hostname;

const PERMANENT: ReadonlySet<number> = new Set([301, 308]);

/**
 * Judges a redirect from `from` by the chain of pages that following it brought: permanent at each step, to the
 * right host, over HTTPS, path and query kept, and a real redirect instead of a frame.
 *
 * @param chain the pages from the first request to the last; the last one does not redirect any more
 * @param target the host that visitors have to arrive at
 * @param alsoAt further hosts of the target, to which it may redirect by itself
 */
export function judgeRedirect(
  from: string,
  chain: readonly Fetched[],
  target: string,
  alsoAt: readonly string[] = [],
): SiteCheck {
  const { right, wrong, unknown } = checksOf("redirect", from);
  const nothing = ({ kind, detail }: NoPage, remedy: Clause) =>
    kind === "unknown" ? unknown(detail, remedy) : wrong("unreachable", detail, remedy);
  const first = chain[0] as Fetched;
  const broken = chain.find((candidate): candidate is { none: NoPage } => "none" in candidate);
  if (broken !== undefined && broken === first) return nothing(broken.none, clause("site-point-domain"));
  const pages = chain.flatMap((one) => ("page" in one ? [one.page] : []));
  const last = pages.at(-1) as Page;
  const temporary = pages.find((page) => page.location !== undefined && !PERMANENT.has(page.status));
  const start = new URL(from);
  const steps = pages.filter((page) => page.location !== undefined);
  if (steps.length === 0) return notRedirecting(from, last, target);
  const retarget = clause("site-retarget", { target });
  const end = new URL(steps.at(-1)?.location ?? last.url);
  if (end.hostname !== target && !alsoAt.includes(end.hostname))
    return wrong("wrong-target", clause("site-wrong-target", { hostname: end.hostname, target }), retarget);
  if (end.protocol !== "https:")
    return wrong("unencrypted", clause("site-ends-unencrypted", { hostname: end.hostname }), retarget);
  const bare = steps.find(({ url, location = "" }) => {
    const to = new URL(location, url);
    return (
      to.protocol === "http:" &&
      (url.startsWith("https:") || [target, ...alsoAt].includes(to.hostname)) &&
      new URL(url).hostname !== to.hostname
    );
  });
  if (bare !== undefined)
    return wrong("unencrypted", clause("site-passes-unencrypted", { location: hostOf(bare.location ?? "", bare.url) }), retarget);
  if (temporary !== undefined)
    return wrong(
      "temporary",
      clause("site-temporary", { url: hostOf(temporary.url), status: temporary.status }),
      clause("site-temporary-mend"),
    );
  if (end.pathname !== start.pathname || end.search !== start.search)
    return wrong(
      "path-lost",
      clause("site-path-lost", { from: start.pathname + start.search, to: end.pathname + end.search }),
      clause("site-path-lost-mend"),
    );
  if (broken !== undefined) return nothing(broken.none, clause("site-see-target"));
  return right(clause("site-redirects", { target }));
}

/** A page that answers where a redirect is wanted. */
function notRedirecting(from: string, { body, status }: Page, target: string): SiteCheck {
  const { wrong } = checksOf("redirect", from);
  switch (readMarkup(body).pretends) {
    case "frame":
      return wrong("framed", clause("site-framed"), clause("site-framed-mend"));
    case "refresh":
      return wrong("moves-after-loading", clause("site-moves-after-loading"), clause("site-moves-after-loading-mend"));
    case undefined:
      return wrong("no-redirect", clause("site-no-redirect", { status }), clause("site-no-redirect-mend", { target }));
  }
}

/** Words of pages that a DNS host or registrar shows where no site is. */
const PARKED =
  /\b(?:parked|domain (?:is|may be) for sale|buy this domain|future home of|has (?:just )?been registered|default (?:web )?page|under construction)\b/i;
/** Words of a service that knows nothing of a host that leads to it. */
const STRANGER =
  /\b(?:no such (?:site|app|store)|unknown (?:domain|host)|not (?:yet )?connected|site not found|does(?: not|n.t) exist here|nothing is here)\b/i;

/** Whether the page a host shows is a site at all: no parked page, no stranger's, no error, and not empty. */
export function judgePage(asked: HostAsked, chain: readonly Fetched[]): SiteCheck[] {
  const { host } = asked;
  const last = chain.at(-1);
  if (last === undefined || "none" in last) return [];
  const { body, status, location } = last.page;
  const { text, isEmpty } = readMarkup(body);
  const instead = (id: string, flaw: Instead & SiteFlaw, because: Clause): SiteCheck[] => [
    checksOf(id, host).wrong(flaw, because, mendOf(asked, flaw)),
  ];
  if (PARKED.test(text)) return instead("parked", "parked", clause("site-parked", { host }));
  if (STRANGER.test(text) || status === 421)
    return instead("wrong-service", "wrong-service", clause("site-wrong-service", { host, status }));
  if (status >= 500) return [checksOf("page", host).unknown(clause("site-error", { host, status }), clause("site-error-mend"))];
  if (status >= 400) return instead("page", "no-page", clause("site-no-page", { host, status }));
  if (location === undefined && isEmpty) return instead("page", "no-page", clause("site-empty-page", { host }));
  return [];
}

/** The addresses one name has, beside those its asks want. */
export function judgeAddresses(
  name: DomainName,
  found: readonly string[] | undefined,
  wanted: readonly string[],
  failure: Clause,
  asked: HostAsked,
): SiteCheck[] {
  const host = displayName(name);
  const { right, wrong, unknown } = checksOf("address", host);
  if (found === undefined) return [unknown(failure, clause("site-servers-silent-mend"))];
  if (found.length === 0) return [wrong("no-address", clause("site-no-address", { host }), mendOf(asked, "no-address"))];
  if (wanted.length === 0) return [right(clause("site-leads", { host, found }))];
  const missing = wanted.filter((address) => !found.includes(address));
  const foreign = found.filter((address) => !wanted.includes(address));
  return [
    missing.length === 0
      ? right(clause("site-leads-to-service", { host }))
      : wrong("missing-address", clause("site-missing-address", { host, missing }), clause("site-missing-address-mend")),
    ...foreign.map((address) =>
      checksOf("leftover", host).wrong(
        "leftover-address",
        clause("site-leftover-address", { host, address }),
        clause("site-leftover-address-mend", { address }),
      ),
    ),
  ];
}
