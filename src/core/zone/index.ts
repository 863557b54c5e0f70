/**
 * Zone files (RFC 1035 section 5): read into located records, answered from, and edited in place.
 *
 * ```ts
 * const document = readZone(text, { origin: name("brackwater.example") });
 * document.issues;                                        // mistakes with line and column
 * const [zone] = zonesOf(document);
 * answerFrom(zone, name("www.brackwater.example"), "A");  // { kind: "found", set } | { kind: "nodata" } ...
 * editZone(document, [{ name, type, before, after }], { origin }, "20260302");
 * ```
 */
export { answerFrom, glueFor, zoneFor } from "./answer.ts";
export * from "./document.ts";
export { editZone, type SetChange } from "./edit.ts";
export { compareSerials, nextSerial } from "./serial.ts";
