/**
 * Sending through a service: the contract by which it is reached, what became of a message, and its events.
 *
 * ```ts
 * enhancedStatus("550 5.1.1 no such user");    // { code: "5.1.1", class: 5, subject: 1, detail: 1 }
 * OPERATIONS.makeCredential.path;              // "/credentials"
 * openApi();                                   // the contract as an OpenAPI 3.1 document
 * judgeEvents(days);                           // too many bounces or complaints, or too few messages to say
 * ```
 */

export * from "./enhanced-status.ts";
export * from "./events.ts";
export * from "./link.ts";
