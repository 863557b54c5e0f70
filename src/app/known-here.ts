import type { DomainName } from "../core/name/index.ts";
import { findWorkspace, kitNames, openWorkspace } from "../workspace/index.ts";
import type { AppContext } from "./context.ts";

interface Titled {
  readonly key: string;
  readonly title: string;
}

/** What a workspace knows by name, for a person who picks from it. */
export interface KnownHere {
  readonly domains: readonly { readonly name: DomainName; readonly host: string | undefined }[];
  readonly services: readonly Titled[];
  readonly hosts: readonly Titled[];
  kits(): Promise<readonly string[]>;
}

const titled = (of: Readonly<Record<string, { readonly title: string }>>): Titled[] =>
  Object.entries(of).map(([key, { title }]) => ({ key, title }));

/** The names in the workspace that a person is in, or that is given; undefined where there is none. */
export function knownHere({ cwd }: Pick<AppContext, "cwd">, given: string | undefined): KnownHere | undefined {
  if (findWorkspace(cwd, given) === undefined) return undefined;
  const { folder, domains, settings } = openWorkspace(cwd, given);
  return {
    domains: domains.map(({ name, host }) => ({ name, host })),
    services: titled(settings.services),
    hosts: titled(settings.hosts),
    kits: () => kitNames(folder),
  };
}
