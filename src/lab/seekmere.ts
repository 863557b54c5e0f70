import { createHash } from "node:crypto";
import Fastify from "fastify";
import type { Clock } from "../clock.ts";
import { parseName } from "../core/name/index.ts";
import { isOfType, joined } from "../core/record/index.ts";
import type { CachingResolver } from "./resolver.ts";

export interface RunningService {
  /** Where the service link is (docs/service-link.md). */
  readonly link: string;
  /** What the service shows to somebody who adds a domain, as text copied from its page. */
  instructions(domain: string): string;
  close(): Promise<void>;
}

/** The token Seekmere hands out for a domain; always the same for the same domain. */
const tokenFor = (domain: string): string =>
  `seekmere-owner=${createHash("sha256").update(`seekmere ${domain}`).digest("hex").slice(0, 10)}`;

/** The search engine of the lab: asks for a TXT token at the domain itself, and looks for it through a caching resolver of its own. */
export async function startSeekmere({
  clock,
  resolver,
  key,
}: {
  clock: Clock;
  resolver: CachingResolver;
  key: string;
}): Promise<RunningService> {
  const server = Fastify({ logger: false, forceCloseConnections: true });
  server.addHook("onRequest", async (request, reply) => {
    if (request.url !== "/link/v1" && request.headers.authorization !== `Bearer ${key}`)
      await reply.code(401).send({ error: "a key is needed" });
  });
  server.get("/link/v1", async () => ({ contract: "zandrel-service-link", version: 1, service: "Seekmere" }));
  server.post<{ Body: { domain?: unknown; purpose?: unknown } }>("/link/v1/checks", async (request, reply) => {
    const parsed = parseName(String(request.body?.domain ?? ""));
    if (!parsed.ok || request.body.purpose !== "ownership")
      return reply.code(422).send({ error: "Seekmere checks the ownership of a domain" });
    const token = tokenFor(parsed.value.slice(0, -1));
    const answer = await resolver.ask(parsed.value, "TXT");
    const seen = answer.kind === "found" && isOfType(answer.set, "TXT") && answer.set.data.some((data) => joined(data) === token);
    const checkedAt = new Date(clock.now()).toISOString();
    return seen
      ? { verdict: "accepted", reason: "The token was found. You are verified.", checkedAt }
      : { verdict: "not-yet", reason: "We could not find your token. It can take up to 48 hours.", checkedAt };
  });
  const address = await server.listen({ host: "127.0.0.1", port: 0 });
  return {
    link: `${address}/link/v1`,
    instructions: (domain) =>
      `Verify that you own ${domain}\nAdd this record at your DNS provider:\nType   TXT\nHost   @\nValue  ${tokenFor(domain)}\n`,
    close: () => server.close(),
  };
}
