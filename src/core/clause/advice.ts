import type { Nothing } from "./nothing.ts";

interface Repaired {
  readonly title: string;
  readonly reason: "wrong-signer" | "wrong-return-path" | "nothing-passes" | "forwarded" | "spf-only";
  /** Who signs, and whose return path it is, as far as reports say. */
  readonly signer: string | undefined;
  readonly envelope: string | undefined;
  /** The service by its key, where it is one of the workspace. */
  readonly service: string | undefined;
}

/** What is said of steps to a stricter policy. */
export interface AdviceClauses {
  "advice-partly-yours": { readonly aligned: number; readonly messages: number };
  "advice-next-to": { readonly nextTo: string };
  "advice-repair": Repaired;
  "advice-repair-mend": Repaired;
  "advice-own-stopped": { readonly sources: readonly string[] };
  "advice-unresolved": { readonly names: readonly string[] };
  "advice-too-early": { readonly days: number; readonly reports: number; readonly needed: number };
  "advice-may-be-yours": { readonly sources: readonly string[] };
  "advice-not-at-once": { readonly first: "none" | "quarantine" | "reject" };
  "advice-none-seen": Nothing;
  "advice-safe": { readonly repaired: readonly string[]; readonly weeks: number };
}
