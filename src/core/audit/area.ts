/** What the audit looks at, in the order in which it is shown. */
export const AREAS = [
  "delegation",
  "wildcard",
  "ownership",
  "mail-in",
  "spf",
  "dkim",
  "dmarc",
  "reports",
  "certificate",
  "site",
  "parked",
  "transport",
  "bulk",
] as const;
export type Area = (typeof AREAS)[number];
