/**
 * The audit: everything that can be wrong with a domain, as findings from one catalogue.
 *
 * ```ts
 * CATALOGUE.length;                              // how many things it can say
 * const { findings, unresolved } = await audit({ domain, role: "main", lookup, world, … });
 * findings[0];                                   // { id: "spf-several", severity: "breaks", seen: { texts: ["v=spf1 …", …], … } }
 * ```
 */

export { AREAS, type Area } from "./area.ts";
export * from "./audit.ts";
export type { AuditInput, Unresolved } from "./facts.ts";
export { isAtLeast, SEVERITIES, type Severity } from "./finding.ts";
export type { Providers } from "./providers.ts";
export type { Right, SeenRight } from "./right.ts";
