import { decodeUtf8, isOfType, type RecordSet, txtValue } from "../record/index.ts";
import type { Result } from "../result.ts";
import { isSpf, readSpfRecord, type SpfError, type SpfRecord } from "./parse.ts";

/** The SPF records of a TXT set (RFC 7208 section 4.5); read where there is exactly one. */
export interface PublishedSpf {
  readonly texts: readonly string[];
  readonly only?: Result<SpfRecord, readonly SpfError[]>;
}

const read = new WeakMap<RecordSet, PublishedSpf>();

/** Finds the SPF record in a set. Each set is read once, however often it is asked for. */
export function spfIn(set: RecordSet): PublishedSpf {
  let there = read.get(set);
  if (there === undefined) {
    const texts = isOfType(set, "TXT") ? set.data.map((data) => decodeUtf8(txtValue(data))).filter(isSpf) : [];
    there = texts.length === 1 ? { texts, only: readSpfRecord(texts[0] as string) } : { texts };
    read.set(set, there);
  }
  return there;
}
