import { type Clause, clause } from "../clause/index.ts";
import { mailDomainOf, withoutRootDot } from "../name/index.ts";
import { nearest } from "../nearest.ts";
import { err, ok, type Result } from "../result.ts";
import { type Mistake, readTagList } from "../tag-list.ts";
import { isDmarc, POLICIES, type Policy } from "./policy.ts";

/** Where reports go: one URI of `rua` or `ruf` (RFC 7489 section 6.2). */
export interface ReportUri {
  readonly text: string;
  /** The address of a `mailto:` URI, percent-decoded; undefined for any other scheme. */
  readonly address?: string;
  /** Largest report that is wanted, in octets. */
  readonly most?: number;
}

/** A DMARC record (RFC 7489 section 6.3 and the tags of its successor), read as receivers do. */
export interface DmarcRecord {
  readonly text: string;
  /** What is asked for; `none` also where `p` is missing or wrong and reports are wanted (RFC 7489 section 6.6.3). */
  readonly policy: Policy;
  /** Policy for subdomains; undefined where that of the domain counts. */
  readonly subdomains?: Policy;
  /** Policy for subdomains that do not exist (successor); undefined where that for subdomains counts. */
  readonly nonexistent?: Policy;
  readonly dkimAlignment: "relaxed" | "strict";
  readonly spfAlignment: "relaxed" | "strict";
  /** Share of messages in per cent; RFC 7489 only, and 100 in its successor. */
  readonly percent: number;
  /** `t=y` of the successor: the policy counts one step milder. */
  readonly testing: boolean;
  /** `psd` of the successor: whether the domain is a public suffix; undefined where it does not say. */
  readonly publicSuffix?: boolean;
  readonly aggregate: readonly ReportUri[];
  readonly failure: readonly ReportUri[];
  /** `fo`: when failure reports are wanted. */
  readonly failureOptions: readonly string[];
  /** Seconds between reports. */
  readonly interval: number;
  /** Mistakes that receivers pass over, each at its character. */
  readonly mistakes: readonly Mistake[];
}

const TAGS = ["v", "p", "sp", "np", "adkim", "aspf", "pct", "fo", "rf", "ri", "rua", "ruf", "psd", "t"] as const;
const SIZES: Readonly<Record<string, number>> = { "": 1, k: 1 << 10, m: 1 << 20, g: 1 << 30, t: 2 ** 40 };

/**
 * An address as a URI of a DMARC record: commas, exclamation marks and semicolons are escaped (RFC 7489 section 6.2), and what is
 * not ASCII is written in A-labels in the domain, and escaped before it (RFC 6068 section 2).
 */
export function mailto(address: string): string {
  const at = address.lastIndexOf("@");
  const domain = at < 0 ? undefined : mailDomainOf(address);
  const local = address
    .slice(0, domain === undefined ? address.length : at)
    .replace(/[%,!;?#\s]/g, (one) => `%${one.charCodeAt(0).toString(16).toUpperCase().padStart(2, "0")}`)
    .replace(/[^\0-\x7f]+/g, encodeURIComponent);
  return `mailto:${local}${domain === undefined ? "" : `@${withoutRootDot(domain)}`}`;
}

function parseUri(text: string): Result<ReportUri, Clause> {
  const match = /^(.*?)(?:!(\d{1,15})([kmgt]?))?$/is.exec(text) as RegExpExecArray;
  const [, uri = "", size, unit = ""] = match;
  if (uri.includes("!")) return err(clause("dmarc-uri-size", { text }));
  const most = size === undefined ? {} : { most: Number(size) * (SIZES[unit.toLowerCase()] as number) };
  const address = /^mailto:([^?]*)/i.exec(uri)?.[1];
  if (address === undefined) {
    if (/^[^\s@:]+@[^\s@]+$/.test(uri)) return err(clause("dmarc-uri-needs-mailto", { text }));
    return /^[a-z][a-z0-9+.-]*:.+/i.test(uri) ? ok({ text, ...most }) : err(clause("dmarc-uri-no-address", { text }));
  }
  let decoded: string;
  try {
    decoded = decodeURIComponent(address);
  } catch {
    return err(clause("dmarc-uri-percent", { text }));
  }
  if (!/^[^\s@<>]+@[^\s@<>]+\.[^\s@<>]+$/.test(decoded)) return err(clause("dmarc-uri-no-address", { text }));
  if (/[^\0-\x7f]/.test(text)) return err(clause("dmarc-uri-letters", { text }));
  return ok({ text, address: decoded, ...most });
}

/** The URI that an address without its scheme, or with letters of another script, is meant as. */
function meantBy(text: string): string | undefined {
  const [, address, size = ""] = /^(?:mailto:)?([^\s@:?]+@[^\s@?!]+)(!\d{1,15}[kmgt]?)?$/i.exec(text) ?? [];
  return address === undefined || (/^mailto:/i.test(text) && !/[^\0-\x7f]/.test(text)) ? undefined : `${mailto(address)}${size}`;
}

/** A version that is nearly right at the beginning, also behind a quotation mark that came along, and one in another place. */
const NEARLY = /^[\s"'`“”„]*(?:v\s*[=:]?\s*dmarc\s*\d*|dmarc\s*\d+)(?=$|[\s;,"'`“”])["'`“”]*\s*[;,]?\s*/i;
const LATER = /;\s*v\s*=\s*dmarc\s*\d*\s*(?=;|$)/i;

/** What stands beside a version that is not as it has to be; undefined where there is nothing like one. */
function withoutVersion(text: string): string | undefined {
  const version = [NEARLY, LATER].find((regExp) => regExp.test(text));
  return version === undefined ? undefined : text.replace(version, "").replace(/(?<!["'`“”\s;])["'`“”\s;]+$/, "");
}

const isTag = (name: string): boolean => (TAGS as readonly string[]).includes(name);

/** The tag that was probably meant by one that does not exist. */
function tagMeant(name: string, value: string): string | undefined {
  const lower = name.toLowerCase();
  const meant = isTag(lower) ? lower : name.length > 1 ? nearest(name, TAGS) : undefined;
  return meant === undefined ? undefined : `${meant}=${value}`;
}

/** The word that was probably meant by a value of a tag that takes one of a few. */
function near(name: string, value: string, words: readonly string[]): string | undefined {
  const given = value.toLowerCase();
  const word =
    words.find((known) => given !== "" && (known.startsWith(given) || given.startsWith(known))) ?? nearest(value, words);
  return word === undefined ? undefined : `${name}=${word}`;
}

/**
 * Reads a DMARC record. A record that receivers ignore comes back as the mistakes that make them; what they
 * pass over is listed in `mistakes` of the record. Unknown tags are ignored (RFC 7489 section 6.3).
 */
export function readDmarcRecord(text: string): Result<DmarcRecord, readonly Mistake[]> {
  if (!isDmarc(text)) {
    const rest = withoutVersion(text);
    return err([
      {
        at: 0,
        text: text.slice(0, 20),
        message: rest === undefined ? clause("dmarc-needs-start") : clause("dmarc-version-exact"),
        ...(rest === undefined ? {} : { meant: `v=DMARC1; ${rest}` }),
      },
    ]);
  }
  const list = readTagList(text);
  const mistakes: Mistake[] = [...list.mistakes];
  const pass = (at: number, what: string, message: Clause, meant?: string): void =>
    void mistakes.push({ at, text: what, message, ...(meant === undefined ? {} : { meant }) });
  for (const { at, name, value } of list.tags)
    if (!isTag(name)) pass(at, name, clause("dmarc-unknown-tag", { name }), tagMeant(name, value));
  /** One of a few words; undefined where the tag is missing or wrong. */
  const choice = <T extends string>(name: string, words: readonly T[]): { value: T | undefined; wrong: boolean } => {
    const tag = list.get(name);
    if (tag === undefined) return { value: undefined, wrong: false };
    const value = words.find((word) => word === tag.value.toLowerCase());
    if (value === undefined)
      pass(tag.at, `${name}=${tag.value}`, clause("dmarc-choice", { name, words }), near(name, tag.value, words));
    return { value, wrong: value === undefined };
  };
  const uris = (name: string): ReportUri[] => {
    const tag = list.get(name);
    if (tag === undefined) return [];
    return tag.value.split(",").flatMap((one) => {
      const uri = parseUri(one.trim());
      if (uri.ok) return [uri.value];
      pass(tag.at, one.trim(), uri.error, meantBy(one.trim()));
      return [];
    });
  };
  const number = (name: string, least: number, most: number, usual: number): number => {
    const tag = list.get(name);
    if (tag === undefined) return usual;
    if (/^\d{1,10}$/.test(tag.value) && Number(tag.value) >= least && Number(tag.value) <= most) return Number(tag.value);
    pass(tag.at, `${name}=${tag.value}`, clause("dmarc-number", { name, least, most }));
    return usual;
  };
  const policy = choice("p", POLICIES);
  const subdomains = choice("sp", POLICIES);
  const nonexistent = choice("np", POLICIES);
  const aggregate = uris("rua");
  // RFC 7489 section 6.6.3: without a usable policy the record counts as p=none if reports are wanted, and not at all if not.
  const unusable = policy.value === undefined || subdomains.wrong || nonexistent.wrong;
  if (policy.value === undefined && !policy.wrong)
    pass(0, "v=DMARC1", clause("dmarc-policy-missing"), text.replace(/^v\s*=\s*DMARC1\s*;?/, "v=DMARC1; p=none;"));
  if (unusable && aggregate.length === 0) return err(mistakes);
  const p = list.get("p");
  if (p !== undefined && list.tags[1] !== p) pass(p.at, `p=${p.value}`, clause("dmarc-policy-place"));
  const alignment = (name: string) => (choice(name, ["r", "s"]).value === "s" ? ("strict" as const) : ("relaxed" as const));
  const psd = choice("psd", ["y", "n", "u"]).value;
  const options = (list.get("fo")?.value ?? "0").split(":").map((one) => one.trim().toLowerCase());
  for (const option of options)
    if (!["0", "1", "d", "s"].includes(option)) pass(list.get("fo")?.at ?? 0, option, clause("dmarc-failure-options"));
  return ok({
    text,
    policy: unusable ? "none" : (policy.value as Policy),
    ...(subdomains.value === undefined || unusable ? {} : { subdomains: subdomains.value }),
    ...(nonexistent.value === undefined || unusable ? {} : { nonexistent: nonexistent.value }),
    dkimAlignment: alignment("adkim"),
    spfAlignment: alignment("aspf"),
    percent: number("pct", 0, 100, 100),
    testing: choice("t", ["y", "n"]).value === "y",
    ...(psd === undefined || psd === "u" ? {} : { publicSuffix: psd === "y" }),
    aggregate,
    failure: uris("ruf"),
    failureOptions: options,
    interval: number("ri", 0, 4_294_967_295, 86_400),
    mistakes,
  });
}
