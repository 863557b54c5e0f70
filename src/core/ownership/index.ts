/**
 * Whether a domain's ownership record is really there, and if not, what became of it.
 *
 * ```ts
 * valueMismatch("seekmere-owner=4f1d", '"seekmere-owner=4f1d"');   // "quoted-twice"
 * await diagnose({ wanted, apex, views, viewpoints, lookup, labels: ["seekmere"], undelegatedHosts: [], siblings: [] });
 * // [{ kind: "name-doubled", at: "brackwater.example.brackwater.example", because, remedy }]
 * ```
 */
export type { Cause, CauseKind } from "./cause.ts";
export { diagnose } from "./diagnose.ts";
export { valueMismatch } from "./value.ts";
