import * as z from "zod";
import { type Clause, clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import { withoutRootDot } from "../../core/name/index.ts";
import { templateCalls } from "../../core/template/index.ts";
import { isSafeAddress } from "../../net/index.ts";
import type { GrantServer } from "../../net/oauth.ts";
import type { CameBack, RedirectListener } from "../../net/redirect-listener.ts";
import { type Domain, openWorkspace, pickDomains, type Workspace } from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import { type DnsOptions, nameOperand, openDns } from "../dns/context.ts";
import { domainName, sentence } from "../shapes.ts";
import { approvalHostOf } from "./discover.ts";
import { APPROVAL_WINDOW, clientOf } from "./granted.ts";
import { changeGrants, type Grant, readGrants } from "./grants.ts";

export const approveHostSchema = z.object({
  host: z.string(),
  domain: domainName,
  granted: z.array(z.object({ provider: z.string(), services: z.array(z.string()), renewable: z.boolean() })),
  next: sentence,
});
export const forgetHostSchema = z.object({
  host: z.string(),
  domain: domainName,
  forgotten: z.number().describe("grants that were deleted here"),
  kept: z.number().describe("grants that are kept, because the host could not be asked to take them back"),
  revoked: z.number().describe("of these, those that the host took back too"),
  because: z.array(sentence).describe("why the others were not taken back there"),
});

/** What {@link approveHost} and {@link forgetHost} are asked. */
export interface ApproveHostRequest extends CommonRequest, Pick<DnsOptions, "resolver" | "timeout"> {
  readonly open: boolean;
  readonly copy: boolean;
}

/** The host and the domain that a request names. */
function named({ operands }: CommonRequest, workspace: Workspace): { key: string; title: string; domain: Domain } {
  const [key = "", ...names] = operands;
  const host = workspace.settings.hosts[key];
  if (host === undefined) throw new Failure("unknown-host", { given: key, known: Object.keys(workspace.settings.hosts) });
  const [domain] = pickDomains(workspace, names.map(nameOperand));
  if (domain === undefined || names.length > 1)
    throw new Failure("which-domain", { domains: workspace.domains.map(({ name }) => name) });
  return { key, title: host.title, domain };
}

type Granted = z.output<typeof approveHostSchema>["granted"][number];

/** What is asked of whom: a grant for the templates of one provider. */
interface Granting {
  readonly workspace: Workspace;
  readonly key: string;
  readonly title: string;
  readonly domain: Domain;
  readonly api: string;
  readonly server: GrantServer;
  readonly provider: string;
  readonly services: string[];
  /** The providers that were approved before in the same run. */
  readonly kept: readonly string[];
}

/** The browser as it comes back, or the address at which it ended elsewhere, as the person types it. */
async function returned(listener: RedirectListener, context: AppContext): Promise<CameBack> {
  const stop = new AbortController();
  const typed = async (): Promise<CameBack> => {
    for (;;) {
      const line = await context.prompt(clause("approve-paste-address"), stop.signal);
      if (line === undefined || line === "") return { kind: "nobody" };
      const back = listener.read(line);
      if (back !== undefined) return back;
      await context.tell(clause("approve-not-this-address"));
    }
  };
  const back = await Promise.race([listener.wait(APPROVAL_WINDOW, stop.signal), ...(context.interactive ? [typed()] : [])]);
  stop.abort();
  return back;
}

/** Sends the person to the host's page, waits until they are back, and keeps the grant that they gave. */
async function grantOf(granting: Granting, request: ApproveHostRequest, context: AppContext): Promise<Granted> {
  const { workspace, key, title, domain, api, server, provider, services, kept } = granting;
  const oauth = await import("../../net/oauth.ts");
  const { listenForRedirect } = await import("../../net/redirect-listener.ts");
  const notApprovable = (because: Clause) => new Failure("not-approvable", { title, domain: domain.name, because });
  const notApproved = (because: Clause) => new Failure("not-approved", { title, provider, because, kept });
  const client = clientOf(workspace.settings, key, provider, server.token, { folder: workspace.folder, env: context.env });
  const { publish } = workspace.settings.hosts[key] ?? {};
  const at = publish?.way === "approval" ? publish.client?.at : undefined;
  const found = new URL(server.token).host;
  if (at !== undefined && at !== found) throw notApprovable(clause("approve-other-host", { written: at, found }));
  const listener = await listenForRedirect(`${await context.inWords(clause("page-close-window"))}\n`);
  try {
    const asked = await oauth.requestGrant(server, client, {
      redirect: listener.url,
      state: listener.state,
      scope: services.join(" "),
      more: { domain: withoutRootDot(domain.name) },
    });
    if (!isSafeAddress(asked.page)) throw notApprovable(clause("approve-page-not-https"));
    await context.showPage({
      title,
      host: new URL(asked.page).host,
      link: asked.page,
      open: request.open,
      copy: request.copy,
      publishes: [],
      removes: [],
      minutes: APPROVAL_WINDOW / 60_000,
    });
    const back = await returned(listener, context);
    if (back.kind === "nobody") throw notApproved(clause("approve-came-not-back"));
    const tokens = await oauth.takeGrant(server, client, back.url, {
      state: listener.state,
      redirect: listener.url,
      verifier: asked.verifier,
      now: Date.now(),
      timeout: request.timeout,
    });
    if (!tokens.ok) throw notApproved(tokens.error.because);
    const { access, refresh, until, scope } = tokens.value;
    const given = scope === undefined ? services : services.filter((service) => scope.includes(service));
    if (given.length === 0) throw notApproved(clause("approve-none-given", { services }));
    const grant: Grant = {
      provider,
      services: given,
      api,
      token: access,
      tokenEndpoint: server.token,
      client: client.id,
      ...(refresh === undefined ? {} : { refresh }),
      ...(until === undefined ? {} : { until }),
      ...(server.revocation === undefined ? {} : { revocationEndpoint: server.revocation }),
    };
    await changeGrants(workspace.folder, key, domain.name, context, (grants) => [
      ...grants.filter((candidate) => candidate.provider !== provider),
      grant,
    ]);
    return { provider, services: given, renewable: refresh !== undefined };
  } finally {
    await listener.close();
  }
}

/** Have it approved once, in the browser, that templates for a domain are applied at its DNS host from now on. */
export async function approveHost(
  request: ApproveHostRequest,
  context: AppContext,
): Promise<Outcome<z.output<typeof approveHostSchema>>> {
  const workspace = openWorkspace(context.cwd, request.workspace);
  const { key, title, domain } = named(request, workspace);
  const calls = templateCalls(domain.asks.flatMap(({ template }) => template ?? []));
  if (calls.length === 0) throw new Failure("nothing-to-approve", { domain: domain.name, host: title });
  const dns = openDns(request, context, workspace.settings, [domain.name]);
  try {
    const found = await approvalHostOf(domain.name, dns, request.timeout);
    if (!found.ok)
      throw new Failure(found.error.kind === "unanswered" ? "approval-unseen" : "not-approvable", {
        title,
        domain: domain.name,
        because: found.error.because,
      });
    const host = found.value;
    if (host.grants === undefined)
      throw new Failure("not-approvable", { title, domain: domain.name, because: clause("approve-by-link-only") });
    const { readGrantMetadata } = await import("../../net/oauth.ts");
    const metadata = await readGrantMetadata(host.api, request.timeout);
    const granted: Granted[] = [];
    for (const provider of new Set(calls.map((call) => call.provider))) {
      const services = [...new Set(calls.filter((call) => call.provider === provider).map(({ service }) => service))];
      const server: GrantServer = {
        authorize:
          metadata.authorize ?? `${host.grants.replace(/\/$/, "")}/v2/domainTemplates/providers/${encodeURIComponent(provider)}`,
        token: metadata.token ?? `${host.api.replace(/\/$/, "")}/v2/oauth/access_token`,
        ...(metadata.revocation === undefined ? {} : { revocation: metadata.revocation }),
        ...(metadata.issuer === undefined ? {} : { issuer: metadata.issuer }),
      };
      const kept = granted.map((one) => one.provider);
      granted.push(
        await grantOf({ workspace, key, title, domain, api: host.api, server, provider, services, kept }, request, context),
      );
    }
    return {
      ended: "fine",
      result: { host: key, domain: domain.name, granted, next: clause("next-publish", { domain: domain.name }) },
    };
  } finally {
    dns.close();
  }
}

/** Give grants for a domain back to its DNS host, and delete them here; what it could not be asked about is kept for another try. */
export async function forgetHost(
  request: Omit<ApproveHostRequest, "open" | "copy">,
  context: AppContext,
): Promise<Outcome<z.output<typeof forgetHostSchema>>> {
  const workspace = openWorkspace(context.cwd, request.workspace);
  const { key, domain } = named(request, workspace);
  const grants = readGrants(workspace.folder, key, domain.name);
  const because: Clause[] = [];
  const kept: Grant[] = [];
  let revoked = 0;
  const { revokeGrant } = await import("../../net/oauth.ts");
  for (const grant of grants) {
    const { provider, token, refresh, revocationEndpoint, tokenEndpoint } = grant;
    if (revocationEndpoint === undefined) {
      because.push(clause("approve-kept", { provider, because: clause("approve-no-revocation") }));
      continue;
    }
    const server = { authorize: tokenEndpoint, token: tokenEndpoint, revocation: revocationEndpoint };
    const client = clientOf(workspace.settings, key, provider, revocationEndpoint, {
      folder: workspace.folder,
      env: context.env,
    });
    const done = await revokeGrant(server, client, refresh ?? token, request.timeout);
    if (done.ok) revoked += 1;
    else because.push(clause("approve-kept", { provider, because: done.error.because }));
    if (!done.ok && done.error.kind === "unanswered") kept.push(grant);
  }
  // Another process may have renewed one meanwhile; it goes all the same.
  await changeGrants(workspace.folder, key, domain.name, context, () => kept);
  return {
    ended: kept.length > 0 ? "undetermined" : because.length > 0 ? "problem" : "fine",
    result: { host: key, domain: domain.name, forgotten: grants.length - kept.length, kept: kept.length, revoked, because },
  };
}
