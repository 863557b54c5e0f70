import { unmet } from "../ask/index.ts";
import { isDmarc } from "../dmarc/index.ts";
import { type DataOf, decodeUtf8, type RecordData, type RecordSet, txtValue } from "../record/index.ts";
import { hasTerms, isSpf, readSpfRecord, spfIn } from "../spf/index.ts";
import type { SetChange } from "../zone/index.ts";
import { holds } from "./gather.ts";

const textOf = ({ type }: RecordSet, data: RecordData): string | undefined =>
  type === "TXT" ? decodeUtf8(txtValue(data as DataOf["TXT"])) : undefined;

/**
 * Whether a record that a person was asked to enter does there what it was to do: SPF terms may stand in another order with others
 * beside them, a policy may do more, a key may be written otherwise.
 *
 * @param now what is at the name, of that type; undefined where nothing is
 * @param of the set the record comes from
 */
export function isEntered(now: RecordSet | undefined, of: RecordSet, data: RecordData): boolean {
  const text = textOf(of, data);
  if (text === undefined || !isSpf(text)) return unmet(now, { ...of, data: [data] }).length === 0;
  const [own, wanted] = [now === undefined ? undefined : spfIn(now).only, readSpfRecord(text)];
  if (!wanted.ok) return holds(now, data);
  return own?.ok === true && hasTerms(own.value, wanted.value);
}

/** Whether a record that was to be taken away is gone; the one policy of a name is changed in place, and what has come says whether it was. */
export function isTakenAway(now: RecordSet | undefined, of: RecordSet, data: RecordData, isReplaced: boolean): boolean {
  const old = textOf(of, data);
  return (old !== undefined && (isSpf(old) || isDmarc(old)) && isReplaced) || !holds(now, data);
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
    (after === undefined || comes.every((data) => isEntered(now, after, data))) &&
    (before === undefined || goes.every((data) => isTakenAway(now, before, data, comes.length > 0)))
  );
}
