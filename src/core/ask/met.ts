import { isKeyText, isSameKey } from "../dkim/index.ts";
import { atLeast, doesAllOf, isDmarc, readDmarcRecord } from "../dmarc/index.ts";
import { containsAll, type DataOf, decodeUtf8, isOfType, type RecordData, type RecordSet, txtValue } from "../record/index.ts";
import { hasAnyTerm, hasTerms, spfIn } from "../spf/index.ts";
import type { DmarcWant, DnsWant, RecordsWant, SpfWant } from "./want.ts";

/** The texts of a TXT set; none where it is not there. */
const textsOf = (set: RecordSet | undefined): string[] =>
  set !== undefined && isOfType(set, "TXT") ? set.data.map((data) => decodeUtf8(txtValue(data))) : [];

/** Kinds of text of which a name may have one only: with two, receivers use neither. */
const ALONE: readonly ((text: string) => boolean)[] = [isDmarc, isKeyText];

/** The wanted data of a set that are not there, one by one; a policy or key that has company counts as not there. */
export function unmet(there: RecordSet | undefined, wanted: Pick<RecordsWant, "type" | "data" | "name" | "ttl">): RecordData[] {
  if (wanted.type !== "TXT") return wanted.data.filter((data) => !containsAll(there, { ...wanted, data: [data] }));
  const own = textsOf(there);
  return wanted.data.filter((data) => {
    const text = decodeUtf8(txtValue(data as DataOf["TXT"]));
    // What a policy says counts, and not how it is written; a stricter one with more addresses does all of it.
    if (isDmarc(text)) {
      const [only, ...more] = own.filter(isDmarc);
      return only === undefined || more.length > 0 || !doesAllOf(only, text);
    }
    return !own.some((there) => isSameKey(there, text)) || ALONE.some((is) => is(text) && own.filter(is).length > 1);
  });
}

/** Whether the one SPF record there holds every term that is wanted, and none that has to go. */
function hasWantedTerms(there: RecordSet | undefined, { record, without }: SpfWant): boolean {
  if (there === undefined) return false;
  const { texts, only } = spfIn(there);
  return (
    texts.length === 1 &&
    only?.ok === true &&
    hasTerms(only.value, record) &&
    (without === undefined || !hasAnyTerm(only.value, without))
  );
}

/** Whether the one DMARC record there is at least as strict as is wanted. */
function isStrictEnough(there: RecordSet | undefined, { policy }: DmarcWant): boolean {
  const [only, ...more] = textsOf(there).filter(isDmarc);
  const own = only === undefined || more.length > 0 ? undefined : readDmarcRecord(only);
  return own?.ok === true && atLeast(own.value.policy, policy);
}

/** Whether a wish is met by the set that is there. */
export function isMet(there: RecordSet | undefined, want: DnsWant): boolean {
  switch (want.kind) {
    case "absent":
      return there === undefined || !want.data.some((data) => containsAll(there, { ...want, data: [data] }));
    case "records":
      return unmet(there, want).length === 0;
    case "spf-terms":
      return hasWantedTerms(there, want);
    case "dmarc-minimum":
      return isStrictEnough(there, want);
  }
}
