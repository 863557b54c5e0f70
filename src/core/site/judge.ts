import { count } from "../english.ts";
import { type DomainName, displayName } from "../name/index.ts";

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
  readonly detail: string;
}

export type Fetched = { readonly page: Page } | { readonly none: NoPage };

/** One thing checked of a site: it holds, does not hold, or could not be determined. */
export interface SiteCheck {
  readonly id: string;
  readonly name: string;
  readonly met: boolean | undefined;
  readonly because: string;
  /** What to do; empty where it holds. */
  readonly remedy: string;
}

const check = (id: string, name: string, met: boolean | undefined, because: string, remedy = ""): SiteCheck => ({
  id,
  name,
  met,
  because,
  remedy: met === true ? "" : remedy,
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

/** A span for people: `3 hours`, in whole units. */
function spanSince(milliseconds: number): string {
  const minutes = Math.max(1, Math.round(milliseconds / 60_000));
  if (minutes < 120) return count(minutes, "minute");
  return minutes < 2880 ? count(Math.round(minutes / 60), "hour") : count(Math.round(minutes / 1440), "day");
}

/**
 * What is wrong with the certificate of a page over HTTPS.
 *
 * @param since when the name was published last, milliseconds since 1970; a certificate is pending from there
 */
export function judgeCertificate(host: string, fetched: Fetched, now: number, since?: number): SiteCheck {
  const id = "certificate";
  const pending =
    since === undefined
      ? ""
      : `, ${spanSince(now - since)} after the name was published; most are there a few hours after everyone sees the address`;
  if ("none" in fetched)
    return check(
      id,
      host,
      fetched.none.kind === "unknown" ? undefined : false,
      fetched.none.detail,
      "see that the site builder has the domain, and that the address is right",
    );
  const { certificate } = fetched.page;
  if (certificate === undefined) return check(id, host, undefined, "the server showed no certificate", "try again");
  if (!covers(certificate, host))
    return check(
      id,
      host,
      false,
      `the certificate there is for ${certificate.names.join(", ") || "no name at all"}, not for ${host}: the right one is probably still pending${pending}`,
      "wait for the certificate, or ask the site builder or issuer why it is still pending",
    );
  if (certificate.until < now)
    return check(
      id,
      host,
      false,
      `the certificate for ${host} has expired`,
      "ask the site builder or issuer to renew it; the record that proves the domain may have been removed",
    );
  if (certificate.distrust !== undefined)
    return check(
      id,
      host,
      false,
      `browsers do not trust the certificate for ${host} (${certificate.distrust})`,
      "ask the site builder or issuer for a certificate that browsers trust",
    );
  return check(id, host, true, `the certificate covers ${host}`);
}

/** Whether a page only shows another one inside a frame, or moves on by itself after loading. */
function pretends(body: string): "frame" | "refresh" | undefined {
  if (/<meta[^>]+http-equiv\s*=\s*["']?refresh/i.test(body)) return "refresh";
  return /<frameset\b/i.test(body) || /<iframe\b[^>]*(?:width|height)\s*=\s*["']?100%/i.test(body) ? "frame" : undefined;
}

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
  const id = "redirect";
  const name = from;
  const first = chain[0] as Fetched;
  const broken = chain.find((one): one is { none: NoPage } => "none" in one);
  if (broken !== undefined && broken === first)
    return check(
      id,
      name,
      broken.none.kind === "unknown" ? undefined : false,
      broken.none.detail,
      "point the domain at the service that redirects it",
    );
  const pages = chain.flatMap((one) => ("page" in one ? [one.page] : []));
  const last = pages.at(-1) as Page;
  const temporary = pages.find((page) => page.location !== undefined && !PERMANENT.has(page.status));
  const start = new URL(from);
  const steps = pages.filter((page) => page.location !== undefined);
  if (steps.length === 0) {
    const what = pretends(last.body);
    if (what === "frame")
      return check(
        id,
        name,
        false,
        "the page shows the other site inside a frame, so search engines and links see the wrong address",
        "choose a permanent redirect instead of “forwarding with masking”",
      );
    if (what === "refresh")
      return check(
        id,
        name,
        false,
        "the page moves on by itself after loading instead of redirecting",
        "choose a permanent redirect (301)",
      );
    return check(
      id,
      name,
      false,
      `it answers by itself (${last.status}) and does not redirect`,
      `set up a permanent redirect (301) to https://${target}`,
    );
  }
  const end = new URL(steps.at(-1)?.location ?? last.url);
  if (end.hostname !== target && !alsoAt.includes(end.hostname))
    return check(
      id,
      name,
      false,
      `it leads to ${end.hostname}, not to ${target}`,
      `change the redirect's target to https://${target}`,
    );
  if (end.protocol !== "https:")
    return check(
      id,
      name,
      false,
      `it ends at http://${end.hostname}, without encryption`,
      `change the redirect's target to https://${target}`,
    );
  const bare = steps.find(({ url, location = "" }) => {
    const to = new URL(location, url);
    return (
      to.protocol === "http:" &&
      (url.startsWith("https:") || [target, ...alsoAt].includes(to.hostname)) &&
      new URL(url).hostname !== to.hostname
    );
  });
  if (bare !== undefined)
    return check(
      id,
      name,
      false,
      `it goes by way of http://${new URL(bare.location ?? "", bare.url).hostname}, without encryption`,
      `change the redirect's target to https://${target}`,
    );
  if (temporary !== undefined)
    return check(
      id,
      name,
      false,
      `the redirect at ${new URL(temporary.url).hostname} is temporary (${temporary.status}), so search engines keep the old address`,
      "make it permanent (301 or 308)",
    );
  if (end.pathname !== start.pathname || end.search !== start.search)
    return check(
      id,
      name,
      false,
      `the path is lost: ${start.pathname}${start.search} arrives at ${end.pathname}${end.search}`,
      "let the redirect keep path and query",
    );
  if (broken !== undefined)
    return check(id, name, broken.none.kind === "unknown" ? undefined : false, broken.none.detail, "see that the target answers");
  return check(id, name, true, `it redirects permanently to https://${target}, path and query kept`);
}

/** The addresses one name has, beside those its asks want. */
export function judgeAddresses(
  name: DomainName,
  found: readonly string[] | undefined,
  wanted: readonly string[],
  failure: string,
): SiteCheck[] {
  const host = displayName(name);
  if (found === undefined) return [check("address", host, undefined, failure, "try again when the name servers answer")];
  if (found.length === 0)
    return [
      check(
        "address",
        host,
        false,
        `${host} has no address, so visitors cannot reach it`,
        `publish the ask for ${host}: zandrel draft shows it`,
      ),
    ];
  if (wanted.length === 0) return [check("address", host, true, `${host} leads to ${found.join(", ")}`)];
  const missing = wanted.filter((address) => !found.includes(address));
  const foreign = found.filter((address) => !wanted.includes(address));
  const leftovers = foreign.map((address) =>
    check(
      "leftover",
      host,
      false,
      `${host} also has the address ${address}, which the service did not ask for: some visitors arrive there`,
      `remove the ${address.includes(":") ? "AAAA" : "A"} record ${address}, if it is the previous site's`,
    ),
  );
  return [
    missing.length === 0
      ? check("address", host, true, `${host} leads to the service's addresses`)
      : check(
          "address",
          host,
          false,
          `${host} does not lead to ${missing.join(", ")}, as the service asks`,
          "publish the ask: zandrel draft shows what is in the way",
        ),
    ...leftovers,
  ];
}
