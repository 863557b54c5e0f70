/**
 * Reading what a service shows: pasted text in whatever layout becomes records, with every repair named.
 *
 * ```ts
 * understand({ text: "Type TXT, Host @, Value seekmere-owner=4f1d0c77a2", domain, ttl: 3600, choices: new Map() });
 * // { layout: "labelled fields", records: [...], repairs: [], questions: [], problems: [], leftover: [], ... }
 * ```
 * A paste is cut into lines (`paste.ts`); every reader offers readings of what it recognises (`readers/`); the best ones
 * that do not overlap are chosen, and what none explains is left over (`cover.ts`); fields become records (`fields.ts`).
 */
export type { Leftover } from "./cover.ts";
export { passedOver } from "./mail-mistakes.ts";
export { type PageLine, REST } from "./page.ts";
export { type PastedRecord, SHOWN_BY } from "./pasted.ts";
export type { IntakeProblem, IntakeQuestion } from "./problem.ts";
export { byPurpose } from "./purpose.ts";
export type { PastedProof } from "./readers/beside.ts";
export type { Fields, Layout } from "./reading.ts";
export type { Repair } from "./repair.ts";
export * from "./understand.ts";
