/**
 * Typed records and record sets, in and out of zone-file text and wire form.
 *
 * ```ts
 * const [mx] = readRecords('@ 3600 MX 10 mx.inglemail.example.', { origin: name("brackwater.example") }).records;
 * mx.data;                          // { preference: 10, exchange: "mx.inglemail.example." }
 * printRecord(mx);                  // 'brackwater.example. 3600 IN MX 10 mx.inglemail.example.'
 * ```
 * The text form of whole records lives in `core/zone`, because a line only means something inside its file.
 */
export * from "./data.ts";
export { fromBase32, toBase32 } from "./dnssec-fields.ts";
export { parseIpv4, parseIpv6, parseSeconds, type Token } from "./fields.ts";
export * from "./octets.ts";
export * from "./set.ts";
export * from "./type-names.ts";
export * from "./types.ts";
export { MalformedWire, WireReader, WireWriter } from "./wire.ts";
