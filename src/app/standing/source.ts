import type { Lookup } from "../../core/lookup/index.ts";
import { memoized, zoneLookup } from "../../core/lookup/index.ts";
import { zonesOf } from "../../core/zone/index.ts";
import type { Domain, Workspace } from "../../workspace/index.ts";
import { type DnsContext, type DomainLook, hostServer, readZoneFile } from "../dns/context.ts";

/** The zone as the draft has to see it: where its changes will go. */
export function draftSource(domain: Domain, looked: DomainLook, dns: DnsContext, workspace: Workspace): Lookup | undefined {
  if (dns.fromFiles) return looked.lookup;
  const publish = domain.host === undefined ? undefined : workspace.settings.hosts[domain.host]?.publish;
  // A file named on the command line lies where the user is, one named in zandrel.yaml in the workspace.
  const target = dns.into ?? (publish?.way === "zone-file" ? { folder: workspace.folder, file: publish.file } : undefined);
  if (target !== undefined) {
    const { document } = readZoneFile(
      target.folder,
      target.file,
      [domain.name],
      workspace.settings.defaults.ttl,
      dns.includeFrom,
    );
    return memoized(zoneLookup(zonesOf(document)));
  }
  if (publish?.way === "update") return dns.server(hostServer(publish.server, workspace.settings.defaults.authorityPort));
  return looked.lookup;
}
