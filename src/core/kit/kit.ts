import { RE2JS } from "re2js";
import * as z from "zod";
import { PURPOSES } from "../ask/index.ts";
import { expects } from "../clause/index.ts";
import { POLICIES } from "../dmarc/index.ts";

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

/** Whether a whole value matches a pattern of a kit. */
export const matchesPattern = (pattern: string, value: string): boolean => patternOf(pattern)?.matches(value) === true;

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
  /** Whether the line is terms for the SPF record at its name, and not a record of its own. */
  spf: z.boolean().optional(),
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

/** A mistake of a kit that its schema cannot see. */
export type KitMistake =
  | { readonly code: "unknown-blank"; readonly ask: string; readonly blank: string }
  | { readonly code: "unknown-ask"; readonly ask: string; readonly after: string };

/** A blank of a kit; a macro of SPF (RFC 7208 section 7) is none. */
const BLANK = /(?<!%)\{([a-z0-9-]+)\}/g;

/** Blanks that follow from where a kit is used: the domain, the host below it that was chosen, and both together. */
const GIVEN_BLANKS: ReadonlySet<string> = new Set(["domain", "host", "fqdn"]);

/** Whether a blank is filled in by itself. */
export const isGiven = (blank: string): boolean => GIVEN_BLANKS.has(blank);

/** The blanks of a text, in their order. */
export const blanksOf = (text: string): string[] => [...text.matchAll(BLANK)].map((match) => match[1] as string);

/** A text with its blanks filled in. */
export const withBlanks = (text: string, value: (blank: string, behind: string) => string): string =>
  text.replace(BLANK, (found, blank: string, at: number) => value(blank, text.slice(at + found.length)));

/** Mistakes of a kit that its schema cannot see: blanks without an input, asks that wait for none of its own. */
export function checkKit(kit: Kit): KitMistake[] {
  const ids = new Set(kit.asks.map((ask) => ask.id));
  return kit.asks.flatMap((ask): KitMistake[] => [
    ...[...blanksOf(ask.records), ...blanksOf(ask.spf ?? ""), ...ask.later]
      .filter((blank) => !isGiven(blank) && !Object.hasOwn(kit.inputs, blank))
      .map((blank) => ({ code: "unknown-blank" as const, ask: ask.id, blank })),
    ...ask.after.filter((other) => !ids.has(other)).map((after) => ({ code: "unknown-ask" as const, ask: ask.id, after })),
  ]);
}
