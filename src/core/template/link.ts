import type { TemplateUse } from "../kit/index.ts";
import { GIVEN_VARIABLES, RESERVED_VARIABLES } from "./template.ts";

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
  /** The host below the domain that it is for; the domain itself without it. */
  readonly host?: string;
  readonly variables: Readonly<Record<string, string>>;
  /** What it is made of. */
  readonly uses: readonly TemplateUse[];
}

/**
 * The templates that asks are groups of, each once with all its groups and variables; one that is used with different values of a
 * variable is called once for each.
 */
export function templateCalls(uses: readonly TemplateUse[]): TemplateCall[] {
  const calls: { variables: Record<string, string>; uses: TemplateUse[] }[] = [];
  for (const use of uses) {
    const fitting = calls.find(
      ({ variables, uses: [first] }) =>
        first?.provider === use.provider &&
        first.service === use.service &&
        first.host === use.host &&
        Object.entries(use.variables).every(([name, value]) => !Object.hasOwn(variables, name) || variables[name] === value),
    );
    if (fitting === undefined) calls.push({ variables: { ...use.variables }, uses: [use] });
    else {
      Object.assign(fitting.variables, use.variables);
      fitting.uses.push(use);
    }
  }
  return calls.map(({ variables, uses: own }) => {
    const { provider, service, host } = own[0] as TemplateUse;
    // A use that names no group means all of them.
    const groups = own.some(({ group }) => group === undefined) ? [] : [...new Set(own.flatMap(({ group }) => group ?? []))];
    return { provider, service, groups, ...(host === undefined ? {} : { host }), variables, uses: own };
  });
}

const path = ({ provider, service }: Pick<TemplateCall, "provider" | "service">): string =>
  `/v2/domainTemplates/providers/${encodeURIComponent(provider)}/services/${encodeURIComponent(service)}`;

/** Where a host is asked whether it knows a template. */
export const templateAddress = (api: string, call: Pick<TemplateCall, "provider" | "service">): string =>
  `${api.replace(/\/$/, "")}${path(call)}`;

/** What a template is applied with: the domain, its variables and its groups. */
function applyQuery({ groups, host, variables }: TemplateCall, { domain, back }: LinkFor): URLSearchParams {
  const query = new URLSearchParams({ domain, ...(host === undefined ? {} : { host }) });
  for (const [name, value] of Object.entries(variables))
    if (!GIVEN_VARIABLES.has(name) && !RESERVED_VARIABLES.has(name)) query.set(name, value);
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
