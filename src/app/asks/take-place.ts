import { asAsked, dnsWants, recordsWanted } from "../../core/ask/index.ts";
import { distinct } from "../../core/distinct.ts";
import { Failure } from "../../core/failure.ts";
import { dataKey, type ResourceRecord, recordsOf } from "../../core/record/index.ts";
import { isSpf } from "../../core/spf/index.ts";
import type { Domain } from "../../workspace/index.ts";
import type { NewAsk } from "./new-ask.ts";

/** Ends the command where an ask that is to be replaced is not there. */
export function expectKnown(insteadOf: readonly string[], { asks }: Domain): void {
  const known = asks.map(({ id }) => id);
  const given = insteadOf.find((id) => !known.includes(id));
  if (given !== undefined) throw new Failure("unknown-ask", { given, known, option: "instead-of" });
}

/** A record without its TTL, which makes no other record of it. */
const keyOf = ({ name, type, data }: ResourceRecord): string => `${name} ${type} ${dataKey(type, data)}`;

const isSpfRecord = ({ data }: ResourceRecord): boolean => "strings" in data && isSpf(data.strings.join(""));

/** Everything that an ask has to do with: what it wants, and what it wants gone. */
const recordsAbout = (wants: Domain["asks"][number]["wants"]): ResourceRecord[] => [
  ...recordsWanted(asAsked(wants)),
  ...dnsWants(wants).flatMap((want) => (want.kind === "absent" ? recordsOf(want) : [])),
];

/** The SPF terms of asks, one by one. */
const spfTerms = (asks: Domain["asks"]): string[] =>
  asks.flatMap(({ wants }) =>
    asAsked(wants).flatMap((want) =>
      want.kind === "spf-terms" ? want.record.terms.flatMap((term) => (term.kind === "mechanism" ? [term.text] : [])) : [],
    ),
  );

/**
 * An ask that takes the place of older ones, with what goes because of that: whatever the older ones wanted and neither it wants nor
 * any ask that stays.
 *
 * @param places ids of the older asks whose place it takes
 * @param leaving ids of all asks of the domain that end with it
 */
export function takingPlace(ask: NewAsk, places: readonly string[], leaving: readonly string[], { asks }: Domain): NewAsk {
  const older = asks.filter(({ id }) => places.includes(id));
  const staying = asks.filter(({ id }) => !leaving.includes(id));
  if (older.length === 0) return ask;
  const wanted = new Set([...ask.records, ...staying.flatMap(({ wants }) => recordsWanted(asAsked(wants)))].map(keyOf));
  const going = older
    .flatMap(({ wants }) => recordsAbout(wants))
    .filter((record) => !wanted.has(keyOf(record)) && !isSpfRecord(record));
  const remove = distinct([...(ask.remove ?? []), ...going], keyOf);
  const kept = new Set([...(ask.spf ?? "").split(" "), ...spfTerms(staying)].map((term) => term.toLowerCase()));
  const without = distinct(spfTerms(older).filter((term) => !kept.has(term.toLowerCase())));
  return {
    ...ask,
    ...(remove.length === 0 ? {} : { remove }),
    ...(ask.spf === undefined || without.length === 0 ? {} : { spfWithout: without.join(" ") }),
  };
}
