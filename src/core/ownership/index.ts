/**
 * Whether a domain's ownership record is really there, and if not, what became of it.
 *
 * ```ts
 * valueMiss("seekmere-owner=4f1d", '"seekmere-owner=4f1d"');   // "quoted-twice"
 * await hunt({ wanted, apex, views, viewpoints, lookup, labels: ["seekmere"], strangers: [], siblings: [] });
 * // [{ kind: "name-doubled", at: "brackwater.example.brackwater.example", because, remedy }]
 * ```
 */
export type { Cause, CauseKind } from "./cause.ts";
export { diagnose } from "./diagnose.ts";
export { valueMismatch } from "./value.ts";
