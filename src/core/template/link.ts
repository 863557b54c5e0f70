import type { TemplateUse } from "../kit/index.ts";

/** What a link to a DNS host says beside the template's variables. */
export interface LinkFor {
  /** The zone at the host, without a final dot. */
  readonly domain: string;
  /** Where the host sends the browser back to, and the word by which it is known again. */
  readonly back?: { readonly redirect: string; readonly state: string };
}

/** One template for a domain: several of its groups together. */
export interface TemplateCall {
  readonly provider: string;
  readonly service: string;
  readonly groups: readonly string[];
  readonly variables: Readonly<Record<string, string>>;
}

/** The templates that asks are groups of, each once with all its groups and variables. */
export function templateCalls(uses: readonly TemplateUse[]): TemplateCall[] {
  const calls = new Map<string, { groups: string[]; whole: boolean; variables: Record<string, string>; use: TemplateUse }>();
  for (const use of uses) {
    const key = `${use.provider}\n${use.service}`;
    const call = calls.get(key) ?? { groups: [], whole: false, variables: {}, use };
    if (use.group === undefined) call.whole = true;
    else if (!call.groups.includes(use.group)) call.groups.push(use.group);
    Object.assign(call.variables, use.variables);
    calls.set(key, call);
  }
  return [...calls.values()].map(({ groups, whole, variables, use: { provider, service } }) => ({
    provider,
    service,
    // A use that names no group means all of them.
    groups: whole ? [] : groups,
    variables,
  }));
}

const path = ({ provider, service }: Pick<TemplateCall, "provider" | "service">): string =>
  `/v2/domainTemplates/providers/${encodeURIComponent(provider)}/services/${encodeURIComponent(service)}`;

/** Where a host is asked whether it knows a template. */
export const templateAddress = (api: string, call: Pick<TemplateCall, "provider" | "service">): string =>
  `${api.replace(/\/$/, "")}${path(call)}`;

/** What a template is applied with: the domain, its variables and its groups. */
function applyQuery({ groups, variables }: TemplateCall, { domain, back }: LinkFor): URLSearchParams {
  const query = new URLSearchParams({ domain });
  for (const [name, value] of Object.entries(variables)) if (!query.has(name)) query.set(name, value);
  if (groups.length > 0) query.set("groupId", groups.join(","));
  if (back !== undefined) {
    query.set("redirect_uri", back.redirect);
    query.set("state", back.state);
  }
  return query;
}

/** The query of a link that a person approves; a template may want it signed (see {@link signedQuery}). */
export const linkQuery = (call: TemplateCall, how: LinkFor): string => applyQuery(call, how).toString();

/** The page of a DNS host on which a person approves a template. */
export const approvalLink = (page: string, call: TemplateCall, query: string): string =>
  `${page.replace(/\/$/, "")}${path(call)}/apply?${query}`;

/** Where a host that was granted it is told to apply a template, or to take it back. */
export const grantedAddress = (
  api: string,
  call: TemplateCall,
  domain: string,
  { force = false, revert = false }: { readonly force?: boolean; readonly revert?: boolean } = {},
): string => {
  const query = applyQuery(call, { domain });
  if (force) query.set("force", "1");
  return `${api.replace(/\/$/, "")}${path(call)}/${revert ? "revert" : "apply"}?${query}`;
};
