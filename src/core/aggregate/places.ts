/** What is kept of the head of an aggregate report (RFC 7489 appendix C), by its path below the outermost element. */
export const HEAD: ReadonlySet<string> = new Set([
  "report_metadata/org_name",
  "report_metadata/email",
  "report_metadata/report_id",
  "report_metadata/date_range/begin",
  "report_metadata/date_range/end",
  "policy_published/domain",
  "policy_published/p",
]);

/** What a row has one of. */
export type RowField = "ip" | "count" | "disposition" | "dkim" | "spf" | "headerFrom" | "envelopeFrom";

/** Where it stands. */
export const ROW_FIELDS: ReadonlyMap<string, RowField> = new Map([
  ["record/row/source_ip", "ip"],
  ["record/row/count", "count"],
  ["record/row/policy_evaluated/disposition", "disposition"],
  ["record/row/policy_evaluated/dkim", "dkim"],
  ["record/row/policy_evaluated/spf", "spf"],
  ["record/identifiers/header_from", "headerFrom"],
  ["record/identifiers/envelope_from", "envelopeFrom"],
]);

/** What a row may have several of. */
const ROW_LISTS: readonly string[] = [
  "record/row/policy_evaluated/reason/type",
  ...["dkim", "spf"].flatMap((kind) => ["domain", "selector", "result"].map((tag) => `record/auth_results/${kind}/${tag}`)),
];

/** A place in a report that means something; what is anywhere else means nothing, whatever it is called. */
export interface Place {
  readonly path: string;
  readonly below: Map<string, Place>;
}

/** The outermost element with every place below it. */
export const FEEDBACK: Place = { path: "", below: new Map() };
for (const path of [...HEAD, ...ROW_FIELDS.keys(), ...ROW_LISTS]) {
  let place = FEEDBACK;
  for (const name of path.split("/")) {
    let next = place.below.get(name);
    if (next === undefined) {
      next = { path: place.path === "" ? name : `${place.path}/${name}`, below: new Map() };
      place.below.set(name, next);
    }
    place = next;
  }
}
