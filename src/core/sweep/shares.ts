import type { Providers } from "../audit/index.ts";
import type { DomainName } from "../name/index.ts";
import { type SweepResult, WORST, type Worst, worstOf } from "./result.ts";

const ROLES = ["nameServers", "mail", "signing", "sending"] as const satisfies readonly (keyof Providers)[];

/** One line of a report: how many of the domains it is true of. */
interface Share<K extends string> {
  readonly key: K;
  readonly domains: number;
}

/** What a sweep says of all its domains together. */
export interface Shares {
  readonly domains: number;
  /** Domains that could not be asked about everything. */
  readonly unresolved: number;
  /** Domains by their worst finding. */
  readonly worst: readonly Share<Worst>[];
  readonly findings: readonly Share<string>[];
  readonly providers: Readonly<Record<(typeof ROLES)[number], readonly Share<DomainName>[]>>;
}

/** Adds up results as they come, so that no sweep is too long to be added up. */
export class ShareCounter {
  #domains = 0;
  #unresolved = 0;
  readonly #worst = new Map<Worst, number>();
  readonly #findings = new Map<string, number>();
  readonly #providers = new Map(ROLES.map((role) => [role, new Map<DomainName, number>()]));

  add(result: SweepResult): void {
    const count = <K>(counts: Map<K, number>, key: K) => counts.set(key, (counts.get(key) ?? 0) + 1);
    this.#domains += 1;
    if (result.unresolved.length > 0) this.#unresolved += 1;
    count(this.#worst, worstOf(result));
    for (const id of new Set(result.findings.map((finding) => finding.id))) count(this.#findings, id);
    for (const role of ROLES)
      for (const name of new Set(result.providers[role])) count(this.#providers.get(role) as Map<DomainName, number>, name);
  }

  /** The shares, the largest first; of providers the `most` largest. */
  shares(most = 20): Shares {
    const sorted = <K extends string>(counts: ReadonlyMap<K, number>): Share<K>[] =>
      [...counts].map(([key, domains]) => ({ key, domains })).sort((a, b) => b.domains - a.domains || (a.key < b.key ? -1 : 1));
    const providers = Object.fromEntries(
      ROLES.map((role) => [role, sorted(this.#providers.get(role) as Map<DomainName, number>).slice(0, most)]),
    );
    return {
      domains: this.#domains,
      unresolved: this.#unresolved,
      worst: WORST.map((key) => ({ key, domains: this.#worst.get(key) ?? 0 })),
      findings: sorted(this.#findings),
      providers: providers as unknown as Shares["providers"],
    };
  }
}
