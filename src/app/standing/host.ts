import * as z from "zod";
import { COMMON_FORM, type Form } from "../../core/change/index.ts";
import type { Domain, Workspace } from "../../workspace/index.ts";
import type { DnsContext } from "../dns/context.ts";
import { domainName } from "../shapes.ts";

/** The host a domain is served by, for people; undefined where its file names none. */
export const hostTitle = (domain: Domain, workspace: Workspace): string | undefined =>
  domain.host === undefined ? undefined : (workspace.settings.hosts[domain.host]?.title ?? domain.host);

/** Whoever serves a domain in place of the DNS host that its file names. */
export const servedElsewhere = z.object({
  domain: domainName,
  title: z.string().describe("the DNS host that the domain's file names, for people"),
  servers: z.array(domainName).describe("the name servers that the parent zone names instead"),
});

/** Whether the parent hands a domain to other servers than those of its DNS host: what is published there nobody sees. */
export async function whoServesInstead(domain: Domain, dns: DnsContext): Promise<z.output<typeof servedElsewhere> | undefined> {
  const { authority, undelegatedHosts } = await dns.look(domain);
  const [host] = undelegatedHosts;
  if (host === undefined || authority.kind !== "delegated") return undefined;
  const servers = [...authority.servers, ...authority.unreachable].map(({ name }) => name);
  return { domain: domain.name, title: host.title, servers };
}

/** The form that records of a domain are entered into: the one its DNS host is described by, or the common one. */
export function formOf(domain: Domain, workspace: Workspace): Form {
  const publish = domain.host === undefined ? undefined : workspace.settings.hosts[domain.host]?.publish;
  return (publish?.way === "by-hand" || publish?.way === "approval" ? publish.form : undefined) ?? COMMON_FORM;
}
