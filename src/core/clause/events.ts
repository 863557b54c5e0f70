type Kind = "bounces" | "complaints";

/** What is said of the events that services tell of their mail. */
export interface EventsClauses {
  /** Shares from 0 to 1. */
  "events-over-limit": { readonly kind: Kind; readonly share: number; readonly messages: number; readonly limit: number };
  "events-over-limit-mend": { readonly kind: Kind };
}
