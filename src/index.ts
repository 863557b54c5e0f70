/**
 * Zandrel as a library: the computation, without interface, network or files. Each example is whole.
 *
 * 1. A domain name, absolute and comparable:
 *    `name("www.Brackwater.example") === name("WWW.brackwater.example.")`
 * 2. A zone file, read: `const document = parseZone(text, { origin: name("brackwater.example") })`
 * 3. Its mistakes: `document.issues.map(({ line, column, expected }) => …)`
 * 4. A question to it: `await zoneLookup(zonesOf(document)).ask(name("brackwater.example"), "TXT")`
 * 5. An edit that keeps every comment: `editZone(document, [{ name, type, before, after }], options, "20260302")`
 * 6. A pasted instruction, understood: `understand({ text, domain, ttl: 3600, choices: new Map() }).records`
 * 7. A draft: `await makeDraft({ domain, asks, lookup, replace: new Set(), whoPut: () => "somebody" })`
 * 8. How long others see the old: `holdOf(await liveAt(lookup, apex, name("brackwater.example"), "TXT"))`
 * 9. Why a token is not found: `await hunt({ wanted, apex, views, viewpoints, lookup, labels: [], strangers: [], siblings: [] })`
 * 10. One record as text and as JSON: `printRecord(record)`, `recordJson(record)`
 * 11. May this server send: `await checkSpf({ ip: "192.0.2.25", from: "box@brackwater.example", helo: "" }, lookup)`
 * 12. A message, as a receiver judges it: `await judgeMessage(source, { envelope: { ip, helo, mailFrom }, lookup, now })`
 * 13. What is wrong with a key: `parseKey(["v=DKIM1; p=MIIB…"]).problem?.message`
 * 14. Everything that is wrong with a domain: `await audit({ domain, role: "main", lookup, world, … })`
 * 15. What a mail server meant: `enhancedStatus("550 5.1.1 no such user")?.meaning`
 */
export { adviseOn, ReportReader, sourcesOf } from "./core/aggregate/index.ts";
export * from "./core/ask/index.ts";
export * from "./core/ask/intake/index.ts";
export * from "./core/audit/index.ts";
export * from "./core/change/index.ts";
export * from "./core/dkim/index.ts";
export * from "./core/dmarc/index.ts";
export * from "./core/lookup/index.ts";
export * from "./core/message/index.ts";
export * from "./core/name/index.ts";
export * from "./core/ownership/index.ts";
export * from "./core/record/index.ts";
export * from "./core/result.ts";
export * from "./core/sending/index.ts";
export * from "./core/spf/index.ts";
export * from "./core/spread/index.ts";
export * from "./core/suffix/index.ts";
export { authenticationResults, bulkRequirements, type JudgeOptions, judgeMessage } from "./core/verdict/index.ts";
export * from "./core/zone/index.ts";
