/** How records come to a DNS host. */
export const WAYS = ["by-hand", "zone-file", "update", "helper", "approval"] as const;
export type Way = (typeof WAYS)[number];
