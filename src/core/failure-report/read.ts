import { createHash } from "node:crypto";
import ipaddr from "ipaddr.js";
import { type Clause, clause } from "../clause/index.ts";
import { canonicalField } from "../dkim/index.ts";
import { decodeWords } from "../encoded-word.ts";
import { fieldsNamed, fieldValue, type HeaderField, type MessageHeader, parseHeader, parseMailboxes } from "../message/index.ts";
import { type DomainName, isAtOrBelow, mailDomainOf } from "../name/index.ts";

/** What failed, as `Auth-Failure` says it (RFC 6591 section 3.2.1, RFC 7489 section 7.3). */
export const AUTH_FAILURES = ["bodyhash", "signature", "revoked", "spf", "dmarc", "adsp", "other"] as const;
export type AuthFailure = (typeof AUTH_FAILURES)[number];

/** What became of the message (RFC 6591 section 3.2.2). */
export const DELIVERIES = ["delivered", "spam", "policy", "reject", "other"] as const;
export type Delivery = (typeof DELIVERIES)[number];

/** A field of the header that is not as it was when it was hashed. What it said is kept only where it is nobody's personal data. */
interface ChangedField {
  readonly field: string;
  readonly what: "changed" | "added" | "missing";
  readonly was?: string;
  readonly is?: string;
}

/** One message that failed, as somebody who received it reports it. */
export interface FailureReport {
  /** By which the same report is known when it comes again. */
  readonly key: string;
  /** Whose server reports it. */
  readonly receiver: string;
  /** When the message arrived there, in seconds since 1970. */
  readonly at: number;
  /** Address of the server that sent it. */
  readonly ip: string | undefined;
  /** The From domain of the message. */
  readonly from: DomainName;
  readonly failure: AuthFailure;
  readonly delivery: Delivery | undefined;
  /** What was aligned with From: DKIM, SPF, both or none; undefined where it is not said. */
  readonly aligned: readonly ("dkim" | "spf")[] | undefined;
  /** The domain of the envelope sender. */
  readonly envelope: DomainName | undefined;
  readonly signer: DomainName | undefined;
  readonly selector: string | undefined;
  /** The SPF record as the receiver saw it. */
  readonly spf: string | undefined;
  /** How many messages it stands for. */
  readonly count: number;
  readonly changed: readonly ChangedField[];
  /** Personal data, which is only there where somebody asked for it. */
  readonly personal: { readonly author: string; readonly envelope: string; readonly subject: string } | undefined;
}

/** The parts of a mail that hold such a report, as octet strings. */
export interface ReportParts {
  /** The fields of `message/feedback-report`. */
  readonly feedback: string;
  /** The message, or its header alone, as far as it came; undefined where it was left out. */
  readonly original: string | undefined;
  /** The domain that mailed it. */
  readonly mailedBy: string | undefined;
  /** The Message-ID of the mail that brought it. */
  readonly mailId: string | undefined;
  /** When it was mailed, in seconds since 1970. */
  readonly mailedAt: number | undefined;
}

export type ReadFailure =
  | { readonly kind: "read"; readonly report: FailureReport }
  /** A report of the same format about something else, or one that says too little. */
  | { readonly kind: "aside"; readonly reason: "other-feedback" | "missing"; readonly because: Clause };

/** Characters that are kept of one value. */
const MAX_VALUE = 300;
/** Fields of the header that are compared, and kept. */
const MAX_FIELDS = 200;
const MAX_CHANGED = 20;
/** Messages that one report may stand for. */
const MAX_COUNT = 1_000_000;

/** Fields whose values say nothing of a person. */
const IMPERSONAL: ReadonlySet<string> = new Set(
  "content-type content-transfer-encoding mime-version date list-id list-unsubscribe-post precedence auto-submitted".split(" "),
);

const short = (text: string): string => {
  const clean = text.replace(/[\x00-\x1f\x7f]+/g, " ").trim();
  return clean.length > MAX_VALUE ? `${clean.slice(0, MAX_VALUE)}…` : clean;
};

/** The domain of an address, whatever is around it. */
const domainIn = (text: string | undefined): DomainName | undefined =>
  text === undefined || text.trim() === "" ? undefined : mailDomainOf(text.trim().replace(/^<(.*)>$/s, "$1"));

const secondsOf = (text: string | undefined): number | undefined => {
  const at = text === undefined ? Number.NaN : Date.parse(text.replace(/\([^()]*\)/g, "").trim());
  return Number.isNaN(at) ? undefined : Math.floor(at / 1000);
};

const oneOf = <T extends string>(all: readonly T[], text: string | undefined): T | undefined =>
  all.find((known) => known === text?.trim().toLowerCase());

/** Text in base64, however it is folded; undefined where it is none. */
function fromBase64(text: string): string | undefined {
  const plain = text.replace(/\s+/g, "");
  return /^[A-Za-z0-9+/]+={0,2}$/.test(plain) ? Buffer.from(plain, "base64").toString("latin1") : undefined;
}

/**
 * The header as it was hashed against the header as it came: what was changed, what went, and what was added where it was signed. Only
 * for the relaxed form can the two be compared line by line; the simple form keeps its folding, which is undone first.
 */
function changedFields(hashed: string, header: MessageHeader, isWhole: boolean, personal: boolean): ChangedField[] {
  if (header.fields.length === 0) return [];
  const relaxed = (fields: readonly HeaderField[]): Map<string, string[]> => {
    const byName = new Map<string, string[]>();
    for (const one of fields.slice(0, MAX_FIELDS)) {
      const values = byName.get(one.name) ?? [];
      values.push(canonicalField(one, "relaxed").slice(one.name.length + 1));
      byName.set(one.name, values);
    }
    return byName;
  };
  const was = relaxed(parseHeader(hashed).fields);
  const is = relaxed(header.fields);
  const changed: ChangedField[] = [];
  for (const [field, values] of was) {
    // The field of the signature is hashed without its value.
    if (field === "dkim-signature") continue;
    const now = is.get(field) ?? [];
    const lost = values.filter((value) => !now.includes(value));
    const fresh = now.filter((value) => !values.includes(value));
    const mayBeSaid = personal || IMPERSONAL.has(field);
    for (let i = 0; i < Math.max(lost.length, Math.min(fresh.length, values.length)); i++) {
      const [before, after] = [lost[i], fresh[i]];
      // Of a header that was cut off nobody knows what else was in it.
      if (after === undefined && !isWhole) continue;
      changed.push({
        field,
        what: before === undefined ? "added" : after === undefined ? "missing" : "changed",
        ...(mayBeSaid && before !== undefined ? { was: short(before) } : {}),
        ...(mayBeSaid && after !== undefined ? { is: short(after) } : {}),
      });
    }
  }
  return changed.slice(0, MAX_CHANGED);
}

/** What is aligned, as `Identity-Alignment` says it (RFC 7489 section 7.3.1). */
function alignedIn(text: string | undefined): FailureReport["aligned"] {
  if (text === undefined) return undefined;
  const words = text.toLowerCase().split(/[\s,]+/);
  return (["dkim", "spf"] as const).filter((one) => words.includes(one));
}

/** The first address of a field, and its domain. */
function authorOf(header: MessageHeader | undefined): { readonly domain: DomainName | undefined; readonly text: string } {
  const [from] = header === undefined ? [] : fieldsNamed(header, "from");
  if (from === undefined) return { domain: undefined, text: "" };
  const parsed = parseMailboxes(fieldValue(from));
  const first = parsed.ok ? parsed.value.find(({ domain }) => domain !== undefined) : undefined;
  return { domain: first?.domain, text: first?.address ?? "" };
}

/**
 * Reads one report. Bodies are never kept; local parts and subjects only where `personal` says so.
 *
 * @param now seconds since 1970; a report that claims a later time is taken to be of now
 */
export function readFailureReport(
  { feedback, original, mailedBy, mailId, mailedAt }: ReportParts,
  { personal, now }: { readonly personal: boolean; readonly now: number },
): ReadFailure {
  const said = parseHeader(feedback.replace(/^[\r\n]+/, ""));
  const get = (name: string): string | undefined => {
    const [first] = fieldsNamed(said, name);
    const value = first === undefined ? undefined : fieldValue(first);
    return value === "" ? undefined : value;
  };
  const type = get("feedback-type")?.toLowerCase();
  if (type !== "auth-failure")
    return { kind: "aside", reason: "other-feedback", because: clause("failure-other-feedback", { type }) };
  const header = original === undefined ? undefined : parseHeader(original.split(/\r?\n\r?\n/, 1)[0] ?? "");
  const isWhole = original !== undefined && /\n\r?\n|\n$/.test(original);
  const author = authorOf(header);
  const from = author.domain ?? domainIn(get("reported-domain")) ?? domainIn(get("original-mail-from"));
  if (from === undefined) return { kind: "aside", reason: "missing", because: clause("failure-no-domain") };
  const address = get("source-ip")?.replace(/^\[?(?:IPv6:)?(.*?)\]?$/i, "$1") ?? "";
  const hashed = get("dkim-canonicalized-header");
  const canonical = hashed === undefined ? undefined : fromBase64(hashed);
  const at = Math.min(secondsOf(get("arrival-date")) ?? secondsOf(get("received-date")) ?? mailedAt ?? now, now);
  const [subject] = header === undefined ? [] : fieldsNamed(header, "subject").map(fieldValue);
  const [id] = header === undefined ? [] : fieldsNamed(header, "message-id").map(fieldValue);
  const mta = get("reporting-mta")?.replace(/^dns\s*;\s*/i, "");
  const receiver = short(mailedBy ?? mta ?? "an unknown receiver").toLowerCase();
  const envelope = get("original-mail-from");
  const incidents = get("incidents");
  const failure = oneOf(AUTH_FAILURES, get("auth-failure")) ?? "other";
  const count = incidents !== undefined && /^\d{1,9}$/.test(incidents) ? Math.min(Math.max(1, Number(incidents)), MAX_COUNT) : 1;
  const identity = [
    receiver,
    at,
    address,
    from,
    failure,
    get("dkim-selector") ?? "",
    id ?? get("original-envelope-id") ?? mailId ?? "",
    feedback,
  ];
  return {
    kind: "read",
    report: {
      key: createHash("sha256").update(identity.join("\n")).digest("base64url"),
      receiver,
      at,
      ip: ipaddr.isValid(address) ? ipaddr.process(address).toString() : undefined,
      from,
      failure,
      delivery: oneOf(DELIVERIES, get("delivery-result")),
      aligned: alignedIn(get("identity-alignment")),
      envelope: domainIn(envelope),
      signer: domainIn(get("dkim-domain")),
      selector: get("dkim-selector")
        ?.replace(/[^\w.-]/g, "_")
        .slice(0, 200),
      spf: get("spf-dns") === undefined ? undefined : short(get("spf-dns") ?? ""),
      count,
      changed: canonical === undefined || header === undefined ? [] : changedFields(canonical, header, isWhole, personal),
      personal: personal
        ? { author: short(author.text), envelope: short(envelope ?? ""), subject: short(decodeWords(subject ?? "")) }
        : undefined,
    },
  };
}

/** Whether a report is about one of these domains, or a name below or above it. */
export const isAboutOne = ({ from }: Pick<FailureReport, "from">, domains: readonly DomainName[]): boolean =>
  domains.some((own) => isAtOrBelow(from, own) || isAtOrBelow(own, from));
