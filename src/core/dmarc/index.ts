/**
 * DMARC (RFC 7489 and its successor): records read with the place of every mistake, found, applied, composed.
 *
 * ```ts
 * readDmarcRecord("v=DMARC1; p=quarrantine; rua=mailto:dmarc@brackwater.example");   // policy none, and the mistake at its character
 * await discoverByWalk(name("news.brackwater.example"), lookup);               // { record, at: "brackwater.example.", … }
 * await evaluateDmarc(from, [{ by: "dkim", domain, passes: true, temporary: false }], lookup);  // { result: "pass", … }
 * composeDmarc(answers, situation);                                            // { text: "v=DMARC1; p=none; …", obstacles: [] }
 * ```
 */
export * from "./compose.ts";
export * from "./destination.ts";
export * from "./discover.ts";
export * from "./evaluate.ts";
export * from "./explain.ts";
export * from "./policy.ts";
export * from "./record.ts";
export * from "./unite.ts";
