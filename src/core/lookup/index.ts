/**
 * The port through which everything in `core` asks the DNS.
 *
 * ```ts
 * const lookup = memoized(zoneLookup(zonesOf(document)));
 * const answer = await lookup.ask(name("brackwater.example"), "TXT");
 * switch (answer.kind) {
 *   case "found": answer.set; break;                 // the record set, and answer.chain of aliases
 *   case "nodata": case "nxdomain": answer.soa; break; // it is not there
 *   case "failed": answer.why; break;                // nobody could say
 * }
 * ```
 */
export { type AuthoritativeServer, type Authority, authorityOf, dsAtParent, type Servers } from "./authority.ts";
export { type Live, liveAt, ownSetOf } from "./live.ts";
export * from "./lookup.ts";
export { AnswerMemo, memoized, remembered } from "./memo.ts";
export { atOwnServers, inTurn, onward } from "./onward.ts";
export { answerFromZones, zoneLookup } from "./zone-lookup.ts";
