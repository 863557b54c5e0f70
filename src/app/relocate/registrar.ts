import * as z from "zod";
import { clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import { parseName, withoutRootDot } from "../../core/name/index.ts";
import { fetchBounded } from "../../net/fetch-bounded.ts";
import { type AppContext, type CommonRequest, type Outcome, onlyOperand } from "../context.ts";
import { nameOperand } from "../dns/context.ts";
import { domainName, sentence, time } from "../shapes.ts";

/** What the lab's registrar answers: what it has on record. */
const registration = z.object({
  nameServers: z.array(z.string()),
  host: z.string().nullable(),
  ttl: z.number(),
  ds: z.array(z.string()),
  dsTtl: z.number(),
});

const refusal = z.object({ error: z.string() });

/** What octets say as JSON; undefined where they are none. */
function jsonIn(octets: Buffer): unknown {
  try {
    return JSON.parse(octets.toString("utf8"));
  } catch {
    return undefined;
  }
}

export const labRegistrarSchema = z.object({
  at: time,
  domain: domainName,
  nameServers: z.array(domainName).describe("those that the registry names"),
  host: z.string().nullable().describe("the DNS host that all of them belong to, by its key in the lab's settings"),
  ttl: z.number().describe("for how long resolvers remember the name servers, in seconds"),
  ds: z.array(z.string()).describe("the DNSSEC records, as zone files write their data"),
  before: z
    .object({ nameServers: z.array(domainName), ds: z.array(z.string()) })
    .nullable()
    .describe("what was on record, where it was changed"),
  rememberedUntil: time.nullable().describe("until when resolvers may remember what was changed"),
  next: sentence.describe("the command to run next"),
});

export type LabRegistrarResult = z.output<typeof labRegistrarSchema>;

/** What {@link labRegistrar} is asked. */
export interface LabRegistrarRequest extends CommonRequest {
  /** Names of servers, or keys of the lab's DNS hosts; none leave them as they are. */
  readonly nameServers: readonly string[];
  /** DNSSEC records, as zone files write their data; none leave them as they are. */
  readonly ds: readonly string[];
  readonly withoutDs: boolean;
  /** Longest wait for an answer, in milliseconds. */
  readonly timeout: number;
}

/** Octets of an answer, at most. */
const MAX_ANSWER = 1 << 16;

/** Shows or changes what the registrar of a running lab has on record for a domain: its name servers and its DNSSEC records. */
export async function labRegistrar(request: LabRegistrarRequest, context: AppContext): Promise<Outcome<LabRegistrarResult>> {
  const domain = nameOperand(onlyOperand(request));
  const lab = context.env.ZANDREL_LAB;
  if (lab === undefined || lab === "") throw new Failure("lab-unknown", {});
  const ask = async (change?: object) => {
    const asked = await fetchBounded(`${lab}/registrar/${withoutRootDot(domain)}`, {
      timeout: request.timeout,
      most: MAX_ANSWER,
      method: change === undefined ? "GET" : "POST",
      headers: { accept: "application/json", ...(change === undefined ? {} : { "content-type": "application/json" }) },
      ...(change === undefined ? {} : { body: JSON.stringify(change) }),
    });
    if (!asked.ok) throw new Failure("lab-unreachable", { because: asked.error });
    const { status, body } = asked.value;
    if (status === 404) throw new Failure("lab-other-domain", { domain });
    const answer = jsonIn(body);
    const refused = status === 422 ? refusal.safeParse(answer) : undefined;
    if (refused?.success === true) throw new Failure("registrar-refused", { domain, said: refused.data.error });
    const read = registration.safeParse(answer);
    if (status !== 200 || !read.success)
      throw new Failure("lab-unreachable", { because: clause("peer-http-status", { status }) });
    const { nameServers, ...rest } = read.data;
    return { ...rest, nameServers: nameServers.map(serverName) };
  };
  const { nameServers, ds, withoutDs } = request;
  const before = await ask();
  const changes = nameServers.length > 0 || ds.length > 0 || withoutDs;
  const after = changes
    ? await ask({ ...(nameServers.length > 0 ? { nameServers } : {}), ...(ds.length > 0 || withoutDs ? { ds } : {}) })
    : before;
  const now = context.clock.now();
  const remembered = [
    ...(sameTexts(before.nameServers, after.nameServers) ? [] : [before.ttl]),
    ...(sameTexts(before.ds, after.ds) ? [] : [before.dsTtl]),
  ];
  const changed = remembered.length > 0;
  return {
    ended: "fine",
    result: {
      at: now,
      domain,
      nameServers: after.nameServers,
      host: after.host,
      ttl: after.ttl,
      ds: after.ds,
      before: changed ? { nameServers: before.nameServers, ds: before.ds } : null,
      rememberedUntil: changed ? now + Math.max(...remembered) * 1000 : null,
      next:
        changed && after.host !== null
          ? clause("next-relocate-check", { domain, host: after.host })
          : clause("next-registrar", { domain, host: after.host === "zonemarrow" ? "nettlehost" : "zonemarrow" }),
    },
  };
}

const sameTexts = (one: readonly string[], other: readonly string[]): boolean =>
  [...one].sort().join("\n") === [...other].sort().join("\n");

/** A name that the registrar answered. */
function serverName(text: string) {
  const parsed = parseName(text);
  return parsed.ok ? parsed.value : nameOperand(text);
}
