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

/** How a DNS host's form wants records written. */
export interface Form {
  /** What stands for the domain itself in the host field. */
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

/** One record as it is to be entered, or taken out. */
export interface SheetEntry {
  readonly action: "enter" | "delete" | "not-offered";
  readonly type: RecordType;
  readonly host: string;
  readonly value: string;
  readonly priority?: string;
  readonly ttl: string;
  /** What to watch out for. */
  readonly note?: string;
}

function hostField(name: DomainName, apex: DomainName, form: Form): string {
  const relative = relativeText(name, apex);
  if (relative === "@") return form.apex === "@" ? "@" : form.apex === "empty" ? "" : apex.slice(0, -1);
  return form.names === "relative" ? relative : name.slice(0, -1);
}

const nameField = (name: DomainName, form: Form): string =>
  form.finalDot === "required" || name === "." ? name : name.slice(0, -1);

function textField({ strings }: DataOf["TXT"], form: Form): { value: string; note?: string } {
  const octets = txtValue({ strings });
  if (form.txtCut > 0 && octets.length > form.txtCut)
    return {
      value: splitCharacterStrings(octets, form.txtCut).map(quoted).join(" "),
      note: `one record in ${Math.ceil(octets.length / form.txtCut)} quoted pieces, separated by spaces`,
    };
  if (form.txt === "quoted") return { value: quoted(octets), note: "with the quotation marks" };
  return {
    value: decodeUtf8(octets),
    ...(octets.length > 255 ? { note: `one line of ${octets.length} characters; the form must not cut it` } : {}),
  };
}

function valueFields(set: RecordSet, data: RecordData, form: Form): { value: string; priority?: string; note?: string } {
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

function ttlField(ttl: number, form: Form): { ttl: string; note?: string } {
  if (form.ttl === "seconds") return { ttl: String(ttl) };
  // A shorter time never makes anybody wait longer than was computed.
  const shorter = form.ttl.filter((choice) => choice <= ttl);
  const chosen = shorter.length > 0 ? Math.max(...shorter) : Math.min(...form.ttl);
  return { ttl: String(chosen), ...(chosen === ttl ? {} : { note: `the form does not offer ${ttl} seconds` }) };
}

/** Writes changes the way a form wants them: first what goes, then what comes, one record at a time. */
export function fillIn(changes: readonly SetChange[], apex: DomainName, form: Form): SheetEntry[] {
  const entry = (action: "enter" | "delete", set: RecordSet, data: RecordData, staying: number): SheetEntry => {
    const { note, ...fields } = valueFields(set, data, form);
    const { note: ttlNote, ttl } = ttlField(set.ttl, form);
    const missing = form.lacks.includes(set.type);
    const notes = [
      missing ? `the form does not offer ${set.type} records: ask the DNS host's support to enter it` : "",
      note ?? "",
      staying > 0
        ? `leave the other ${set.type} ${staying === 1 ? "record" : "records"} at this host as ${staying === 1 ? "it is" : "they are"}`
        : "",
      action === "enter" ? (ttlNote ?? "") : "",
    ].filter((one) => one !== "");
    return {
      action: missing ? "not-offered" : action,
      type: set.type,
      host: hostField(set.name, apex, form),
      ...fields,
      ttl,
      ...(notes.length === 0 ? {} : { note: notes.join("; ") }),
    };
  };
  /** The data of one set that the other has not. */
  const only = (set: RecordSet | undefined, other: RecordSet | undefined): RecordData[] => {
    const keys = new Set(other?.data.map((data) => dataKey(other.type, data)));
    return set?.data.filter((data) => !keys.has(dataKey(set.type, data))) ?? [];
  };
  const staying = ({ before, after }: SetChange) => (before === undefined ? 0 : before.data.length - only(before, after).length);
  const entries = (action: "enter" | "delete") =>
    changes.flatMap((change) => {
      const [set, other] = action === "delete" ? [change.before, change.after] : [change.after, change.before];
      return set === undefined ? [] : only(set, other).map((data) => entry(action, set, data, staying(change)));
    });
  return [...entries("delete"), ...entries("enter")];
}
