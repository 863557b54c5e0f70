import * as z from "zod";
import { clause } from "../../core/clause/index.ts";
import type { AuthoritativeServer } from "../../core/lookup/index.ts";
import { type DomainName, withoutRootDot } from "../../core/name/index.ts";
import { serverText } from "../../net/address.ts";
import {
  changeDomain,
  findWorkspace,
  keyFor,
  lockWorkspace,
  openWorkspace,
  setHost,
  type Workspace,
} from "../../workspace/index.ts";
import { type AppContext, type CommonRequest, type Outcome, onlyOperand } from "../context.ts";
import { type DnsContext, type DnsOptions, hostServer, nameOperand, openDns } from "../dns/context.ts";
import { unservedOrUnseen } from "../dns/unserved.ts";
import { domainName, sentence } from "../shapes.ts";
import { approvalHostOf } from "./discover.ts";
import { recognise } from "./recognise.ts";

/** How a way of publishing can be had at a DNS host: offered, not offered, or nobody could say. */
const offer = z.object({
  way: z.enum(["approval", "update", "transfer", "by-hand"]),
  offered: z.boolean().nullable().describe("null where it could not be asked"),
  because: sentence,
});

export const findHostSchema = z.object({
  domain: domainName,
  nameServers: z.array(domainName),
  host: z
    .object({
      key: z.string(),
      title: z.string(),
      known: z.boolean().describe("whether zandrel.yaml has it already"),
      way: z.string().nullable(),
    })
    .nullable(),
  offers: z.array(offer).describe("what the DNS host offers, the most comfortable first"),
  written: z.boolean().describe("with --write: whether it is in zandrel.yaml and in the domain's file now"),
  next: sentence,
});
export type FindHostResult = z.output<typeof findHostSchema>;

/** What {@link findHost} is asked. */
export interface FindHostRequest extends CommonRequest, Pick<DnsOptions, "resolver" | "timeout"> {
  readonly write: boolean;
}

/** Whether a name server takes signed updates at all: asked with a change of nothing, which nobody signed. */
async function takesUpdates(dns: DnsContext, domain: DomainName, server: string): Promise<FindHostResult["offers"][number]> {
  const { probeUpdate } = await import("../../net/update.ts");
  const answer = await probeUpdate(dns.serverAddress(server), domain, 5000);
  return {
    way: "update",
    offered: answer.kind === "unanswered" ? null : answer.kind === "takes",
    because:
      answer.kind === "takes"
        ? clause("host-takes-updates")
        : answer.kind === "unanswered"
          ? answer.detail
          : clause("host-takes-no-updates"),
  };
}

/** Whether a name server hands its zone out to anybody. */
async function handsOut(dns: DnsContext, domain: DomainName, server: string): Promise<FindHostResult["offers"][number]> {
  const { transferZone } = await import("../../net/index.ts");
  const outcome = await transferZone(dns.serverAddress(server), domain, 5000);
  const offered = outcome.ok ? true : outcome.error.why === "refused" ? false : null;
  return {
    way: "transfer",
    offered,
    because: outcome.ok ? clause("host-hands-out-zone") : outcome.error.detail,
  };
}

/** Say who serves a domain, and how it can be published there; nothing is changed at the host. */
export async function findHost(request: FindHostRequest, context: AppContext): Promise<Outcome<FindHostResult>> {
  const domain = nameOperand(onlyOperand(request));
  const folder = findWorkspace(context.cwd, request.workspace);
  const workspace = folder === undefined ? undefined : openWorkspace(context.cwd, folder);
  const dns = openDns(request, context, workspace?.settings, [domain]);
  try {
    const { authority } = await dns.look({ name: domain, host: undefined });
    if (authority.kind !== "delegated") throw unservedOrUnseen(domain, authority);
    const servers = [...authority.servers, ...authority.unreachable].map(({ name }) => name);
    const known = workspace === undefined ? undefined : knownAs(servers, authority.servers, workspace, dns);
    const approval = await approvalHostOf(domain, dns, request.timeout);
    const title = known?.title ?? (approval.ok ? approval.value.title : titleFrom(servers));
    const key = known?.key ?? freeKey(keyFor(title), workspace);
    const [first] = authority.servers;
    const offers: FindHostResult["offers"] = [
      {
        way: "approval",
        offered: approval.ok ? true : approval.error.kind === "unanswered" ? null : false,
        because: approval.ok
          ? clause("host-takes-approvals", {
              title: approval.value.title,
              ways: [
                ...(approval.value.page === undefined ? [] : (["link"] as const)),
                ...(approval.value.grants === undefined ? [] : (["grant"] as const)),
              ],
            })
          : approval.error.because,
      },
      ...(first === undefined
        ? []
        : await Promise.all([takesUpdates(dns, domain, first.address), handsOut(dns, domain, first.address)])),
      { way: "by-hand", offered: true, because: clause("host-by-sheet") },
    ];
    const isNew = workspace === undefined || !Object.hasOwn(workspace.settings.hosts, key);
    const way = workspace?.settings.hosts[key]?.publish.way ?? null;
    const best = approval.ok ? "approval" : "by-hand";
    const own = workspace?.domains.find(({ name }) => name === domain);
    // A way that somebody chose is changed by an answer to exactly that, and not by writing down what is known.
    const isOther = way === "by-hand" && best === "approval";
    const asks = context.interactive && (isNew || isOther || own?.host !== key);
    const answered = asks && (await context.choose({ kind: "write-host", title, way: best, known: isOther })) === "yes";
    const agreed = workspace !== undefined && (request.write || answered);
    const changes = answered && isOther;
    if (agreed && workspace !== undefined) await write(workspace, context, { key, title, servers, domain, best, isNew, changes });
    const done = agreed || (!isNew && own?.host === key);
    return {
      ended: offers.some(({ offered }) => offered === null) ? "undetermined" : "fine",
      result: {
        domain,
        nameServers: servers,
        host: { key, title, known: !isNew, way: agreed && (isNew || changes) ? best : way },
        offers,
        written: agreed,
        next:
          own === undefined
            ? clause("next-init", { domain })
            : done && isOther && !changes
              ? clause("next-host-approval", { host: key })
              : clause(done ? "next-draft" : "next-write-host", { domain }),
      },
    };
  } finally {
    dns.close();
  }
}

/** The host of the workspace that serves a domain: by the addresses of its servers, or by their names. */
function knownAs(
  names: readonly DomainName[],
  servers: readonly AuthoritativeServer[],
  { settings }: Workspace,
  dns: DnsContext,
): { readonly key: string; readonly title: string } | undefined {
  const addresses = new Set(servers.map(({ address }) => serverText(dns.serverAddress(address))));
  const { authorityPort } = settings.defaults;
  const byAddress = Object.entries(settings.hosts).find(([, host]) =>
    host.servers.some((text) => addresses.has(serverText(hostServer(text, authorityPort)))),
  );
  return byAddress === undefined ? recognise(names, settings) : { key: byAddress[0], title: byAddress[1].title };
}

/** The key of a host that is not recognised: one of the same name counts as it only where nothing says what its name servers are. */
function freeKey(wanted: string, workspace: Workspace | undefined): string {
  const hosts = workspace?.settings.hosts ?? {};
  const isOther = (key: string) =>
    Object.hasOwn(hosts, key) && (hosts[key]?.nameServers.length ?? 0) + (hosts[key]?.servers.length ?? 0) > 0;
  let key = wanted;
  for (let i = 2; isOther(key); i++) key = `${wanted}-${i}`;
  return key;
}

/** What a host is called whose name servers nobody knows: the registered part of their names. */
function titleFrom(servers: readonly DomainName[]): string {
  const labels = withoutRootDot(servers[0] ?? ("." as DomainName)).split(".");
  const label = labels.at(-2) ?? "dns";
  return `${label[0]?.toUpperCase()}${label.slice(1)}`;
}

/** Writes the host down, and names it in the file of the domain. */
async function write(
  workspace: Workspace,
  context: AppContext,
  {
    key,
    title,
    servers,
    domain,
    best,
    isNew,
    changes,
  }: {
    key: string;
    title: string;
    servers: readonly DomainName[];
    domain: DomainName;
    best: string;
    isNew: boolean;
    /** Whether a host that is known is published in another way from now on. */
    changes: boolean;
  },
): Promise<void> {
  await lockWorkspace(workspace.folder, context, () => {
    const now = openWorkspace(workspace.folder, workspace.folder);
    if (isNew) setHost(workspace.folder, key, { title, nameServers: servers.map(withoutRootDot), publish: { way: best } });
    else if (changes) setHost(workspace.folder, key, { publish: { way: best } });
    const own = now.domains.find(({ name }) => name === domain);
    if (own !== undefined && own.host !== key) changeDomain(own, { host: key });
  });
}
