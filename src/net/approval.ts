import * as z from "zod";
import { type Clause, clause } from "../core/clause/index.ts";
import { err, ok, type Result } from "../core/result.ts";
import { grantedAddress, type Template, type TemplateCall, templateAddress, templateSchema } from "../core/template/index.ts";
import { fetchBounded, isLoopback, isSafeAddress } from "./fetch-bounded.ts";

/** Octets of an answer of a DNS host, at most. */
const MAX_ANSWER = 256 << 10;

const line = z.string().max(500);
const address = z.string().max(2000).refine(isSafeAddress);
const settings = z.looseObject({
  providerId: line,
  providerName: line,
  providerDisplayName: line.optional(),
  urlSyncUX: address.optional(),
  urlAsyncUX: address.optional(),
  urlAPI: address,
  urlControlPanel: line.optional(),
  nameServers: z.array(line).max(50).optional(),
});

/** A DNS host that takes approvals, as its settings document describes it. */
export interface ApprovalHost {
  readonly id: string;
  readonly title: string;
  /** Where a person approves a template; undefined where it has no such page. */
  readonly page: string | undefined;
  /** Where a person grants that templates are applied later, too; undefined where it has no such page. */
  readonly grants: string | undefined;
  readonly api: string;
}

/** Why a host did not do what it was asked; `because` is half a sentence. */
export interface ApprovalFailure {
  readonly kind: "not-offered" | "unauthorized" | "conflict" | "refused" | "unanswered";
  readonly because: Clause;
}

const unanswered = (because: Clause) => err({ kind: "unanswered" as const, because });

/** The address of a host's settings, from the text at `_domainconnect` of a zone: a host name, with or without a path. */
export function settingsAddress(text: string, zone: string): string | undefined {
  const isPlace = /^(?:\[[0-9a-f:]+\]|[A-Za-z0-9.-]+)(?::\d{1,5})?(?:\/[A-Za-z0-9._~-]+)*\/?$/i.test(text);
  if (!isPlace || text.includes("..")) return undefined;
  const base = `https://${text.replace(/\/$/, "")}`;
  if (!URL.canParse(base)) return undefined;
  const { hostname } = new URL(base);
  const url = `${isLoopback(hostname) ? base.replace(/^https/, "http") : base}/v2/${encodeURIComponent(zone)}/settings`;
  return isSafeAddress(url) ? url : undefined;
}

const json = (body: Buffer): unknown => {
  try {
    return JSON.parse(body.toString("utf8"));
  } catch {
    return undefined;
  }
};

/** What a host says went wrong, in its own words where it has some. */
function wordsOf(body: Buffer): string | undefined {
  const zodSafeParseResult = z
    .looseObject({ message: line.optional(), error_description: line.optional(), error: line.optional() })
    .safeParse(json(body));
  const words = zodSafeParseResult.success
    ? (zodSafeParseResult.data.message ?? zodSafeParseResult.data.error_description ?? zodSafeParseResult.data.error)
    : undefined;
  return words === "" ? undefined : words;
}

/** Reads the settings of a host for a zone. */
export async function readHostSettings(url: string, timeout: number): Promise<Result<ApprovalHost, ApprovalFailure>> {
  const answer = await fetchBounded(url, { timeout, most: MAX_ANSWER });
  if (!answer.ok) return unanswered(answer.error);
  const { status, body } = answer.value;
  if (status === 404) return err({ kind: "not-offered", because: clause("peer-not-offered") });
  if (status !== 200) return unanswered(clause("peer-http-status", { status }));
  const read = settings.safeParse(json(body));
  if (!read.success) return unanswered(clause("peer-settings-form"));
  const { providerId, providerName, providerDisplayName, urlSyncUX, urlAsyncUX, urlAPI } = read.data;
  // Nobody may lead from this machine's own services to the outside, or from outside to this machine.
  const addresses = [urlSyncUX, urlAsyncUX, urlAPI].filter((candidate) => candidate !== undefined);
  const local = isLoopback(new URL(url).hostname);
  if (addresses.some((candidate) => isLoopback(new URL(candidate).hostname) !== local))
    return unanswered(clause("peer-settings-elsewhere"));
  return ok({ id: providerId, title: providerDisplayName ?? providerName, page: urlSyncUX, grants: urlAsyncUX, api: urlAPI });
}

/** Asks a host for a template; undefined where it knows it and does not show it. */
export async function readHostTemplate(
  host: ApprovalHost,
  call: Pick<TemplateCall, "provider" | "service">,
  timeout: number,
): Promise<Result<Template | undefined, ApprovalFailure>> {
  const answer = await fetchBounded(templateAddress(host.api, call), { timeout, most: MAX_ANSWER });
  if (!answer.ok) return unanswered(answer.error);
  const { status, body } = answer.value;
  if (status === 404)
    return err({
      kind: "not-offered",
      because: clause("peer-template-unknown", { provider: call.provider, service: call.service }),
    });
  if (status !== 200) return unanswered(clause("peer-http-status", { status }));
  const read = templateSchema.safeParse(json(body));
  if (!read.success) return ok(undefined);
  const { providerId, serviceId } = read.data;
  return providerId === call.provider && serviceId === call.service ? ok(read.data) : unanswered(clause("peer-template-other"));
}

/** Tells a host that was granted it to apply a template, or to take it back. */
export async function applyGranted(
  host: ApprovalHost,
  call: TemplateCall,
  {
    domain,
    token,
    force,
    revert,
    timeout,
  }: { domain: string; token: string; force?: boolean; revert?: boolean; timeout: number },
): Promise<Result<undefined, ApprovalFailure>> {
  const url = grantedAddress(host.api, call, domain, { ...(force && { force }), ...(revert && { revert }) });
  const headers = { authorization: `Bearer ${token}`, accept: "application/json" };
  const answer = await fetchBounded(url, { method: "POST", headers, timeout, most: MAX_ANSWER });
  if (!answer.ok) return unanswered(answer.error);
  const { status, body } = answer.value;
  const said = wordsOf(body)?.replaceAll(token, "…");
  if (status === 200 || status === 202 || status === 204) return ok(undefined);
  if (status === 401) return err({ kind: "unauthorized", because: clause("peer-grant-ended", { said }) });
  if (status === 409) return err({ kind: "conflict", because: clause("peer-records-in-the-way", { said }) });
  if (status === 404) return err({ kind: "not-offered", because: clause("peer-template-or-domain-unknown", { said }) });
  if (status >= 400 && status < 500) return err({ kind: "refused", because: clause("peer-refuses", { status, said }) });
  return unanswered(clause("peer-http-status", { status }));
}
