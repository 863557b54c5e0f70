import { isKeyText } from "../dkim/index.ts";
import { atLeast, isDmarc, isMinimum, readDmarcRecord } from "../dmarc/index.ts";
import { containsAll, type DataOf, decodeUtf8, isOfType, type RecordData, type RecordSet, txtValue } from "../record/index.ts";
import { hasTerms, isSpf, readSpfRecord } from "../spf/index.ts";

const texts = (set: RecordSet | undefined): string[] =>
  set !== undefined && isOfType(set, "TXT") ? set.data.map((data) => decodeUtf8(txtValue(data))) : [];

/** Whether one wanted text is there: an SPF ask as terms of the one SPF record, a DMARC ask as a minimum, anything else to the letter. */
function textIsMet(wanted: string, there: readonly string[]): boolean {
  // Of policy records two are none, even where one of them is to the letter.
  const alone = (isKind: (text: string) => boolean) => !isKind(wanted) || there.filter(isKind).length === 1;
  if (there.includes(wanted)) return alone(isSpf) && alone(isDmarc) && alone(isKeyText);
  if (isSpf(wanted)) {
    const [only, ...more] = there.filter(isSpf);
    const own = only === undefined || more.length > 0 ? undefined : readSpfRecord(only);
    const asked = readSpfRecord(wanted);
    return own?.ok === true && asked.ok && hasTerms(own.value, asked.value);
  }
  if (isDmarc(wanted) && isMinimum(wanted)) {
    const [only, ...more] = there.filter(isDmarc);
    const own = only === undefined || more.length > 0 ? undefined : readDmarcRecord(only);
    const minimum = readDmarcRecord(wanted);
    return own?.ok === true && minimum.ok && atLeast(own.value.policy, minimum.value.policy);
  }
  return false;
}

/** Whether what an ask wants at a name is met by the set that is there. */
export function isMet(there: RecordSet | undefined, wanted: RecordSet): boolean {
  if (!isOfType(wanted, "TXT")) return containsAll(there, wanted);
  const own = texts(there);
  return wanted.data.every((data) => textIsMet(decodeUtf8(txtValue(data)), own));
}

/** The wanted data of a set that are not met, one by one. */
export const unmet = (there: RecordSet | undefined, wanted: RecordSet): RecordData[] =>
  wanted.data.filter((data) => !isMet(there, { ...wanted, data: [data] } as RecordSet<DataOf["TXT"]>));
