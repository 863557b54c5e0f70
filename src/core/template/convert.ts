import { type Purpose, purposeByName } from "../ask/index.ts";
import { isGiven, type Kit, kitSchema, withBlanks } from "../kit/index.ts";
import { parseSeconds } from "../record/index.ts";
import {
  checkTemplate,
  GIVEN_VARIABLES,
  type Template,
  type TemplateRecord,
  textsOfRecord,
  variablesIn,
  withVariables,
} from "./template.ts";

/** Something that the other format has no words for. */
export interface Unsaid {
  readonly code:
    | "flattened-alias"
    | "redirect"
    | "variable-in-number"
    | "unknown-key"
    | "record-type"
    | "field-missing"
    | "order"
    | "later"
    | "pattern"
    | "before"
    | "notes"
    | "policy"
    | "provider"
    | "purpose"
    | "explain";
  /** The record, ask, input or key that it concerns. */
  readonly at: string;
}

const KEYS = /^[a-z0-9][a-z0-9-]{0,62}$/;

/** A name of another format as kits write keys: `siteName` becomes `site-name`. */
const keyOf = (text: string): string => {
  const key = text
    .replace(/([a-z0-9])([A-Z])/g, "$1-$2")
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-+|-+$/g, "")
    .slice(0, 63);
  return KEYS.test(key) ? key : "input";
};

/** Gives each text a key of its own, the same text the same one. */
function keysFor(texts: Iterable<string>): Map<string, string> {
  const keys = new Map<string, string>();
  for (const text of texts) {
    if (keys.has(text)) continue;
    const base = keyOf(text);
    const taken = new Set(keys.values());
    let key = base;
    for (let i = 2; taken.has(key) || isGiven(key); i++) key = `${base}-${i}`;
    keys.set(text, key);
  }
  return keys;
}

/** What records of a group are for, as their names show it. */
function purposeOf(records: readonly TemplateRecord[]): Purpose {
  const some = (test: (record: TemplateRecord) => boolean) => records.some(test);
  if (some(({ type, host = "" }) => type === "SPFM" || /(?:^|\.)_domainkey(?:\.|$)/.test(host))) return "sending";
  if (some(({ type, host = "@" }) => type === "MX" && host === "@")) return "mailbox";
  if (some(({ host = "" }) => host.startsWith("_acme-challenge"))) return "certificate";
  if (some(({ host = "" }) => host.startsWith("_dmarc"))) return "policy";
  const named = records.map(({ host = "@", pointsTo = "" }) => purposeByName(host, pointsTo));
  const [first] = named;
  // An alias or address says by its own name that mail comes back there, or that clicks are counted.
  if (first !== undefined && named.every((purpose) => purpose === first)) return first;
  if (some(({ type }) => ["A", "AAAA", "CNAME", "APEXCNAME", "SRV", "REDIR301", "REDIR302"].includes(type))) return "site";
  return some(({ type }) => type === "MX") ? "bounce" : "ownership";
}

/** What of a template's own is kept in the kit made from it, so that the template can be made again. */
type Origin = NonNullable<Kit["template"]>;

const KNOWN = new Set([
  "providerId",
  "providerName",
  "serviceId",
  "serviceName",
  "version",
  "logoUrl",
  "description",
  "variableDescription",
  "syncBlock",
  "syncPubKeyDomain",
  "syncRedirectDomain",
  "multiInstance",
  "warnPhishing",
  "hostRequired",
  "records",
]);

const KNOWN_IN_RECORDS = new Set([
  ...[
    "type",
    "groupId",
    "host",
    "pointsTo",
    "data",
    "target",
    "ttl",
    "priority",
    "weight",
    "port",
    "protocol",
    "service",
    "name",
  ],
  ...["essential", "txtConflictMatchingMode", "txtConflictMatchingPrefix", "spfRules"],
]);

/**
 * A text of a template in quotes, with its variables as blanks. Quotation marks, backslashes and braces of its own stand for
 * themselves; bare, braces would be blanks (RFC 1035 section 5.1 for the escapes).
 */
const quoted = (text: string, blanks: (text: string) => string): string =>
  `"${text.replace(/%[A-Za-z0-9_.-]+%|["\\]|[{}]/g, (found) =>
    found.length > 1 ? blanks(found) : /[{}]/.test(found) ? `\\${found.charCodeAt(0)}` : `\\${found}`,
  )}"`;
/** A name that a record points to: whole, so that nothing is added to it. */
const pointed = (text: string): string => (text === "@" ? "{domain}." : text.endsWith(".") ? text : `${text}.`);

/** One record as a zone-file line; undefined where zone files have no such record, with what is not said then. */
function lineOf(record: TemplateRecord, blanks: (text: string) => string): string | Unsaid["code"] {
  const { type, host = "@", pointsTo = "", data = "", target = "", ttl, priority, weight, port } = record;
  const own = blanks(host === "" ? "@" : host);
  const start = [own, ...(ttl === undefined ? [] : [blanks(String(ttl))])].join(" ");
  for (const given of [priority, weight, port])
    if (typeof given === "string" && variablesIn(given).length > 0 && type !== "MX" && type !== "SRV")
      return "variable-in-number";
  switch (type) {
    case "A":
    case "AAAA":
      return `${start} ${type} ${blanks(pointsTo)}`;
    case "CNAME":
    case "NS":
      return `${start} ${type} ${pointed(blanks(pointsTo))}`;
    case "MX":
      return `${start} MX ${blanks(String(priority))} ${pointed(blanks(pointsTo))}`;
    case "TXT":
      return `${start} TXT ${quoted(data, blanks)}`;
    case "SRV": {
      const under = record.name === undefined || record.name === "@" || record.name === "" ? "" : `.${blanks(record.name)}`;
      const label = (text = "") => (text.startsWith("_") ? text : `_${text}`);
      const at = `${label(blanks(record.service ?? ""))}.${label(blanks(record.protocol ?? "").toLowerCase())}${under}`;
      return `${at}${ttl === undefined ? "" : ` ${blanks(String(ttl))}`} SRV ${blanks(String(priority))} ${blanks(String(weight))} ${blanks(String(port))} ${pointed(blanks(target))}`;
    }
    case "APEXCNAME":
      return "flattened-alias";
    case "REDIR301":
    case "REDIR302":
      return "redirect";
    case "SPFM":
      return `${start} TXT ${quoted(`v=spf1 ${record.spfRules ?? ""} ~all`, blanks)}`;
  }
}

/** How a line of a kit is applied, where its template says so. */
function appliedAs(
  { type, essential, txtConflictMatchingMode: mode, txtConflictMatchingPrefix: prefix }: TemplateRecord,
  line: number,
): NonNullable<Kit["asks"][number]["applied"]> {
  if (essential === undefined && mode === undefined && type !== "SPFM") return [];
  return [
    {
      line,
      ...(essential === undefined ? {} : { essential: essential === "Always" ? "always" : "on-apply" }),
      ...(mode === undefined ? {} : { texts: mode === "None" ? "none" : mode === "All" ? "all" : "prefix" }),
      ...(prefix === undefined ? {} : { prefix }),
      ...(type === "SPFM" ? { spf: true } : {}),
    },
  ];
}

/** A template as a kit: variables become inputs, groups become asks, SPF rules become terms; what a kit cannot say is listed. */
export function kitOfTemplate(template: Template): { readonly kit: Kit; readonly unsaid: readonly Unsaid[] } {
  const unsaid: Unsaid[] = [];
  for (const key of Object.keys(template)) if (!KNOWN.has(key)) unsaid.push({ code: "unknown-key", at: key });
  const variables = keysFor(
    template.records
      .flatMap(textsOfRecord)
      .flatMap(variablesIn)
      .filter((name) => !GIVEN_VARIABLES.has(name)),
  );
  const blanks = (text: string) =>
    withVariables(text, (variable) => (GIVEN_VARIABLES.has(variable) ? `{${variable}}` : `{${variables.get(variable)}}`));
  const groups = new Map<string, TemplateRecord[]>();
  for (const record of template.records) {
    const group = record.groupId ?? "";
    groups.set(group, [...(groups.get(group) ?? []), record]);
  }
  const order = [...groups.values()].flat();
  if (order.some((record, i) => record !== template.records[i])) unsaid.push({ code: "order", at: "records" });
  const ids = keysFor([...groups.keys()].map((group) => group || template.serviceId));
  const asks = [...groups].flatMap(([group, records]): Kit["asks"] => {
    const lines: string[] = [];
    const rules: string[] = [];
    const applied: NonNullable<Kit["asks"][number]["applied"]> = [];
    for (const record of records) {
      const at = `${record.type} ${record.host ?? record.name ?? "@"}`;
      for (const key of Object.keys(record))
        if (!KNOWN_IN_RECORDS.has(key)) unsaid.push({ code: "unknown-key", at: `${at}: ${key}` });
      if (checkTemplate({ ...template, records: [record] }).length > 0) {
        unsaid.push({ code: "field-missing", at });
        continue;
      }
      if (record.type === "SPFM" && (record.host ?? "@") === "@") {
        rules.push(blanks(record.spfRules ?? ""));
        continue;
      }
      const line = lineOf(record, blanks);
      if (!line.includes(" ")) {
        unsaid.push({ code: line as Unsaid["code"], at });
        continue;
      }
      lines.push(line);
      applied.push(...appliedAs(record, lines.length));
    }
    if (lines.length === 0 && rules.length === 0) return [];
    return [
      {
        id: ids.get(group || template.serviceId) as string,
        purpose: purposeOf(records),
        after: [],
        records: lines.map((one) => `${one}\n`).join(""),
        later: [],
        ...(rules.length === 0 ? {} : { spf: rules.join(" ") }),
        ...(applied.length === 0 ? {} : { applied }),
        ...(group === "" ? {} : { group }),
      },
    ];
  });
  const inputs = Object.fromEntries(
    [...variables].map(([variable, key]) => [
      key,
      {
        explain: template.variableDescription ?? `${variable}, as ${template.providerName} shows it`,
        ...(variable === key ? {} : { variable }),
      },
    ]),
  );
  const kit = kitSchema.parse({
    kit: 1,
    service: keyOf(template.providerId.replace(/\.[a-z]+$/i, "")),
    title: template.providerName,
    inputs,
    asks: asks.length > 0 ? asks : [{ id: keyOf(template.serviceId), purpose: "ownership" }],
    template: originOf(template),
  });
  return { kit, unsaid };
}

function originOf(template: Template): Origin {
  const { records: _, ...own } = template;
  const kept = Object.entries(own).filter(([key, value]) => KNOWN.has(key) && value !== undefined);
  return Object.fromEntries(kept) as Origin;
}

const unquoted = (text: string): string => {
  const parts = [...text.matchAll(/"((?:[^"\\]|\\.)*)"/g)].map((match) =>
    (match[1] as string).replace(/\\(\d{3}|.)/g, (_, escaped: string) =>
      escaped.length === 3 ? String.fromCharCode(Number(escaped)) : escaped,
    ),
  );
  return parts.length > 0 ? parts.join("") : text.trim();
};
const withoutDot = (text: string): string => (text === "%domain%." ? "@" : text.replace(/\.$/, ""));

const QUOTED = /"(?:[^"\\]|\\.)*"/g;
/** A line of a zone file without its comment; a semicolon within quotes belongs to the text. */
const withoutComment = (line: string): string => /^(?:"(?:[^"\\]|\\.)*"|[^";])*/.exec(line)?.[0].trimEnd() ?? "";

/** Records of a kit, each on one line with its owner; those that continue over several lines are left as they are. */
function linesOf(records: string): string[] {
  let owner = "@";
  return records.split("\n").flatMap((text) => {
    const line = withoutComment(text);
    if (line.trim() === "") return [];
    // A line that begins with white space has the owner of the one before.
    if (/^\s/.test(line)) return [`${owner} ${line.trim()}`];
    owner = line.split(/\s/)[0] ?? owner;
    return [line];
  });
}

/** One line of a kit, with variables in place of its blanks, as a record of a template; undefined where templates have no such type. */
function recordOfLine(line: string): TemplateRecord | undefined {
  const match = /^(\S+)\s+(?:(\d[\dsmhdw]*|%[A-Za-z0-9_.-]+%)\s+)?(?:IN\s+)?([A-Z]+)\s+(.*)$/i.exec(line.trim());
  const seconds = match?.[2] === undefined || match[2].startsWith("%") ? undefined : parseSeconds(match[2]);
  if (
    match === null ||
    match[4]?.replace(QUOTED, "").includes("(") ||
    (match[2] !== undefined && !match[2].startsWith("%") && seconds === undefined)
  )
    return undefined;
  const [, host = "@", ttl, given = "", rest = ""] = match;
  const type = given.toUpperCase();
  const common = ttl === undefined ? {} : { ttl: seconds ?? ttl };
  const numeric = (text = ""): number | string => (/^\d+$/.test(text) ? Number(text) : text);
  const fields = rest.trim().split(/\s+/);
  switch (type) {
    case "A":
    case "AAAA":
      return { type, host, pointsTo: rest.trim(), ...common };
    case "CNAME":
    case "NS":
      return { type, host, pointsTo: withoutDot(rest.trim()), ...common };
    case "MX":
      return { type, host, pointsTo: withoutDot(fields[1] ?? ""), priority: numeric(fields[0]), ...common };
    case "TXT":
      return { type, host, data: unquoted(rest), ...common };
    case "SRV": {
      const [service = "", protocol = "", ...under] = host.split(".");
      const [priority, weight, port, target = ""] = fields;
      return {
        type,
        service,
        protocol,
        ...(under.length === 0 ? {} : { name: under.join(".") }),
        priority: numeric(priority),
        weight: numeric(weight),
        port: numeric(port),
        target: withoutDot(target),
        ...common,
      };
    }
    default:
      return undefined;
  }
}

/** A text that stands for terms of SPF at its name, as the open format says that. */
const asRules = ({ host, data = "", ttl }: TemplateRecord): TemplateRecord => ({
  type: "SPFM",
  host,
  spfRules: data.replace(/^v=spf1 /, "").replace(/ ~all$/, ""),
  ...(ttl === undefined ? {} : { ttl }),
});

/** A kit as a template of the open format; what a template cannot say is listed. */
export function templateOfKit(kit: Kit): { readonly template: Template; readonly unsaid: readonly Unsaid[] } {
  const unsaid: Unsaid[] = [];
  const variableOf = (key: string) => (isGiven(key) ? key : (kit.inputs[key]?.variable ?? key));
  const variables = (text: string): string => withBlanks(text, (key) => `%${variableOf(key)}%`);
  const records = kit.asks.flatMap((ask): TemplateRecord[] => {
    const groupId = ask.group ?? (kit.template === undefined ? ask.id : undefined);
    const group = groupId === undefined ? {} : { groupId };
    if (ask.later.length > 0 || ask.after.length > 0) unsaid.push({ code: "later", at: ask.id });
    if (ask.dmarc !== undefined) unsaid.push({ code: "policy", at: ask.id });
    const made = linesOf(ask.records).flatMap((line, i): TemplateRecord[] => {
      const record = recordOfLine(variables(line));
      if (record === undefined) {
        unsaid.push({ code: "record-type", at: line.trim() });
        return [];
      }
      const how = ask.applied?.find((candidate) => candidate.line === i + 1);
      return [
        {
          ...(how?.spf === true ? asRules(record) : record),
          ...group,
          ...(how?.essential === undefined ? {} : { essential: how.essential === "always" ? "Always" : "OnApply" }),
          ...(how?.texts === undefined
            ? {}
            : { txtConflictMatchingMode: how.texts === "none" ? "None" : how.texts === "all" ? "All" : "Prefix" }),
          ...(how?.prefix === undefined ? {} : { txtConflictMatchingPrefix: how.prefix }),
        },
      ];
    });
    const all = ask.spf === undefined ? made : [...made, { type: "SPFM" as const, ...group, spfRules: variables(ask.spf) }];
    if (all.length > 0 && purposeOf(all) !== ask.purpose) unsaid.push({ code: "purpose", at: ask.id });
    return all;
  });
  for (const [key, { pattern, example }] of Object.entries(kit.inputs))
    if (pattern !== undefined || example !== undefined) unsaid.push({ code: "pattern", at: key });
  if (kit.before.length > 0) unsaid.push({ code: "before", at: kit.title });
  if (kit.notes !== undefined) unsaid.push({ code: "notes", at: kit.title });
  if (kit.template === undefined) unsaid.push({ code: "provider", at: `${kit.service}.example` });
  if (kit.template === undefined && Object.keys(kit.inputs).length > 1) unsaid.push({ code: "explain", at: kit.title });
  const origin: Origin = kit.template ?? {
    providerId: `${kit.service}.example`,
    providerName: kit.title,
    serviceId: kit.service,
    serviceName: kit.title,
    version: 1,
  };
  const explained = Object.entries(kit.inputs).map(([key, { explain }]) => `${variableOf(key)}: ${explain}`);
  return {
    template: {
      ...origin,
      ...(origin.variableDescription === undefined && kit.template === undefined && explained.length > 0
        ? { variableDescription: explained.join("; ").slice(0, 4096) }
        : {}),
      records,
    } as Template,
    unsaid,
  };
}
