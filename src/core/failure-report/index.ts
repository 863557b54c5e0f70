/**
 * Reports on single messages that failed (RFC 6591, in the format of RFC 5965): read, and kept without what is nobody's business.
 *
 * ```ts
 * readFailureReport({ feedback, original, mailedBy: "mx.example" }, { personal: false, now });
 * // { kind: "read", report: { failure: "bodyhash", ip: "192.0.2.25", from: "brackwater.example.", … } }
 * ```
 */
export * from "./read.ts";
