import type { Clause } from "./index.ts";

/** What a program did that was run for the user: a DNS host's helper, or one that is told notices. */
export interface ProgramClauses {
  "program-helper": { readonly command: string };
  "program-named": { readonly command: string };
  "program-took-notices": { readonly program: Clause };
  "program-no-answer": { readonly program: Clause; readonly seconds: number };
  "program-output-too-long": { readonly program: Clause; readonly mebibytes: number };
  "program-not-started": { readonly program: Clause; readonly why: string };
  /** `how` is its exit code or the signal that ended it, `said` its last words on standard error. */
  "program-ended": { readonly program: Clause; readonly how: string | number; readonly said: string | undefined };
  "program-not-json": { readonly program: Clause };
  "program-other-form": { readonly program: Clause; readonly at: string; readonly message: Clause };
}
