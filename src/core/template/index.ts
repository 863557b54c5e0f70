/**
 * Templates of the open set-up format: what a service needs at a DNS host that asks once for approval. They are read as kits, made
 * from kits, and judged by their own conflict rules.
 *
 * ```ts
 * const template = templateSchema.parse(JSON.parse(text));
 * const { kit, unsaid } = kitOfTemplate(template);        // variables become inputs, groups become asks
 * removedByHost(zoneSets, apex, incoming);                // what the host would take away by itself
 * ```
 */
export * from "./conflicts.ts";
export * from "./convert.ts";
export * from "./link.ts";
export * from "./signed-query.ts";
export * from "./template.ts";
