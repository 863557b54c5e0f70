/**
 * Reading what a service shows: pasted text in whatever layout becomes records, with every repair named.
 *
 * ```ts
 * understand({ text: "Type TXT, Host @, Value seekmere-owner=4f1d0c77a2", domain, ttl: 3600, choices: new Map() });
 * // { layout: "labelled fields", records: [...], repairs: [], questions: [], problems: [] }
 * ```
 */
export type { Row } from "./layout.ts";
export * from "./understand.ts";
