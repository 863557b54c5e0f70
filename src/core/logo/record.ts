import { type Clause, clause } from "../clause/index.ts";
import { decodeUtf8 } from "../record/index.ts";
import { readTagList } from "../tag-list.ts";

/** What a logo record says (BIMI, an Internet-Draft). */
export interface LogoRecord {
  /** Where the drawing is; undefined where the domain declines to have a logo shown. */
  readonly drawing: string | undefined;
  /** Where the evidence for it is; undefined where there is none. */
  readonly evidence: string | undefined;
  /** Whether the logo or the sender's own picture comes first (`avp=`, newer drafts). */
  readonly preference: "brand" | "personal" | undefined;
}

export type ReadLogoRecord =
  | { readonly kind: "record"; readonly record: LogoRecord; readonly mistakes: readonly Clause[] }
  /** Not a logo record at all. */
  | { readonly kind: "other" };

/** Where the record of a selector stands, relative to its domain. */
export const logoLabel = (selector: string): string => `${selector}._bimi`;

/** Reads one text at `<selector>._bimi`. Tags that are not known are passed over. */
export function readLogoRecord(text: string): ReadLogoRecord {
  const list = readTagList(text);
  const [first] = list.tags;
  if (first?.name !== "v" || first.value !== "BIMI1") return { kind: "other" };
  const mistakes: Clause[] = list.mistakes.map(({ text: found, message }) =>
    clause("logo-record-unreadable", { text: decodeUtf8(found.slice(0, 40)), message }),
  );
  const get = (name: string): string | undefined => list.get(name)?.value;
  const address = (tag: "l" | "a"): string | undefined => {
    const value = get(tag);
    if (value === undefined || value === "") return undefined;
    if (/[,\s]/.test(value)) mistakes.push(clause("logo-record-several", { tag }));
    else if (!URL.canParse(value)) mistakes.push(clause("logo-record-address", { tag, value: value.slice(0, 80) }));
    else if (new URL(value).protocol !== "https:")
      mistakes.push(clause("logo-record-not-https", { tag, value: value.slice(0, 80) }));
    return value;
  };
  if (get("l") === undefined) mistakes.push(clause("logo-record-no-drawing"));
  const [drawing, evidence] = [address("l"), address("a")];
  if (drawing === undefined && evidence !== undefined) mistakes.push(clause("logo-record-evidence-alone"));
  const preference = get("avp");
  if (preference !== undefined && preference !== "brand" && preference !== "personal")
    mistakes.push(clause("logo-record-preference", { value: preference.slice(0, 40) }));
  return {
    kind: "record",
    record: {
      drawing,
      evidence,
      preference: preference === "brand" || preference === "personal" ? preference : undefined,
    },
    mistakes,
  };
}

/** The record for a drawing and its evidence. */
export const logoRecordText = ({ drawing, evidence }: Pick<LogoRecord, "drawing" | "evidence">): string =>
  `v=BIMI1; l=${drawing ?? ""}; a=${evidence ?? ""}`;
