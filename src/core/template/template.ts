import * as z from "zod";
import { expects } from "../clause/index.ts";

/** The kinds of record that the open template format knows. */
const TEMPLATE_TYPES = ["A", "AAAA", "CNAME", "MX", "TXT", "SRV", "NS", "SPFM", "APEXCNAME", "REDIR301", "REDIR302"] as const;

const id = z.string().regex(/^[A-Za-z0-9][A-Za-z0-9._-]{0,99}$/, expects("template-id"));
/** A text of one line; what comes from others may hold anything else. */
const line = z
  .string()
  .max(4096)
  .regex(/^[^\x00-\x1f\x7f]*$/, expects("one-line"));
/** A number, or a variable in its place. */
const number = z.union([z.number().int().min(0), line]);

export const templateRecordSchema = z.looseObject({
  type: z.enum(TEMPLATE_TYPES),
  groupId: id.optional(),
  host: line.optional(),
  pointsTo: line.optional(),
  data: line.optional(),
  target: line.optional(),
  ttl: number.optional(),
  priority: number.optional(),
  weight: number.optional(),
  port: number.optional(),
  protocol: line.optional(),
  service: line.optional(),
  name: line.optional(),
  essential: z.enum(["Always", "OnApply"]).optional(),
  txtConflictMatchingMode: z.enum(["None", "All", "Prefix"]).optional(),
  txtConflictMatchingPrefix: line.optional(),
  /** SPF terms that become part of the one SPF record. */
  spfRules: line.optional(),
});

/** A template of the open set-up format: what a service needs at a DNS host, with variables to fill in. */
export const templateSchema = z.looseObject({
  providerId: id,
  providerName: line.min(1),
  serviceId: id,
  serviceName: line.min(1),
  version: z.number().int().min(0).optional(),
  logoUrl: line.optional(),
  description: line.optional(),
  variableDescription: line.optional(),
  /** Whether it may only be applied by a grant, and not by a link that anybody can make. */
  syncBlock: z.boolean().optional(),
  /** Where the key is published with which links have to be signed. */
  syncPubKeyDomain: line.optional(),
  syncRedirectDomain: line.optional(),
  multiInstance: z.boolean().optional(),
  warnPhishing: z.boolean().optional(),
  hostRequired: z.boolean().optional(),
  records: z.array(templateRecordSchema).min(1, expects("one-record")),
});
export type Template = z.output<typeof templateSchema>;
export type TemplateRecord = Template["records"][number];

/** The variables that a host fills in by itself. */
export const GIVEN_VARIABLES: ReadonlySet<string> = new Set(["domain", "host", "fqdn"]);

/** Names by which a link to a DNS host says something itself; as variables they could say it in its place. */
export const RESERVED_VARIABLES: ReadonlySet<string> = new Set([
  ...["groupId", "providerName", "instanceId"],
  ...["redirect_uri", "state", "sig", "key", "force"],
]);

const VARIABLE = /%([A-Za-z0-9_.-]+)%/g;

/** The variables of a text, in their order. */
export const variablesIn = (text: string): string[] => [...text.matchAll(VARIABLE)].map((match) => match[1] as string);

/** A text with every variable replaced. */
export const withVariables = (text: string, value: (variable: string) => string): string =>
  text.replace(VARIABLE, (_, variable: string) => value(variable));

/** The texts of a record in which variables may stand. */
export const textsOfRecord = (of: TemplateRecord): string[] =>
  [
    of.host,
    of.pointsTo,
    of.data,
    of.target,
    of.ttl,
    of.priority,
    of.weight,
    of.port,
    of.protocol,
    of.service,
    of.name,
    of.spfRules,
  ]
    .filter((value) => value !== undefined)
    .map(String);

/** A mistake of a template that its shape alone does not show; `record` counts from 0. */
export interface TemplateMistake {
  readonly code: "field-missing" | "field-malformed" | "prefix-missing" | "variable-reserved";
  readonly record: number;
  readonly type: string;
  readonly field: string;
}

const NEEDS: Readonly<Record<TemplateRecord["type"], readonly (keyof TemplateRecord)[]>> = {
  A: ["host", "pointsTo"],
  AAAA: ["host", "pointsTo"],
  CNAME: ["host", "pointsTo"],
  MX: ["host", "pointsTo", "priority"],
  TXT: ["host", "data"],
  SRV: ["service", "protocol", "target", "priority", "weight", "port"],
  NS: ["host", "pointsTo"],
  SPFM: ["spfRules"],
  APEXCNAME: ["pointsTo"],
  REDIR301: ["target"],
  REDIR302: ["target"],
};

const NAMES = ["host", "pointsTo", "target", "protocol", "service", "name"] as const;
const NUMBERS = ["ttl", "priority", "weight", "port"] as const;

/** Fields whose own text, beside its variables, is not what they hold: a name, a number, terms of SPF. */
const malformed = (record: TemplateRecord): (keyof TemplateRecord)[] => {
  const isWeb = record.type === "REDIR301" || record.type === "REDIR302";
  const own = (field: keyof TemplateRecord, stand: string) => withVariables(String(record[field] ?? ""), () => stand);
  return [
    ...NAMES.filter((field) => !(isWeb && field === "target") && !/^[\p{L}\p{M}\p{N}._*@:-]*$/u.test(own(field, "x"))),
    ...NUMBERS.filter((field) => !/^\d*$/.test(own(field, "1"))),
    ...(/[{}]/.test(own("spfRules", "x").replace(/%\{[^{}]*\}/g, "")) ? (["spfRules"] as const) : []),
  ];
};

/** Fields that a record of its type cannot do without or cannot hold, and variables that a link has no room for. */
export function checkTemplate({ records }: Template): TemplateMistake[] {
  return records.flatMap((record, i): TemplateMistake[] => [
    ...NEEDS[record.type]
      .filter((field) => record[field] === undefined)
      .map((field) => ({ code: "field-missing" as const, record: i, type: record.type, field: String(field) })),
    ...malformed(record).map((field) => ({
      code: "field-malformed" as const,
      record: i,
      type: record.type,
      field: String(field),
    })),
    ...(record.txtConflictMatchingMode === "Prefix" && record.txtConflictMatchingPrefix === undefined
      ? [{ code: "prefix-missing" as const, record: i, type: record.type, field: "txtConflictMatchingPrefix" }]
      : []),
    ...textsOfRecord(record)
      .flatMap(variablesIn)
      .filter((name) => RESERVED_VARIABLES.has(name))
      .map((name) => ({ code: "variable-reserved" as const, record: i, type: record.type, field: name })),
  ]);
}
