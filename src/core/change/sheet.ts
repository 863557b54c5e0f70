import { type Clause, clause } from "../clause/index.ts";
import { type DomainName, relativeText } from "../name/index.ts";
import {
  type DataOf,
  dataKey,
  decodeUtf8,
  isOfType,
  printData,
  quoted,
  type RecordData,
  type RecordSet,
  type RecordType,
  splitCharacterStrings,
  txtValue,
} from "../record/index.ts";
import type { SetChange } from "../zone/index.ts";
import { hasTtl, isEntered, isSamePolicy } from "./entered.ts";
import { holds } from "./gather.ts";

/** How a DNS host's form wants records written. */
export interface Form {
  /** What is for the domain itself in the host field. */
  readonly apex: "@" | "empty" | "full";
  /** Whether other hosts are written without or with the domain. */
  readonly names: "relative" | "full";
  /** Whether targets get a final dot. */
  readonly finalDot: "required" | "forbidden" | "optional";
  /** Whether texts are entered in quotes. */
  readonly txt: "bare" | "quoted";
  /** Longest piece of a text the form takes, in octets; longer texts are entered in several quoted pieces. 0: any length. */
  readonly txtCut: number;
  /** Whether an MX priority has a field of its own. */
  readonly priority: "beside" | "inside";
  /** Seconds, typed freely, or the choices of a list. */
  readonly ttl: "seconds" | readonly number[];
  /** Record kinds the form does not offer. */
  readonly lacks: readonly RecordType[];
}

/** A form about which nothing is known is taken to be like most. */
export const COMMON_FORM: Form = {
  apex: "@",
  names: "relative",
  finalDot: "optional",
  txt: "bare",
  txtCut: 0,
  priority: "beside",
  ttl: "seconds",
  lacks: [],
};

/** One record as it is to be entered, changed in place, or taken out. */
export interface SheetEntry {
  readonly action: "enter" | "change" | "delete" | "not-offered";
  readonly type: RecordType;
  readonly host: string;
  readonly value: string;
  readonly priority?: string;
  readonly ttl: string;
  /** The value of the record now, where it is changed in place. */
  readonly was?: string;
  /** What to watch out for. */
  readonly note?: Clause;
}

function hostField(name: DomainName, apex: DomainName, form: Form): string {
  const relative = relativeText(name, apex);
  if (relative === "@") return form.apex === "@" ? "@" : form.apex === "empty" ? "" : apex.slice(0, -1);
  return form.names === "relative" ? relative : name.slice(0, -1);
}

const nameField = (name: DomainName, form: Form): string =>
  form.finalDot === "required" || name === "." ? name : name.slice(0, -1);

function textField({ strings }: DataOf["TXT"], form: Form): { value: string; note?: Clause } {
  const octets = txtValue({ strings });
  if (form.txtCut > 0 && octets.length > form.txtCut)
    return {
      value: splitCharacterStrings(octets, form.txtCut).map(quoted).join(" "),
      note: clause("sheet-pieces", { pieces: Math.ceil(octets.length / form.txtCut) }),
    };
  if (form.txt === "quoted") return { value: quoted(octets), note: clause("sheet-quoted") };
  return {
    value: decodeUtf8(octets),
    ...(octets.length > 255 ? { note: clause("sheet-one-line", { octets: octets.length }) } : {}),
  };
}

function valueFields(set: RecordSet, data: RecordData, form: Form): { value: string; priority?: string; note?: Clause } {
  const one = { ...set, data: [data] };
  if (isOfType(one, "TXT")) return textField(one.data[0] as DataOf["TXT"], form);
  if (isOfType(one, "MX")) {
    const { preference, exchange } = one.data[0] as DataOf["MX"];
    const target = nameField(exchange, form);
    return form.priority === "beside" ? { value: target, priority: String(preference) } : { value: `${preference} ${target}` };
  }
  if ("target" in data && set.type !== "SRV") return { value: nameField(data.target, form) };
  return { value: printData(set.type, data) };
}

function ttlField(ttl: number, form: Form): { ttl: string; note?: Clause } {
  if (form.ttl === "seconds") return { ttl: String(ttl) };
  // A shorter time never makes anybody wait longer than was computed.
  const shorter = form.ttl.filter((choice) => choice <= ttl);
  const chosen = shorter.length > 0 ? Math.max(...shorter) : Math.min(...form.ttl);
  return {
    ttl: String(chosen),
    ...(chosen === ttl ? {} : { note: clause("sheet-ttl", { ttl, chosen }) }),
  };
}

/** An entry, and how it is seen when it is done. */
export interface SheetStep {
  readonly entry: SheetEntry;
  readonly name: DomainName;
  readonly type: RecordType;
  /** Whether it is done, by what is at the name, of the type. */
  readonly isDone: (now: RecordSet | undefined) => boolean;
}

/** The data of one set that the other has not. */
function only(set: RecordSet | undefined, other: RecordSet | undefined): RecordData[] {
  const keys = new Set(other?.data.map((data) => dataKey(other.type, data)));
  return set?.data.filter((data) => !keys.has(dataKey(set.type, data))) ?? [];
}

/**
 * Writes changes the way a form wants them, one record at a time, so that nothing is down meanwhile: one record that takes
 * the place of another is changed in place; otherwise what comes is entered before what goes is deleted, except where an
 * alias is on one side, beside which nothing may stand (RFC 1034 section 3.6.2).
 */
export function sheetSteps(changes: readonly SetChange[], apex: DomainName, form: Form): SheetStep[] {
  const step = (
    set: RecordSet,
    comes: RecordData | undefined,
    goes: RecordData | undefined,
    staying: number,
    before?: RecordSet,
  ): SheetStep => {
    const data = (comes ?? goes) as RecordData;
    const { note, ...fields } = valueFields(set, data, form);
    const { note: ttlNote, ttl } = ttlField(set.ttl, form);
    const missing = form.lacks.includes(set.type);
    const notes = [
      missing ? clause("sheet-not-offered", { type: set.type }) : undefined,
      note,
      staying > 0 ? clause("sheet-leave-others", { type: set.type, others: staying }) : undefined,
      comes === undefined ? undefined : ttlNote,
    ].filter((candidate) => candidate !== undefined);
    const action = missing ? "not-offered" : comes === undefined ? "delete" : goes === undefined ? "enter" : "change";
    // Where the value stays, and a field beside it changes, the old record is shown whole.
    const oldValue = comes === undefined || goes === undefined ? undefined : valueFields(set, goes, form).value;
    const was =
      oldValue === undefined ? {} : { was: oldValue === fields.value ? printData(set.type, goes as RecordData) : oldValue };
    const entry = { action, type: set.type, host: hostField(set.name, apex, form), ...fields, ttl, ...was } as const;
    return {
      entry: { ...entry, ...(notes.length === 0 ? {} : { note: clause("sheet-notes", { notes }) }) },
      name: set.name,
      type: set.type,
      isDone: (now) => (comes === undefined || isEntered(now, before, set, comes)) && (goes === undefined || !holds(now, goes)),
    };
  };
  /** A record of which only the TTL changes. */
  const ttlStep = (set: RecordSet, data: RecordData, was: number): SheetStep => {
    const plain = step(set, data, undefined, 0);
    const note = clause("sheet-only-ttl", { was, is: plain.entry.ttl });
    const action = plain.entry.action === "enter" ? "change" : plain.entry.action;
    return { ...plain, entry: { ...plain.entry, action, note }, isDone: (now) => holds(now, data) && hasTtl(now, set.ttl) };
  };
  const stepsOf = ({ before, after }: SetChange): { enter: SheetStep[]; remove: SheetStep[] } => {
    const [comes, goes] = [only(after, before), only(before, after)];
    const staying = (before?.data.length ?? 0) - goes.length;
    if (before !== undefined && after !== undefined && comes.length + goes.length === 0 && before.ttl !== after.ttl)
      return { enter: after.data.map((data) => ttlStep(after, data, before.ttl)), remove: [] };
    // A record that takes the place of the only other one, or of one of several policies, is that one changed.
    const [come] = comes;
    const go =
      comes.length !== 1 || before === undefined || after === undefined
        ? undefined
        : goes.length === 1
          ? goes[0]
          : goes.find((data) => isSamePolicy(after, come as RecordData, before, data));
    const gone = goes.filter((data) => data !== go);
    return {
      enter: after === undefined ? [] : comes.map((data) => step(after, data, go, staying, before)),
      remove: before === undefined ? [] : gone.map((data) => step(before, undefined, data, staying, before)),
    };
  };
  const names = [...new Set(changes.map((change) => change.name))];
  return names.flatMap((name) => {
    const here = changes.filter((change) => change.name === name);
    const steps = here.map(stepsOf);
    const [enter, remove] = [steps.flatMap((one) => one.enter), steps.flatMap((one) => one.remove)];
    const alias = here.some(({ type }) => type === "CNAME") && here.length > 1;
    return alias ? [...remove, ...enter] : [...enter, ...remove];
  });
}

/** The entries of {@link sheetSteps}, for people. */
export const fillIn = (changes: readonly SetChange[], apex: DomainName, form: Form): SheetEntry[] =>
  sheetSteps(changes, apex, form).map(({ entry }) => entry);
