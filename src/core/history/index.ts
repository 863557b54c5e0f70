/**
 * What a zone was like on an earlier day, as far as the journal knows.
 *
 * ```ts
 * zoneAt(sightings, Date.parse("2026-03-02T12:00Z"));   // [{ set, since, assumed }]
 * ```
 */
export * from "./zone-at.ts";
