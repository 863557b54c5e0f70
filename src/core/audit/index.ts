/**
 * The audit: everything that can be wrong with a domain, as findings from one catalogue.
 *
 * ```ts
 * CATALOGUE.length;                              // how many things it can say
 * const { findings, unresolved } = await audit({ domain, role: "main", lookup, world, … });
 * findings[0];                                   // { id: "spf-several", severity: "breaks", evidence: "…", remedy: "…", … }
 * ```
 */
export * from "./audit.ts";
export type { AuditInput, Unresolved } from "./facts.ts";
export { AREAS, type Area, type Finding, isAtLeast, SEVERITIES, type Severity } from "./finding.ts";
export type { Providers } from "./providers.ts";
