import type { DomainName } from "../../core/name/index.ts";
import { organizationalDomain } from "../../core/suffix/index.ts";
import { KEY, type Settings } from "../../workspace/index.ts";

/** A DNS host as its name servers tell it: one of the workspace, or a new one. */
export interface RecognisedHost {
  readonly key: string;
  readonly title: string;
  readonly how: "recognised" | "new";
  readonly nameServers: readonly DomainName[];
}

/** Whether a name is one that a pattern such as `*.nettlehost.example` stands for. */
const fitsPattern = (name: DomainName, pattern: string): boolean => {
  const plain = pattern.toLowerCase().replace(/\.?$/, ".");
  return plain.startsWith("*.") ? name.endsWith(plain.slice(1)) : name === plain;
};

/** The host that serves a domain, by the names of its servers: one that is known, or a new one named after them. */
export function recognise(servers: readonly DomainName[], settings: Settings): RecognisedHost | undefined {
  const [first] = servers;
  if (first === undefined) return undefined;
  const known = Object.entries(settings.hosts).find(
    ([, { nameServers }]) =>
      nameServers.length > 0 && servers.every((server) => nameServers.some((pattern) => fitsPattern(server, pattern))),
  );
  if (known !== undefined) return { key: known[0], title: known[1].title, how: "recognised", nameServers: [...servers] };
  const of = organizationalDomain(first);
  const key = (of.split(".")[0] ?? "").replace(/[^a-z0-9-]/g, "");
  if (!KEY.test(key) || Object.hasOwn(settings.hosts, key) || !servers.every((server) => organizationalDomain(server) === of))
    return undefined;
  return { key, title: `${key[0]?.toUpperCase()}${key.slice(1)}`, how: "new", nameServers: [...servers] };
}
