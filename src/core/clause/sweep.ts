/** What is said of sweeps. */
export interface SweepClauses {
  "sweep-workers-lost": { readonly workers: number };
}
