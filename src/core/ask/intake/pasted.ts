import type { ResourceRecord } from "../../record/index.ts";
import { EVIDENCE, type Fields, type Row } from "./reading.ts";

/** What shows a field of a record; `value`: its type follows from its value; `assumed`: a record of its kind has one place. */
export const SHOWN_BY = [...EVIDENCE, "value", "assumed"] as const;
type ShownBy = (typeof SHOWN_BY)[number];

/** One record that a paste asks for. */
export interface PastedRecord {
  readonly record: ResourceRecord;
  /** What it was pasted as. */
  readonly fields: Fields;
  /** What the page says around it: the heading above, the purpose in a column beside it. */
  readonly about: string;
  readonly evidence: Readonly<Record<"type" | "host" | "value", ShownBy>>;
}

/** What shows the fields of a row, those that it does not name included. */
export function shownBy({ fields, evidence = {} }: Row): PastedRecord["evidence"] {
  return {
    type: fields.type === undefined ? "value" : (evidence.type ?? "value"),
    host: fields.host === undefined ? "assumed" : (evidence.host ?? "assumed"),
    value: evidence.value ?? "form",
  };
}
