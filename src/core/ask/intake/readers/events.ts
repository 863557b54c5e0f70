import type { Span } from "../paste.ts";
import { looksLikeName } from "../paste.ts";
import { type Evidence, looksLikeHost } from "../reading.ts";
import { repairTarget } from "../repair.ts";
import { APEX_WORDS, isEmptyMark, isTypeWord, labelOf, typeCell } from "../words.ts";

/** The fields of a record that a page may say in any order. */
export type Field = "type" | "host" | "value" | "priority" | "ttl";

/** One field that a page says, with what shows it. */
export interface Said {
  readonly field: Field;
  readonly text: string;
  readonly evidence: Evidence;
  readonly spans: readonly Span[];
  readonly line: number;
  /** The sentence that says it, where one does. */
  readonly sentence?: string;
}

/** The end of one record and the beginning of another: a heading, `Record 2 of 3`. */
interface Break {
  readonly field: "break";
  readonly line: number;
}

export type Event = Said | Break;

/** A policy or a key: it goes on to the end of its cell, its sentence or its marks. */
export const POLICY = /v=(?:spf1|DKIM1|DMARC1|STSv1|TLSRPTv1)\b/i;

/** Names that hosts have so often that a sentence may name them without any marks. */
const USUAL_HOST =
  /^(?:www\d?|ftp|blog|shop|store|mail\d?|webmail|help|support|status|docs|news|app|api|cdn|static|assets|forum|tickets|links?|click|go|track(?:ing)?|bounces?|autodiscover|autoconfig|m|dev|staging|portal|events?|community|lists?|smtp|imap|pop)$/i;

/** What can only be a host: `@`, a wildcard, a label with an underscore in front, `www`. */
export const isSureHost = (text: string): boolean =>
  text === "@" ||
  text === "*" ||
  /^www$/i.test(text) ||
  /^(?:\*\.|@\.)[a-z0-9_.-]+$/i.test(text) ||
  /^_[a-z0-9][a-z0-9_.-]*$/i.test(text) ||
  /^[a-z0-9-]+\._domainkey(?:\.[a-z0-9_.-]+)?$/i.test(text);

/** Whether a word may be a host although nothing marks it: a usual one, or one that no language has. */
export const isUsualHost = (text: string): boolean => USUAL_HOST.test(text) || /^[a-z]+\d[a-z0-9]*$/i.test(text);

/** Whether a text has a form that only values have: an address, a policy, `key=value`, a name with a dot, a long token. */
export function isValueForm(text: string): boolean {
  const plain = text.trim();
  if (POLICY.test(plain)) return true;
  if (/^\d{1,5}\s+\S+$/.test(plain)) return looksLikeName(plain.replace(/^\d+\s+/, ""));
  if (/\s/.test(plain)) return false;
  if (/^\d{1,3}(?:\.\d{1,3}){3}$/.test(plain) || (/^[0-9a-f:.]+$/i.test(plain) && plain.split(":").length > 2)) return true;
  if (/^[\w.+-]+@[\w.-]+\.[a-z]{2,}$/i.test(plain)) return false;
  // A term of an SPF record is none by itself, nor is a time of day.
  if (/^[+?~-]?(?:include|ip[46]|a|mx|exists|redirect)[:=]/i.test(plain) || /^\d{1,2}:\d\d(?::\d\d)?$/.test(plain)) return false;
  if (looksLikeName(repairTarget(plain).text)) return true;
  if (/^[\w.-]{1,60}[=:][\w+/=.~-]{3,}$/.test(plain) && !/^\d+:\d+$/.test(plain) && !/^https?:/i.test(plain)) return true;
  return plain.length >= 10 && /\d/.test(plain) && /[a-z]/i.test(plain) && /^[\w+/=.-]+$/.test(plain);
}

/** Whether a text may stand in a field, given that the page says that it is meant for it. */
export function suits(field: Field, text: string): boolean {
  const plain = text.trim();
  switch (field) {
    case "type":
      return typeCell(plain) !== undefined;
    case "host":
      return looksLikeHost(plain) || APEX_WORDS.test(plain) || isEmptyMark(plain);
    case "value":
      return plain !== "" && labelOf(plain) === undefined && !(isTypeWord(plain) && plain === plain.toUpperCase());
    case "priority":
      return /^\d{1,5}$/.test(plain);
    case "ttl":
      return /^\d/.test(plain) || isEmptyMark(plain);
  }
}
