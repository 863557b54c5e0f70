import { asRecords, type DnsWant, dnsWants } from "../../core/ask/index.ts";
import type { DomainName } from "../../core/name/index.ts";
import { containsAll, type DataOf, decodeUtf8, isOfType, type RecordSet, txtValue } from "../../core/record/index.ts";
import { isSpf } from "../../core/spf/index.ts";
import {
  type Incoming,
  incomingRecords,
  removedByHost,
  type Template,
  type TemplateCall,
  templateCalls,
  templateRecordSchema,
} from "../../core/template/index.ts";
import type { Domain } from "../../workspace/index.ts";

/** What is known of a template: all of it where the host shows its copy, and its records otherwise. */
export type HostTemplate = Pick<Template, "records"> & Partial<Template>;

/** The records of a template as the asks keep them: they count where the host does not show its own copy. */
export function keptTemplate({ uses }: TemplateCall): Pick<Template, "records"> | undefined {
  const records = uses.flatMap(({ records: own = [] }) => own.map((record) => templateRecordSchema.parse(record)));
  return records.length === 0 ? undefined : { records };
}

/** Everything that a host puts into the zone when it applies a template, also what is there already and what no record of an ask says. */
export function incomingOf(
  template: Pick<Template, "records"> | undefined,
  call: TemplateCall,
  wants: readonly DnsWant[],
  apex: DomainName,
): Incoming[] {
  if (template === undefined) return wants.map(({ name, type }) => ({ name, type, texts: { mode: "none" } }));
  return incomingRecords(template.records, call, apex);
}

/** Whether a record is among those that a template brings: whatever a host removes first, it is there afterwards. */
const isBrought = (set: RecordSet, data: RecordSet["data"][number], wants: readonly DnsWant[]): boolean =>
  wants.some(
    (want) =>
      want.name === set.name &&
      want.type === set.type &&
      // The terms of an SPF record are merged into the one that is there.
      ((want.kind === "spf-terms" && isOfType(set, "TXT") && isSpf(decodeUtf8(txtValue(data as DataOf["TXT"])))) ||
        containsAll(asRecords(want), { ...set, data: [data] })),
  );

/** What asks of one template want to be there. */
export const wantsOf = (domain: Domain, { uses }: TemplateCall): DnsWant[] =>
  domain.asks
    .filter(({ template }) => template !== undefined && uses.includes(template))
    .flatMap(({ wants }) => dnsWants(wants).filter(({ kind }) => kind !== "absent"));

/** The other templates that the asks of a domain came from, also the same one with other values. */
export const otherCalls = (domain: Domain, call: TemplateCall): TemplateCall[] =>
  templateCalls(
    domain.asks.flatMap(({ template }) => (template === undefined || call.uses.includes(template) ? [] : [template])),
  );

/** Whether two calls are of one template at one place, some groups of which both apply. */
const isInstanceOf = (a: TemplateCall, b: TemplateCall): boolean =>
  a.provider === b.provider &&
  a.service === b.service &&
  a.host === b.host &&
  (a.groups.length === 0 || b.groups.length === 0 || a.groups.some((group) => b.groups.includes(group)));

/** The data of a set that some wants brought, SPF terms aside: they are one with those of others. */
const broughtBy = (set: RecordSet, wants: readonly DnsWant[]): RecordSet["data"] =>
  set.data.filter((data) =>
    isBrought(
      set,
      data,
      wants.filter(({ kind }) => kind === "records"),
    ),
  );

/**
 * What of a zone a host takes away by itself, and does not bring again: what its rules say, and all of another template of which it takes
 * away a record that is not only there on applying.
 */
export function removedFrom(
  before: readonly RecordSet[],
  { template, call }: { readonly template: HostTemplate | undefined; readonly call: TemplateCall },
  wants: readonly DnsWant[],
  domain: Domain,
): RecordSet[] {
  const apex = domain.name;
  const byRules = removedByHost(before, apex, incomingOf(template, call, wants, apex));
  const whole = otherCalls(domain, call).filter((other) => {
    const kept = keptTemplate(other);
    if (kept === undefined) return false;
    const essential = kept.records.filter((record) => record.essential !== "OnApply");
    const places = incomingOf({ records: essential }, other, [], apex);
    const own = wantsOf(domain, other);
    return byRules.some(
      (set) =>
        broughtBy(set, own).some((data) => !isBrought(set, data, wants)) &&
        places.some(({ name, type }) => name === set.name && type === set.type),
    );
  });
  const withOthers = whole.flatMap((other) => wantsOf(domain, other));
  const ruled = new Map(byRules.map((set) => [`${set.name} ${set.type}`, set.data]));
  return before.flatMap((set) => {
    const gone = new Set([...(ruled.get(`${set.name} ${set.type}`) ?? []), ...broughtBy(set, withOthers)]);
    const data = set.data.filter((recordData) => gone.has(recordData) && !isBrought(set, recordData, wants));
    return data.length === 0 ? [] : [{ ...set, data }];
  });
}

/** Ids of the asks that came from one call of a template. */
const idsOf = (domain: Domain, { uses }: TemplateCall): string[] =>
  domain.asks.filter(({ template }) => template !== undefined && uses.includes(template)).map(({ id }) => id);

/**
 * Asks that cannot be had together: a host keeps one instance of a template at a place, unless the template says otherwise, so that it
 * takes one of them away whenever it applies the other.
 */
export function rivalInstance(
  domain: Domain,
  call: TemplateCall,
  template: HostTemplate | undefined,
): { readonly asks: readonly string[]; readonly others: readonly string[] } | undefined {
  if (template?.multiInstance === true || call.uses.some(({ multiInstance }) => multiInstance === true)) return undefined;
  const other = otherCalls(domain, call).find((candidate) => isInstanceOf(call, candidate));
  return other === undefined ? undefined : { asks: idsOf(domain, call), others: idsOf(domain, other) };
}
