import { unmet } from "../ask/index.ts";
import { isSameKey } from "../dkim/index.ts";
import { doesAllOf, isDmarc } from "../dmarc/index.ts";
import { type DataOf, decodeUtf8, type RecordData, type RecordSet, txtValue } from "../record/index.ts";
import { hasAnyTerm, hasTerms, isReordered, isSpf, readSpfRecord, spfIn, withoutTerms } from "../spf/index.ts";
import type { SetChange } from "../zone/index.ts";
import { holds } from "./gather.ts";

const textOf = ({ type }: RecordSet, data: RecordData): string | undefined =>
  type === "TXT" ? decodeUtf8(txtValue(data as DataOf["TXT"])) : undefined;

/** Whether two texts say the same: SPF terms in an order that means the same, policies and keys by their tags, others to the letter. */
export function isSameText(a: string, b: string): boolean {
  if (a === b) return true;
  if (isDmarc(a) && isDmarc(b)) return doesAllOf(a, b) && doesAllOf(b, a);
  if (!isSpf(a) || !isSpf(b)) return isSameKey(a, b);
  const [one, other] = [readSpfRecord(a), readSpfRecord(b)];
  return one.ok && other.ok && isReordered(one.value, other.value);
}

/** Whether a set does what a record is for: SPF terms may have others beside them, a policy may do more. */
function does(set: RecordSet | undefined, of: RecordSet, data: RecordData): boolean {
  const text = textOf(of, data);
  if (text === undefined || !isSpf(text)) return unmet(set, { ...of, data: [data] }).length === 0;
  const [own, wanted] = [set === undefined ? undefined : spfIn(set).only, readSpfRecord(text)];
  if (!wanted.ok) return holds(set, data);
  return own?.ok === true && hasTerms(own.value, wanted.value);
}

/** Whether something is still there of what a text said before, and says no more once it is changed. */
function isLeft(now: RecordSet | undefined, before: RecordSet | undefined, text: string): boolean {
  const textsOf = (set: RecordSet | undefined) => set?.data.flatMap((data) => textOf(set, data) ?? []) ?? [];
  if (isDmarc(text)) {
    const isChanged = textsOf(before).some((old) => isDmarc(old) && !doesAllOf(text, old));
    return isChanged && !textsOf(now).some((own) => isSameText(own, text));
  }
  const [wanted, own] = [readSpfRecord(text), now === undefined ? undefined : spfIn(now).only];
  if (!isSpf(text) || !wanted.ok || own?.ok !== true) return false;
  const dropped = textsOf(before)
    .filter(isSpf)
    .map(readSpfRecord)
    .flatMap((old) => (old.ok ? [withoutTerms(old.value, [wanted.value])] : []));
  return dropped.some((terms) => hasAnyTerm(own.value, terms));
}

/**
 * Whether a record that a person was asked to enter is there, by what it says, and nothing of what was to go with the old one is left.
 *
 * @param now what is at the name, of that type; undefined where nothing is
 * @param before what was there when it was asked for
 * @param of the set the record comes from
 */
export const isEntered = (now: RecordSet | undefined, before: RecordSet | undefined, of: RecordSet, data: RecordData): boolean =>
  does(now, of, data) && !isLeft(now, before, textOf(of, data) ?? "");

/** Whether two records are of the one policy or the one SPF record of a name, so that one is changed into the other. */
export function isSamePolicy(a: RecordSet, one: RecordData, b: RecordSet, other: RecordData): boolean {
  const texts = [textOf(a, one) ?? "", textOf(b, other) ?? ""];
  return texts.every(isSpf) || texts.every(isDmarc);
}

/** Whether a TTL is as short as it was to become. */
export const hasTtl = (now: RecordSet | undefined, ttl: number): boolean => now !== undefined && now.ttl <= ttl;

/**
 * Whether what a person was asked to enter is there: what was to come is there, what was to go is gone, and a TTL that was to change has
 * changed. What else stands at the name, and how a record is written, is nobody's mistake.
 */
export function isCarriedOut(now: RecordSet | undefined, { before, after }: Pick<SetChange, "before" | "after">): boolean {
  const comes = after?.data.filter((data) => !holds(before, data)) ?? [];
  const goes = before?.data.filter((data) => !holds(after, data)) ?? [];
  if (before !== undefined && after !== undefined && comes.length + goes.length === 0)
    return after.data.every((data) => holds(now, data)) && hasTtl(now, after.ttl);
  return (
    (after === undefined || comes.every((data) => isEntered(now, before, after, data))) && goes.every((data) => !holds(now, data))
  );
}
