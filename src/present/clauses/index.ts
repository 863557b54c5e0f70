import type { Clause } from "../../core/clause/index.ts";
import { joined } from "../joined.ts";
import { ARC } from "./arc.ts";
import { ASKS } from "./asks.ts";
import { DKIM } from "./dkim.ts";
import { DMARC } from "./dmarc.ts";
import { DNS } from "./dns.ts";
import { DNSSEC } from "./dnssec.ts";
import { FLEET } from "./fleet.ts";
import { LOGO } from "./logo.ts";
import { MAIL } from "./mail.ts";
import { PUBLISHING } from "./publishing.ts";
import { REPORTS } from "./reports.ts";
import { SERVICES } from "./services.ts";
import { SITE } from "./site.ts";
import { SPF } from "./spf.ts";
import type { ParamsOf, Words } from "./words.ts";

const GENERAL = {
  /** There is nothing to say, or to do. */
  nothing: "",
  /** What somebody else said, as it is: a server, a service, the system. */
  verbatim: ({ text }: { readonly text: string }) => text,
} satisfies Words;

const WORDS = joined(GENERAL, ARC, ASKS, DKIM, DMARC, DNS, DNSSEC, FLEET, LOGO, MAIL, PUBLISHING, REPORTS, SERVICES, SITE, SPF);

declare module "../../core/clause/clause.ts" {
  interface Clauses extends ParamsOf<typeof WORDS> {}
}

/** Whether a text is the code of a clause. */
const isKnown = (code: unknown): boolean => typeof code === "string" && Object.hasOwn(WORDS, code);

/** A clause in words, without a full stop; nothing where there is none. */
export function inWords(said: Clause | undefined): string {
  if (said === undefined) return "";
  // The journal of an earlier version has the words themselves.
  if (typeof said === "string") return said;
  // A sweep or a journal may come from another version, whose code means nothing here.
  if (!isKnown(said.clause)) return said.clause;
  const words = WORDS[said.clause] as string | ((params: object, say: typeof inWords) => string);
  return typeof words === "string" ? words : words(said, inWords);
}

/** Whether a step is a command that can be run as it is. */
export const isCommand = (step: Clause): boolean => inWords(step).startsWith("zandrel ");

/** A result in which every clause is in words; whatever holds none is handed back as it is. */
export function allInWords<T>(value: T): T {
  if (typeof value !== "object" || value === null) return value;
  if (Array.isArray(value)) {
    const items = value.map(allInWords);
    return (items.some((item, i) => item !== value[i]) ? items : value) as T;
  }
  // Only plain objects; one that a thread handed over has a prototype of its own realm.
  const kind = Object.getPrototypeOf(value);
  if (kind !== null && Object.getPrototypeOf(kind) !== null) return value;
  if (isKnown((value as { clause?: unknown }).clause)) return inWords(value as never) as T;
  const entries = Object.entries(value).map(([key, item]) => [key, allInWords(item)] as const);
  return entries.every(([key, item]) => item === (value as Record<string, unknown>)[key])
    ? value
    : (Object.fromEntries(entries) as T);
}
