import type { Clause, Clauses, GeneralClauses } from "../../core/clause/index.ts";
import { ADVICE } from "./advice.ts";
import { ANSWER } from "./answer.ts";
import { ASKED } from "./asked.ts";
import { BULK } from "./bulk.ts";
import { CAUSE } from "./cause.ts";
import { CHANGE } from "./change.ts";
import { CONTRACT } from "./contract.ts";
import { DKIM } from "./dkim.ts";
import { DMARC } from "./dmarc.ts";
import { DNSSEC } from "./dnssec.ts";
import { DOSSIER } from "./dossier.ts";
import { EVENTS } from "./events.ts";
import { EXPECTED } from "./expected.ts";
import { GUARD } from "./guard.ts";
import { HOST } from "./host.ts";
import { KIT } from "./kit.ts";
import { MESSAGE } from "./message.ts";
import { NAME } from "./name.ts";
import { NEXT } from "./next.ts";
import { NOTICE } from "./notice.ts";
import { PACKED } from "./packed.ts";
import { PEER } from "./peer.ts";
import { PROGRAM } from "./program.ts";
import { PROVE } from "./prove.ts";
import { PUBLISH } from "./publish.ts";
import { QUESTION } from "./question.ts";
import { RELOCATE } from "./relocate.ts";
import { REPORT } from "./report.ts";
import { RETIRED } from "./retired.ts";
import { SECRET } from "./secret.ts";
import { SERVICE } from "./service.ts";
import { SHEET } from "./sheet.ts";
import { SITE } from "./site.ts";
import { SPF } from "./spf.ts";
import { SPREAD } from "./spread.ts";
import { STATE } from "./state.ts";
import { STATUS_CODE } from "./status-code.ts";
import { SWEEP } from "./sweep.ts";
import { TAGS } from "./tags.ts";
import { TOLD } from "./told.ts";
import { UPDATE } from "./update.ts";
import { VERDICT } from "./verdict.ts";
import { WIRE } from "./wire.ts";
import type { WordsOf } from "./words.ts";

const GENERAL: WordsOf<GeneralClauses> = { nothing: "", verbatim: ({ text }) => text };

type Joined<Areas> = Areas extends readonly [infer First, ...infer Others] ? First & Joined<Others> : unknown;

/** Areas in one object. A literal that spreads a thousand keys takes V8 fifty times as long. */
const joined = <const Areas extends readonly object[]>(...areas: Areas): Joined<Areas> =>
  Object.assign(Object.create(null), ...areas);

const WORDS: WordsOf<Clauses> = joined(
  GENERAL,
  ADVICE,
  ANSWER,
  ASKED,
  BULK,
  CAUSE,
  CHANGE,
  CONTRACT,
  DKIM,
  DMARC,
  DNSSEC,
  DOSSIER,
  EVENTS,
  EXPECTED,
  GUARD,
  HOST,
  KIT,
  MESSAGE,
  NAME,
  NEXT,
  NOTICE,
  PACKED,
  PEER,
  PROGRAM,
  PROVE,
  PUBLISH,
  QUESTION,
  RELOCATE,
  REPORT,
  RETIRED,
  SECRET,
  SERVICE,
  SHEET,
  SITE,
  SPF,
  SPREAD,
  STATE,
  STATUS_CODE,
  SWEEP,
  TAGS,
  TOLD,
  UPDATE,
  VERDICT,
  WIRE,
);

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
