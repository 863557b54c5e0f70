/**
 * Aggregate reports (RFC 7489 section 7.2): read as they pass by, summed up into sources, turned into advice.
 *
 * ```ts
 * const reader = new ReportReader((row) => rows.push(row));
 * reader.write(xml);
 * reader.end(now);                                        // { head: { receiver: "mallowmail.example", … } } or { problem }
 * const sources = sourcesOf(tallied, services);           // who sends as us, aligned or not and why not
 * adviseOn(sources, policy, …);                            // what a stricter policy would have done to each
 * ```
 */
export * from "./advise.ts";
export { xmlEncoding } from "./encoding.ts";
export { ReportReader } from "./read.ts";
export * from "./report.ts";
export * from "./sources.ts";
