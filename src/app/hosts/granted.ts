import { type Clause, clause } from "../../core/clause/index.ts";
import { withoutRootDot } from "../../core/name/index.ts";
import { err, type Result } from "../../core/result.ts";
import type { TemplateCall } from "../../core/template/index.ts";
import type { ApprovalFailure, ApprovalHost } from "../../net/index.ts";
import { type Domain, readSecret, type Settings, type Workspace } from "../../workspace/index.ts";
import type { AppContext } from "../context.ts";
import { changeGrants, type Grant, readGrants } from "./grants.ts";

/** How long a person has to approve, in milliseconds. */
export const APPROVAL_WINDOW = 300_000;

/** A grant that is ready to be used for one template at the host that gave it. */
export interface UsableGrant {
  apply(force: boolean): Promise<Result<undefined, Clause>>;
  revert(): Promise<Result<undefined, Clause>>;
}

/** An answer whose reason is a clause. */
const inClause = (answer: Result<undefined, ApprovalFailure>): Result<undefined, Clause> =>
  answer.ok ? answer : err(answer.error.because);

/**
 * Who asks the host for grants.
 *
 * @param endpoint where it is told; a place that is found by the DNS may be anybody's, so a secret is for the one it was set up for
 */
export function clientOf(
  settings: Settings,
  host: string,
  provider: string,
  endpoint: string,
  { folder, env }: { readonly folder: string; readonly env: Readonly<Record<string, string | undefined>> },
): { readonly id: string; readonly secret?: string } {
  const publish = settings.hosts[host]?.publish;
  const client = publish?.way === "approval" ? publish.client : undefined;
  if (client === undefined) return { id: provider };
  return client.secret === undefined || client.at !== new URL(endpoint).host
    ? { id: client.id }
    : {
        id: client.id,
        secret: readSecret(
          client.secret,
          clause("secret-approvals", { title: settings.hosts[host]?.title ?? host }),
          folder,
          env,
        ),
      };
}

/**
 * The grant that covers a template at a host; undefined where there is none, so that a person has to approve it.
 *
 * @param at the host as it is found now: a domain that has moved, or whose discovery record was changed, leads to another one,
 *   and that one is not told what the first was entrusted with
 */
export async function grantFor(
  {
    host,
    workspace: { folder, settings },
    request: { timeout },
    context,
  }: {
    /** The key of the DNS host in zandrel.yaml. */
    readonly host: string;
    readonly workspace: Workspace;
    readonly request: { readonly timeout: number };
    readonly context: Pick<AppContext, "env" | "tell">;
  },
  domain: Domain,
  call: TemplateCall,
  at: ApprovalHost,
): Promise<UsableGrant | undefined> {
  const { env } = context;
  const all = readGrants(folder, host, domain.name);
  let grant = all.find(
    (candidate) => candidate.provider === call.provider && candidate.services.includes(call.service) && candidate.api === at.api,
  );
  if (grant === undefined) return undefined;
  const { renewGrant } = await import("../../net/oauth.ts");
  const { applyGranted } = await import("../../net/approval.ts");
  /** The grant with a new token; undefined where it cannot be had, and why where the host could not be asked. */
  const renewed = async (old: Grant): Promise<Grant | { readonly unanswered: Clause } | undefined> => {
    // Another process may have renewed it meanwhile, and a refresh token often serves once.
    const current = readGrants(folder, host, domain.name).find((readGrant) => readGrant.provider === old.provider);
    if (current !== undefined && current.token !== old.token && current.api === at.api) return current;
    if (old.refresh === undefined) return undefined;
    const now = Date.now();
    const server = { authorize: old.tokenEndpoint, token: old.tokenEndpoint };
    const tokens = await renewGrant(
      server,
      clientOf(settings, host, old.provider, old.tokenEndpoint, { folder, env }),
      old.refresh,
      {
        now,
        timeout,
      },
    );
    if (!tokens.ok) return tokens.error.kind === "unanswered" ? { unanswered: tokens.error.because } : undefined;
    const { access, refresh, until } = tokens.value;
    const { until: _, ...kept } = old;
    const next: Grant = {
      ...kept,
      token: access,
      ...(refresh === undefined ? {} : { refresh }),
      ...(until === undefined ? {} : { until }),
    };
    await changeGrants(folder, host, domain.name, context, (grants) => [
      ...grants.filter((candidate) => candidate.provider !== old.provider),
      next,
    ]);
    return next;
  };
  const tell = async (options: { force?: boolean; revert?: boolean }) => {
    // A token that is about to end is renewed before; one that the host does not take any more, once.
    if (grant?.until !== undefined && grant.until < Date.now() + 10_000) {
      const fresh = await renewed(grant);
      if (fresh !== undefined && "unanswered" in fresh) return err(fresh.unanswered);
      grant = fresh ?? grant;
    }
    const send = (token: string) => applyGranted(at, call, { domain: withoutRootDot(domain.name), token, timeout, ...options });
    const first = await send((grant as Grant).token);
    if (first.ok || first.error.kind !== "unauthorized") return inClause(first);
    const next = await renewed(grant as Grant);
    if (next !== undefined && "unanswered" in next) return err(next.unanswered);
    if (next === undefined) return err(clause("approve-again", { because: first.error.because, host, domain: domain.name }));
    grant = next;
    return inClause(await send(next.token));
  };
  return {
    apply: (force) => tell(force ? { force } : {}),
    revert: () => tell({ revert: true }),
  };
}
