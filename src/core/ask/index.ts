/**
 * Asks: what services want published, and where each of them stands.
 *
 * ```ts
 * const views = await look(dnsWants(ask.wants), viewpoints);
 * stateOf({ ask, views, waitingFor: [], provenAt, settledAt, clash, miss, trouble });
 * // { state: "spreading", because: "every name server has it; Quay Street still shows the old view" }
 * ```
 */
export * from "./ask.ts";
export * from "./met.ts";
export { purposeByName } from "./purpose-by-name.ts";
export * from "./state.ts";
export * from "./view.ts";
export * from "./want.ts";
