import { createHash } from "node:crypto";
import Fastify, { type FastifyInstance, type FastifyRequest } from "fastify";
import type { Clock } from "../clock.ts";
import { type DomainName, name, parseName } from "../core/name/index.ts";
import { type DataOf, isOfType, txtValue } from "../core/record/index.ts";
import { LINK_CONTRACT, type Offer } from "../core/sending/index.ts";
import type { CachingResolver } from "./resolver.ts";

export interface RunningService {
  /** Where the service link is (docs/service-link.md). */
  readonly link: string;
  /** What the service shows to somebody who adds a domain, as text copied from its page. */
  instructions(domain: string, purpose?: string): string;
  /** Looks for what it asks for now, as its verify button does; undefined for a purpose it does not check. */
  check(domain: DomainName, purpose: string): Promise<{ readonly accepted: boolean; readonly reason: string } | undefined>;
  close(): Promise<void>;
}

/** What one service asks for one purpose: what its page shows, and how it looks for it. */
export interface Step {
  readonly shows: (domain: string) => string;
  /** What it says when it refuses; undefined where it accepts. */
  readonly refuses: (domain: DomainName, resolver: CachingResolver) => Promise<string | undefined>;
  readonly acceptance: string;
}

/** A step that knows one refusal only. */
export const unless =
  (accepts: (domain: DomainName, resolver: CachingResolver) => Promise<boolean>, refusal: string): Step["refuses"] =>
  async (domain, resolver) =>
    (await accepts(domain, resolver)) ? undefined : refusal;

export interface ServiceDescription {
  readonly title: string;
  readonly steps: Readonly<Record<string, Step>>;
  /** Told when a step was accepted. */
  readonly onAccepted?: (domain: string, purpose: string) => void;
}

/** The same short secret for the same domain, every time. */
export const secret = (service: string, domain: string, length: number): string =>
  createHash("sha256").update(`${service} ${domain}`).digest("hex").slice(0, length);

export const hasText = async (resolver: CachingResolver, at: DomainName, text: string): Promise<boolean> => {
  const answer = await resolver.ask(at, "TXT");
  return answer.kind === "found" && isOfType(answer.set, "TXT") && answer.set.data.some((data) => txtValue(data) === text);
};

const leadsTo = async (resolver: CachingResolver, at: DomainName, addresses: readonly string[]): Promise<boolean> => {
  const answer = await resolver.ask(at, "A");
  return (
    answer.kind === "found" &&
    (answer.set.data as readonly DataOf["A"][]).every((data) => addresses.includes(data.address)) &&
    answer.set.data.length > 0
  );
};

export const plain = (domain: DomainName): string => domain.slice(0, -1);

/** The search engine: a TXT token at the domain itself. */
export const seekmere: ServiceDescription = {
  title: "Seekmere",
  steps: {
    ownership: {
      shows: (domain) =>
        `Verify that you own ${domain}\nAdd this record at your DNS provider:\nType   TXT\nHost   @\nValue  seekmere-owner=${secret("seekmere", domain, 10)}\n`,
      refuses: unless(
        (domain, resolver) => hasText(resolver, domain, `seekmere-owner=${secret("seekmere", plain(domain), 10)}`),
        "We could not find your token. It can take up to 48 hours.",
      ),
      acceptance: "The token was found. You are verified.",
    },
  },
};

/** What the site builder knows of its customer's sites. */
export interface SiteDesk {
  /** Whether the site of a domain was published in the builder. */
  isPublished(domain: string): boolean;
  /** Whether the customer's plan has room for this domain. */
  hasRoom(domain: string): boolean;
}

/** The site builder: first a claim at a label of its own, then the addresses of the site. */
export const pagewick = (address: string, desk: SiteDesk): ServiceDescription => ({
  title: "Pagewick",
  steps: {
    ownership: {
      shows: (domain) =>
        `Claim ${domain} for your Pagewick site\n\nName\tType\tContent\n_pagewick\tTXT\tpagewick-claim:${secret("pagewick", domain, 8)}\n`,
      refuses: unless(
        (domain, resolver) =>
          hasText(resolver, name("_pagewick", domain), `pagewick-claim:${secret("pagewick", plain(domain), 8)}`),
        "Your domain is not connected yet. Check again later.",
      ),
      acceptance: "The claim is accepted. Now point your domain at Pagewick.",
    },
    site: {
      shows: (domain) =>
        `Point ${domain} at Pagewick\n\nName\tType\tContent\n@\tA\t${address}\nwww\tA\t${address}\n_wick\tTXT\tpagewick-site=${domain.split(".")[0]}\n`,
      async refuses(domain, resolver) {
        const own = plain(domain);
        if (!desk.hasRoom(own)) return "Your plan has room for one domain, and that one is taken. Choose a larger plan.";
        if (!desk.isPublished(own)) return "Publish your site first: there is nothing to connect yet.";
        const [apex, www] = await Promise.all([domain, name("www", domain)].map((at) => leadsTo(resolver, at, [address])));
        if (!apex && !www) return "Your domain does not point to us yet.";
        if (!apex) return `www.${own} points to us, and ${own} alone does not.`;
        if (!www) return `${own} points to us, and www.${own} does not.`;
        const token = await hasText(resolver, name("_wick", domain), `pagewick-site=${own.split(".")[0]}`);
        return token ? undefined : "Your domain points to us, and the record _wick is missing.";
      },
      acceptance: "Connected. The certificate is being issued.",
    },
  },
});

/** The certificate issuer: an alias at an underscore label that has to stay. */
export const sealbarrow: ServiceDescription = {
  title: "Sealbarrow",
  steps: {
    certificate: {
      shows: (domain) =>
        `Certificate request for ${domain}\nAdd a CNAME record for _sb-${secret("sealbarrow", domain, 4)} pointing to ${secret("sealbarrow", domain, 12)}.proof.sealbarrow.example\n`,
      refuses: unless(async (domain, resolver) => {
        const answer = await resolver.ask(name(`_sb-${secret("sealbarrow", plain(domain), 4)}`, domain), "CNAME");
        return (
          answer.kind === "found" &&
          isOfType(answer.set, "CNAME") &&
          answer.set.data[0]?.target === name(`${secret("sealbarrow", plain(domain), 12)}.proof.sealbarrow.example`)
        );
      }, "Validation pending."),
      acceptance: "Validated. Keep the record for renewals.",
    },
  },
};

/** What a key is good for; undefined is everything. */
export interface Reach {
  readonly scope: "mail" | "account";
  /** The only domain; undefined is every one. */
  readonly domain: string | undefined;
}

/** More that a service offers over its link. */
export interface MoreOffers {
  readonly offers: readonly Offer[];
  /** What a key other than the account's own is good for; undefined where it is not known. */
  reach(key: string): Reach | undefined;
  /** Adds its routes; `reach` of a request is what its key is good for. */
  routes(server: FastifyInstance, reach: (request: FastifyRequest) => Reach): void;
}

/** Starts a service with a caching resolver of its own and its link over HTTP. */
export async function startService(
  { title, steps, onAccepted }: ServiceDescription,
  { clock, resolver, key, more }: { clock: Clock; resolver: CachingResolver; key: string; more?: MoreOffers },
): Promise<RunningService> {
  const server = Fastify({ logger: false, forceCloseConnections: true, bodyLimit: 4 << 20 });
  const reaches = new WeakMap<FastifyRequest, Reach>();
  const check = async (step: Step, domain: DomainName, purpose: string) => {
    const refusal = await step.refuses(domain, resolver);
    if (refusal === undefined) onAccepted?.(plain(domain), purpose);
    return { accepted: refusal === undefined, reason: refusal ?? step.acceptance };
  };
  server.addHook("onRequest", async (request, reply) => {
    if (request.method === "GET" && (request.url === "/link/v1" || request.url.startsWith("/open/"))) return undefined;
    const given = request.headers.authorization?.replace(/^Bearer /, "") ?? "";
    const reach: Reach | undefined = given === key ? { scope: "account", domain: undefined } : more?.reach(given);
    if (reach === undefined) return reply.code(401).send({ error: "a key is needed" });
    if (reach.scope === "mail" && !request.url.startsWith("/link/v1/messages"))
      return reply.code(403).send({ error: "this key can only send" });
    reaches.set(request, reach);
  });
  server.get("/link/v1", async () => ({
    contract: LINK_CONTRACT,
    version: 1,
    service: title,
    offers: ["checks", ...(more?.offers ?? [])],
  }));
  server.post<{ Body: { domain?: unknown; purpose?: unknown } }>("/link/v1/checks", async (request, reply) => {
    const parsed = parseName(String(request.body?.domain ?? ""));
    const purpose = String(request.body?.purpose);
    const step = Object.hasOwn(steps, purpose) ? steps[purpose] : undefined;
    if (!parsed.ok || step === undefined)
      return reply.code(422).send({ error: `${title} checks ${Object.keys(steps).join(", ")}` });
    const { accepted, reason } = await check(step, parsed.value, purpose);
    return { verdict: accepted ? "accepted" : "not-yet", reason, checkedAt: new Date(clock.now()).toISOString() };
  });
  more?.routes(server, (request) => reaches.get(request) as Reach);
  const address = await server.listen({ host: "127.0.0.1", port: 0 });
  return {
    link: `${address}/link/v1`,
    instructions: (domain, purpose = Object.keys(steps)[0] as string) => steps[purpose]?.shows(domain) ?? "",
    async check(domain, purpose) {
      const step = Object.hasOwn(steps, purpose) ? steps[purpose] : undefined;
      return step === undefined ? undefined : check(step, domain, purpose);
    },
    close: () => server.close(),
  };
}
