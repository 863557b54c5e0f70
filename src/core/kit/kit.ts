import { RE2JS } from "re2js";
import * as z from "zod";
import { type Ask, PURPOSES, type Purpose } from "../ask/index.ts";
import { type Clause, clause, expects } from "../clause/index.ts";
import { POLICIES } from "../dmarc/index.ts";
import { type DomainName, withoutRootDot } from "../name/index.ts";
import { octetsOf, type ResourceRecord } from "../record/index.ts";
import { err, ok, type Result } from "../result.ts";
import { readSpfRecord } from "../spf/index.ts";
import { readRecords } from "../zone/index.ts";

const KEY = /^[a-z0-9][a-z0-9-]{0,62}$/;
const key = z.string().regex(KEY, expects("key"));
/** The pattern an input has to match from end to end; undefined where it is none. Patterns come from people, and this engine never runs away. */
function patternOf(text: string): RE2JS | undefined {
  try {
    return RE2JS.compile(text);
  } catch {
    return undefined;
  }
}

const pattern = z
  .string()
  .max(200)
  .refine((text) => patternOf(text) !== undefined, expects("pattern"));

const input = z.strictObject({
  /** What it is and where the service shows it, for the person who fills it in. */
  explain: z.string().min(1),
  /** A regular expression the whole value has to match. */
  pattern: pattern.optional(),
  example: z.string().optional(),
  /** Its name in the template that the kit was made from, where that is another one. */
  variable: z.string().max(100).optional(),
});

/** How a DNS host that applies the kit as a template treats one of its lines, and what is at its name. */
const applied = z.strictObject({
  /** Which record of `records`, from 1 on. */
  line: z.number().int().min(1),
  /** Whether the record has to stay (`always`), or may be changed once it was there (`on-apply`). */
  essential: z.enum(["always", "on-apply"]).optional(),
  /** Which texts at the same name give way to it. */
  texts: z.enum(["none", "all", "prefix"]).optional(),
  prefix: z.string().optional(),
});

/** What the kit is called as a template of the open set-up format, by which a DNS host knows it. */
const origin = z.strictObject({
  providerId: z.string().min(1),
  providerName: z.string().min(1),
  serviceId: z.string().min(1),
  serviceName: z.string().min(1),
  version: z.number().int().min(0).optional(),
  logoUrl: z.string().optional(),
  description: z.string().optional(),
  variableDescription: z.string().optional(),
  syncBlock: z.boolean().optional(),
  syncPubKeyDomain: z.string().optional(),
  syncRedirectDomain: z.string().optional(),
  multiInstance: z.boolean().optional(),
  warnPhishing: z.boolean().optional(),
  hostRequired: z.boolean().optional(),
});

const kitAsk = z.strictObject({
  id: key,
  purpose: z.enum(PURPOSES),
  /** Ids of asks of this kit that must be proven first. */
  after: z.array(key).default([]),
  /** Zone-file lines with spaces such as {token} in them. */
  records: z.string().default(""),
  spf: z.string().optional(),
  dmarc: z.enum(POLICIES).optional(),
  /** Inputs that the service only shows once the asks before are proven. */
  later: z.array(key).default([]),
  /** The group of the template that this ask is. */
  group: z.string().optional(),
  applied: z.array(applied).optional(),
});

/** A reusable description of what a service asks for (docs/kits.md). */
export const kitSchema = z.strictObject({
  kit: z.literal(1, expects("kit-version")),
  service: key,
  title: z.string().min(1),
  inputs: z.record(key, input).default({}),
  /** Things to do at the service beforehand. */
  before: z.array(z.string()).default([]),
  notes: z.string().optional(),
  asks: z.array(kitAsk).min(1, expects("one-ask")),
  template: origin.optional(),
});
export type Kit = z.output<typeof kitSchema>;

/** One ask of a kit, filled in for a domain. */
export interface KitAsk {
  readonly id: string;
  readonly purpose: Purpose;
  readonly after: readonly string[];
  readonly records: readonly ResourceRecord[];
  readonly spf?: string;
  readonly dmarc?: (typeof POLICIES)[number];
  /** How a DNS host knows it, where the kit is a template of the open set-up format. */
  readonly template?: TemplateUse;
}

/** A group of a template with its variables filled in, as a DNS host is asked to apply it. */
export type TemplateUse = NonNullable<Ask["template"]>;

export type KitError =
  | { readonly code: "missing-input"; readonly input: string; readonly explain: string; readonly example: string | undefined }
  | { readonly code: "malformed-input"; readonly input: string; readonly explain: string; readonly example: string | undefined }
  | { readonly code: "unknown-input"; readonly input: string; readonly known: readonly string[] }
  | { readonly code: "unknown-blank"; readonly ask: string; readonly blank: string }
  | { readonly code: "unknown-ask"; readonly ask: string; readonly after: string }
  | { readonly code: "bad-records"; readonly ask: string; readonly because: Clause };

const BLANK = /\{([a-z0-9-]+)\}/g;
const blanksOf = (text: string): string[] => [...text.matchAll(BLANK)].map((match) => match[1] as string);

/** Mistakes of a kit that its schema cannot see: blanks without an input, asks that wait for none of its own. */
export function checkKit(kit: Kit): KitError[] {
  const ids = new Set(kit.asks.map((ask) => ask.id));
  return kit.asks.flatMap((ask): KitError[] => [
    ...[...blanksOf(ask.records), ...blanksOf(ask.spf ?? ""), ...ask.later]
      .filter((blank) => blank !== "domain" && !Object.hasOwn(kit.inputs, blank))
      .map((blank) => ({ code: "unknown-blank" as const, ask: ask.id, blank })),
    ...ask.after.filter((other) => !ids.has(other)).map((after) => ({ code: "unknown-ask" as const, ask: ask.id, after })),
  ]);
}

/** An ask of a kit as a template, with those variables that its lines need. */
function useOf(
  kit: Kit,
  { providerId, serviceId }: NonNullable<Kit["template"]>,
  { records, spf = "", group }: Kit["asks"][number],
  values: ReadonlyMap<string, string>,
): TemplateUse {
  const needed = [...new Set([...blanksOf(records), ...blanksOf(spf)])].filter((blank) => blank !== "domain");
  return {
    provider: providerId,
    service: serviceId,
    ...(group === undefined ? {} : { group }),
    variables: Object.fromEntries(needed.map((key) => [kit.inputs[key]?.variable ?? key, values.get(key) ?? ""])),
  };
}

/**
 * Fills a kit in for a domain. An ask whose inputs are all marked `later` and not given yet is left out: the
 * service shows them only after the asks before it are proven.
 */
export function fillKit(
  kit: Kit,
  domain: DomainName,
  values: ReadonlyMap<string, string>,
  ttl: number,
): Result<{ readonly asks: readonly KitAsk[]; readonly later: readonly string[] }, KitError> {
  for (const given of values.keys())
    if (!Object.hasOwn(kit.inputs, given)) return err({ code: "unknown-input", input: given, known: Object.keys(kit.inputs) });
  for (const [name, value] of values) {
    const { explain, example, pattern: wanted } = kit.inputs[name] as Kit["inputs"][string];
    if (value.length > 8192 || /[\r\n\0]/.test(value) || (wanted !== undefined && patternOf(wanted)?.matches(value) !== true))
      return err({ code: "malformed-input", input: name, explain, example });
  }
  const asks: KitAsk[] = [];
  const later: string[] = [];
  const idOf = (id: string) => (id.startsWith(`${kit.service}-`) ? id : `${kit.service}-${id}`);
  for (const ask of kit.asks) {
    if (ask.later.some((name) => !values.has(name))) {
      later.push(idOf(ask.id));
      continue;
    }
    for (const blank of [...blanksOf(ask.records), ...blanksOf(ask.spf ?? "")]) {
      if (blank === "domain" || values.has(blank)) continue;
      const { explain, example } = kit.inputs[blank] as Kit["inputs"][string];
      return err({ code: "missing-input", input: blank, explain, example });
    }
    // A name that was given with its final dot does not get a second one.
    const fill = (text: string, quote: (value: string) => string) =>
      text.replace(/\{([a-z0-9-]+)\}(?=(\.(?:\s|$))?)/g, (_, blank: string, dot?: string) => {
        const value = blank === "domain" ? withoutRootDot(domain) : quote(values.get(blank) as string);
        return dot === undefined ? value : value.replace(/\.$/, "");
      });
    // A value inside quotes must not end them; escaping a backslash or quote means the character itself.
    const { records, issues } = readRecords(octetsOf(fill(ask.records, (value) => value.replace(/["\\]/g, "\\$&"))), {
      origin: domain,
      ttl,
    });
    const [issue] = issues;
    if (issue !== undefined)
      return err({
        code: "bad-records",
        ask: ask.id,
        because: clause("kit-line", { line: issue.line, found: issue.text, expected: issue.expected }),
      });
    const spf = ask.spf === undefined ? undefined : fill(ask.spf, (value) => value);
    const parsedSpf = spf === undefined ? undefined : readSpfRecord(`v=spf1 ${spf}`);
    if (parsedSpf?.ok === false)
      return err({
        code: "bad-records",
        ask: ask.id,
        because: clause("kit-spf-terms", { message: parsedSpf.error[0]?.message }),
      });
    asks.push({
      id: idOf(ask.id),
      purpose: ask.purpose,
      after: ask.after.map(idOf),
      records,
      ...(spf === undefined ? {} : { spf }),
      ...(ask.dmarc === undefined ? {} : { dmarc: ask.dmarc }),
      ...(kit.template === undefined ? {} : { template: useOf(kit, kit.template, ask, values) }),
    });
  }
  return ok({ asks, later });
}
