import { isOfType, joined, type RecordSet, textOf } from "../record/index.ts";
import type { Result } from "../result.ts";
import { isSpf, parseSpf, type SpfError, type SpfRecord } from "./parse.ts";

/** The SPF records of a TXT set (RFC 7208 section 4.5); read where there is exactly one. */
export interface SpfThere {
  readonly texts: readonly string[];
  readonly only?: Result<SpfRecord, readonly SpfError[]>;
}

const read = new WeakMap<RecordSet, SpfThere>();

/** Finds the SPF record in a set. Each set is read once, however often it is asked for. */
export function spfIn(set: RecordSet): SpfThere {
  let there = read.get(set);
  if (there === undefined) {
    const texts = isOfType(set, "TXT") ? set.data.map((data) => textOf(joined(data))).filter(isSpf) : [];
    there = texts.length === 1 ? { texts, only: parseSpf(texts[0] as string) } : { texts };
    read.set(set, there);
  }
  return there;
}
