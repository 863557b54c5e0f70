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
  | "issuer-forbidden";

/** One thing checked of a site: it holds, does not hold, or could not be determined. */
export interface SiteCheck {
  readonly id: string;
  readonly name: string;
  readonly met: boolean | undefined;
  readonly because: string;
  /** What to do; empty where it holds. */
  readonly remedy: string;
  /** What kind of thing is wrong; only where it does not hold. */
  readonly flaw?: SiteFlaw;
  /** Of a certificate that is right: when it ends, in milliseconds since 1970. */
  readonly until?: number;
}

/** Makes the checks of one name: what is right, what is wrong, and what could not be determined. */
export const checksOf = (id: string, name: string) => ({
  right: (because: string): SiteCheck => ({ id, name, met: true, because, remedy: "" }),
  wrong: (flaw: SiteFlaw, because: string, remedy: string): SiteCheck => ({ id, name, met: false, because, remedy, flaw }),
  unknown: (because: string, remedy: string): SiteCheck => ({ id, name, met: undefined, because, remedy }),
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
  const { right, wrong, unknown } = checksOf("certificate", host);
  const pending =
    since === undefined
      ? ""
      : `, ${spanSince(now - since)} after the name was published; most are there a few hours after everyone sees the address`;
  if ("none" in fetched) {
    const remedy = "see that the site builder has the domain, and that the address is right";
    return fetched.none.kind === "unknown"
      ? unknown(fetched.none.detail, remedy)
      : wrong("unreachable", fetched.none.detail, remedy);
  }
  const { certificate } = fetched.page;
  if (certificate === undefined) return unknown("the server showed no certificate", "try again");
  if (!covers(certificate, host))
    return wrong(
      "certificate-name",
      `the certificate there is for ${certificate.names.join(", ") || "no name at all"}, not for ${host}: the right one is probably still pending${pending}`,
      "wait for the certificate, or ask the site builder or issuer why it is still pending",
    );
  if (certificate.until < now)
    return wrong(
      "certificate-expired",
      `the certificate for ${host} has expired`,
      "ask the site builder or issuer to renew it; the record that proves the domain may have been removed",
    );
  if (certificate.distrust !== undefined)
    return wrong(
      "certificate-untrusted",
      `browsers do not trust the certificate for ${host} (${certificate.distrust})`,
      "ask the site builder or issuer for a certificate that browsers trust",
    );
  return { ...right(`the certificate covers ${host}`), until: certificate.until };
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
  const { right, wrong, unknown } = checksOf("redirect", from);
  const nothing = ({ kind, detail }: NoPage, remedy: string) =>
    kind === "unknown" ? unknown(detail, remedy) : wrong("unreachable", detail, remedy);
  const first = chain[0] as Fetched;
  const broken = chain.find((one): one is { none: NoPage } => "none" in one);
  if (broken !== undefined && broken === first) return nothing(broken.none, "point the domain at the service that redirects it");
  const pages = chain.flatMap((one) => ("page" in one ? [one.page] : []));
  const last = pages.at(-1) as Page;
  const temporary = pages.find((page) => page.location !== undefined && !PERMANENT.has(page.status));
  const start = new URL(from);
  const steps = pages.filter((page) => page.location !== undefined);
  if (steps.length === 0) return notRedirecting(from, last, target);
  const retarget = `change the redirect's target to https://${target}`;
  const end = new URL(steps.at(-1)?.location ?? last.url);
  if (end.hostname !== target && !alsoAt.includes(end.hostname))
    return wrong("wrong-target", `it leads to ${end.hostname}, not to ${target}`, retarget);
  if (end.protocol !== "https:") return wrong("unencrypted", `it ends at http://${end.hostname}, without encryption`, retarget);
  const bare = steps.find(({ url, location = "" }) => {
    const to = new URL(location, url);
    return (
      to.protocol === "http:" &&
      (url.startsWith("https:") || [target, ...alsoAt].includes(to.hostname)) &&
      new URL(url).hostname !== to.hostname
    );
  });
  if (bare !== undefined)
    return wrong(
      "unencrypted",
      `it goes by way of http://${new URL(bare.location ?? "", bare.url).hostname}, without encryption`,
      retarget,
    );
  if (temporary !== undefined)
    return wrong(
      "temporary",
      `the redirect at ${new URL(temporary.url).hostname} is temporary (${temporary.status}), so search engines keep the old address`,
      "make it permanent (301 or 308)",
    );
  if (end.pathname !== start.pathname || end.search !== start.search)
    return wrong(
      "path-lost",
      `the path is lost: ${start.pathname}${start.search} arrives at ${end.pathname}${end.search}`,
      "let the redirect keep path and query",
    );
  if (broken !== undefined) return nothing(broken.none, "see that the target answers");
  return right(`it redirects permanently to https://${target}, path and query kept`);
}

/** A page that answers where a redirect is wanted. */
function notRedirecting(from: string, { body, status }: Page, target: string): SiteCheck {
  const { wrong } = checksOf("redirect", from);
  switch (pretends(body)) {
    case "frame":
      return wrong(
        "framed",
        "the page shows the other site inside a frame, so search engines and links see the wrong address",
        "choose a permanent redirect instead of “forwarding with masking”",
      );
    case "refresh":
      return wrong(
        "moves-after-loading",
        "the page moves on by itself after loading instead of redirecting",
        "choose a permanent redirect (301)",
      );
    case undefined:
      return wrong(
        "no-redirect",
        `it answers by itself (${status}) and does not redirect`,
        `set up a permanent redirect (301) to https://${target}`,
      );
  }
}

/** The addresses one name has, beside those its asks want. */
export function judgeAddresses(
  name: DomainName,
  found: readonly string[] | undefined,
  wanted: readonly string[],
  failure: string,
): SiteCheck[] {
  const host = displayName(name);
  const { right, wrong, unknown } = checksOf("address", host);
  if (found === undefined) return [unknown(failure, "try again when the name servers answer")];
  if (found.length === 0)
    return [
      wrong(
        "no-address",
        `${host} has no address, so visitors cannot reach it`,
        `publish the ask for ${host}: zandrel draft shows it`,
      ),
    ];
  if (wanted.length === 0) return [right(`${host} leads to ${found.join(", ")}`)];
  const missing = wanted.filter((address) => !found.includes(address));
  const foreign = found.filter((address) => !wanted.includes(address));
  return [
    missing.length === 0
      ? right(`${host} leads to the service's addresses`)
      : wrong(
          "missing-address",
          `${host} does not lead to ${missing.join(", ")}, as the service asks`,
          "publish the ask: zandrel draft shows what is in the way",
        ),
    ...foreign.map((address) =>
      checksOf("leftover", host).wrong(
        "leftover-address",
        `${host} also has the address ${address}, which the service did not ask for: some visitors arrive there`,
        `remove the ${address.includes(":") ? "AAAA" : "A"} record ${address}, if it is the previous site's`,
      ),
    ),
  ];
}
