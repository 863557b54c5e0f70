import { type DomainName, parseName } from "../name/index.ts";
import { branchesOf } from "../spf/index.ts";
import type { Facts } from "./facts.ts";

/** Who does what for a domain, as its records say: by registered domains, so that nobody's name is built in. */
export interface Providers {
  readonly nameServers: readonly DomainName[];
  readonly mail: readonly DomainName[];
  /** Where aliases of signing keys lead. */
  readonly signing: readonly DomainName[];
  /** Whose servers the SPF record allows by their names. */
  readonly sending: readonly DomainName[];
}

/** Reads from the records of a domain who does what for it; the domain itself is among them where it does it itself. */
export function providersOf({ ns, exchanges, keys, spfTree, organizationalDomain }: Facts): Providers {
  const owners = (names: readonly DomainName[]): DomainName[] => [...new Set(names.map(organizationalDomain))].sort();
  // What a macro leads to depends on the message, and names nobody.
  const includes = (spfTree === undefined ? [] : [...branchesOf(spfTree)]).flatMap(({ branch: { below } }) => {
    const read = below === undefined ? undefined : parseName(below.domain);
    return read?.ok === true ? [read.value] : [];
  });
  return {
    nameServers: owners(ns.data.map(({ target }) => target)),
    mail: owners(exchanges.map(({ name }) => name)),
    signing: owners(keys.flatMap(({ alias }) => alias ?? [])),
    sending: owners(includes),
  };
}
