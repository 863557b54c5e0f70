/**
 * Zandrel as a library: the computation, without interface, network, files or clock.
 *
 * Whatever a function needs from outside comes in as an argument or through the port {@link Lookup}: one question,
 * one answer. Names are absolute with the final dot, times are milliseconds since 1970 unless a comment says seconds.
 * Outcomes are values; nothing here throws for bad input. `examples/` holds a short program for each group.
 *
 * @packageDocumentation
 */

export { adviseOn, ReportReader, sourcesOf } from "./core/aggregate/index.ts";
// Asks, drafts, and when everyone sees them: examples/draft.ts
export { type Ask, isMet, PURPOSES, type Purpose, STATES, type State, type Want, wantsOf } from "./core/ask/index.ts";
export { type Understood, understand } from "./core/ask/intake/index.ts";
// Audit: examples/audit.ts
export { type Audit, type AuditInput, audit, type Finding, type Severity } from "./core/audit/index.ts";
export { type Change, type Clash, type Draft, makeDraft, pending } from "./core/change/index.ts";
// What there is to say, by its code and in words: examples/spf.ts
export { type Clause, clause, verbatim } from "./core/clause/index.ts";
// DKIM: examples/dkim.ts
export {
  type DkimVerdict,
  type KeyRecord,
  readKeyRecord,
  Signatures,
  type SignOptions,
  signedMessage,
  verifySignatures,
} from "./core/dkim/index.ts";
// DMARC: examples/dmarc.ts
export { composeDmarc, type DmarcRecord, discoverByWalk, evaluateDmarc, readDmarcRecord } from "./core/dmarc/index.ts";
export { type Answer, failed, type Lookup, liveAt, memoized, zoneLookup } from "./core/lookup/index.ts";
// Messages: examples/message.ts
export { type MessageSource, scanMessage } from "./core/message/index.ts";
// Names: examples/names.ts
export {
  type DomainName,
  displayName,
  isAtOrBelow,
  isBelow,
  labelsOf,
  name,
  parseName,
  relativeText,
} from "./core/name/index.ts";
export { type Cause, diagnose } from "./core/ownership/index.ts";
// Records and zones: examples/zone.ts
export {
  printRecord,
  type RecordSet,
  type ResourceRecord,
  recordJson,
  recordsOf,
  toSets,
  txtValue,
} from "./core/record/index.ts";
export type { Result } from "./core/result.ts";
// SPF: examples/spf.ts
export { checkSpf, flattenSpf, readSpfRecord, type SpfRecord, type SpfVerdict, spfTree } from "./core/spf/index.ts";
export { type CacheWindow, cacheWindowOf, visibleBy } from "./core/spread/index.ts";
export { organizationalDomain } from "./core/suffix/index.ts";
export { authenticationResults, bulkRequirements, judgeMessage, type Verdict } from "./core/verdict/index.ts";
export {
  editZone,
  readRecords,
  readZone,
  type SetChange,
  type Zone,
  type ZoneDocument,
  type ZoneIssue,
  zonesOf,
} from "./core/zone/index.ts";
export { type SaidFinding, sayFinding } from "./present/audit/findings.ts";
export { inWords } from "./present/clauses/index.ts";
