/**
 * The receiver's verdict on a message: SPF, DKIM and DMARC together, and what bulk senders are asked for.
 *
 * ```ts
 * const verdict = await judgeMessage(source, { envelope: { ip, helo, mailFrom }, lookup, now });
 * verdict.value.dmarc;                               // { result: "pass", disposition: "none", because: "DKIM passes for …" }
 * authenticationResults("mx.mallowmail.example", verdict.value);
 * await bulkRequirements(verdict.value, lookup);     // [{ id: "one-click", met: false, because: "…" }]
 * ```
 */
export * from "./bulk.ts";
export * from "./forwarded.ts";
export * from "./judge.ts";
export * from "./results.ts";
export * from "./trace.ts";
