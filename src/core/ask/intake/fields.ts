import type { Clause } from "../../clause/index.ts";
import { clause } from "../../clause/index.ts";
import { type DomainName, isAtOrBelow, parseName, under } from "../../name/index.ts";
import {
  octetsOf,
  parseIpv4,
  parseIpv6,
  parseType,
  quoted,
  type RecordType,
  type ResourceRecord,
  splitCharacterStrings,
} from "../../record/index.ts";
import { isPublicSuffix } from "../../suffix/index.ts";
import { readRecords } from "../../zone/index.ts";
import { brokenKey, brokenPolicy } from "./mail-mistakes.ts";
import { looksLikeName } from "./paste.ts";
import type { IntakeProblem, IntakeQuestion } from "./problem.ts";
import type { Fields } from "./reading.ts";
import { type Repair, repairQuotes, repairTarget, repairTxt } from "./repair.ts";
import { ttlSeconds } from "./times.ts";
import { APEX_WORDS, HIDDEN, isEmptyMark } from "./words.ts";

/** What turns fields into records, with everything it has to say on the way. */
export interface Pass {
  readonly domain: DomainName;
  /** TTL in seconds of records that name none. */
  readonly ttl: number;
  readonly choices: ReadonlyMap<string, string>;
  /** Whether a text is taken to the letter, because nobody copied it from a page. */
  readonly exact: boolean;
  readonly repairs: Repair[];
  readonly questions: IntakeQuestion[];
  readonly problems: IntakeProblem[];
}

/** The choice made for a question; asks it where none was made. */
export function choiceFor(pass: Pass, question: IntakeQuestion): string | undefined {
  const made = pass.choices.get(question.id);
  if (made !== undefined && question.choices.some(({ key }) => key === made)) return made;
  if (!pass.questions.some(({ id }) => id === question.id)) pass.questions.push(question);
  return undefined;
}

const NAME_TYPES: ReadonlySet<RecordType> = new Set(["CNAME", "NS", "PTR", "MX", "SRV", "DNAME"]);

/** Blanks that a page leaves to its reader: `<token>`, `{account}`, `[your-site]`, `yourdomain`, `xxxxxxxx`. */
const PLACEHOLDER =
  /<[a-z][\w .-]{1,40}>|(?<![%$])\{\{?\s*[\w .-]{2,40}\s*\}?\}|\$\{[\w.]+\}|\[(?:your|my|the|insert|enter|domain|token|account)[^\]]{0,40}\]|(?<![a-z])(?:your|my)[-_ ]?(?:domain|site|host|company|name|token|code|value|key|sub-?domain|account|claim|website|org)(?![a-z])|(?<![A-Za-z])(?:YOUR|INSERT|ENTER|REPLACE)_[A-Z_]+|%[A-Z_]{3,}%|(?<![a-z0-9])x{5,}(?![a-z0-9])|#{4,}|\*{4,}|_{6,}|\bexample\.(?:com|org|net)\b|\bdomain\.tld\b/i;

const ELLIPSIS = /…|\.{3,}|\[\.\.\.?\]/;

/** What no record can hold, because the page did not show it in full. */
function unfinished(text: string, row: number, isHost: boolean): IntakeProblem | undefined {
  const plain = text.trim();
  if (/\[picture: /.test(plain)) return { row, code: "picture", text: plain.replace(/^.*\[picture: |\].*$/g, "") };
  if (HIDDEN.test(plain)) return { row, code: "hidden", text: plain.slice(0, 12) };
  if (ELLIPSIS.test(plain)) return { row, code: "ellipsis", text: plain };
  if (!isHost && /^\([^()]*\)$|^\p{Ll}*(?:\p{L}+[ ,]+){2,}\p{L}+\.?$/u.test(plain)) return { row, code: "words", text: plain };
  const blank = PLACEHOLDER.exec(plain)?.[0];
  return blank === undefined ? undefined : { row, code: "placeholder", text: blank };
}

const LABEL = /^(?:\*|[\p{L}\p{N}_](?:[\p{L}\p{N}\p{M}_-]*[\p{L}\p{N}\p{M}_])?)$/u;

/** Letters of more than one alphabet in one label: one of them was not typed by the person who sees it. */
const isMixedScript = (label: string): boolean =>
  /\p{Script=Latin}/u.test(label) && /[\p{Script=Cyrillic}\p{Script=Greek}]/u.test(label);

/** The ways a host field may be meant: `www or www.brackwater.example`, `@ (or leave blank)`. */
function meaningsOf(text: string): { readonly hosts: string[]; readonly remark: boolean } {
  const brackets = /^(.*?)\s*\(([^()]*)\)\s*$/.exec(text);
  const alternatives = (part: string) =>
    part
      .split(/\s+(?:or|oder|ou|of|lub)\s+(?:just\s+)?|\s+\/\s+|^(?:or|oder)\s+/i)
      .map((word) => word.trim())
      .filter((word) => word !== "");
  if (brackets === null || (brackets[1] === "" && APEX_WORDS.test(text))) {
    const hosts = alternatives(text);
    return { hosts: hosts.length === 0 ? [text] : hosts, remark: hosts.length > 1 };
  }
  const [, main = "", inside = ""] = brackets;
  // A remark in brackets is only another spelling where it is a host by itself.
  const more = alternatives(inside).filter((word) => APEX_WORDS.test(word) || (/\./.test(word) && /^\S+$/.test(word)));
  const hosts = alternatives(main === "" ? inside : main);
  return { hosts: [...hosts, ...more], remark: true };
}

/** The absolute name that one spelling of a host means; undefined where it is none. */
function nameOf(
  host: string,
  domain: DomainName,
  exact: boolean,
): { name: DomainName; form: boolean; or?: DomainName } | undefined {
  if (host === "@" || (!exact && APEX_WORDS.test(host))) return { name: domain, form: false };
  const own = domain.slice(0, -1);
  // A single label with a dot behind it is the end of a sentence.
  if (!exact && /^[^.]+\.$/.test(host)) return nameOf(host.slice(0, -1), domain, exact);
  const plain = host.replace(/\.$/, "");
  const lower = plain.toLowerCase();
  if (lower === `@.${own}`) return { name: domain, form: true };
  if (!plain.split(".").every((label) => LABEL.test(label))) return undefined;
  // `www.brackwater`: the end of the domain was lost on the way.
  const first = own.split(".")[0] as string;
  if (!host.endsWith(".") && own.includes(".") && lower.endsWith(`.${first}`)) {
    const full = parseName(`${plain.slice(0, -first.length)}${own}.`);
    const relative = parseName(plain, domain);
    return full.ok ? { name: full.value, form: true, ...(relative.ok ? { or: relative.value } : {}) } : undefined;
  }
  const absolute = parseName(`${plain}.`);
  if (absolute.ok && isAtOrBelow(absolute.value, domain)) return { name: absolute.value, form: false };
  const relative = parseName(plain, domain);
  return relative.ok ? { name: relative.value, form: false } : undefined;
}

/** A host field with nothing in it. */
const EMPTY_HOST = /^(?:|[-–—]+|n\/?a|\((?:none|empty)\))$/i;

/** The absolute name a host field means, or undefined where that is a problem or a question. */
export function hostName(pass: Pass, raw: string, row: number): DomainName | undefined {
  const { domain } = pass;
  if (EMPTY_HOST.test(raw.trim())) {
    if (!pass.exact && raw.trim() !== "") pass.repairs.push({ kind: "host-empty", was: raw, is: "@" });
    return domain;
  }
  const invalid = (host: string) => {
    pass.problems.push({ row, code: isMixedScript(host) ? "mixed-script" : "host-invalid", host });
    return undefined;
  };
  if (/^\S+@\S+\.\S+$/.test(raw.trim())) return invalid(raw.trim());
  const own = domain.slice(0, -1);
  // The page shows the domain in grey behind the field.
  const typed = raw
    .trim()
    .replace(new RegExp(`\\s+\\.?${own.replaceAll(".", "\\.")}\\.?$`, "i"), (tail) => (/\s\./.test(tail) ? `.${own}` : tail));
  const { hosts, remark } = pass.exact
    ? { hosts: [raw.trim()], remark: false }
    : meaningsOf(typed.replace(/^["'`“„]+|["'`”“]+$/gu, ""));
  const found: { host: string; name: DomainName }[] = [];
  for (const given of hosts) {
    const { text, repairs } = repairTarget(given);
    const host = text.trim();
    const open = pass.exact || APEX_WORDS.test(host) ? undefined : unfinished(given, row, true);
    if (open !== undefined) {
      pass.problems.push(open);
      return undefined;
    }
    if (host.split(".").some(isMixedScript)) return invalid(host);
    const read = nameOf(host, domain, pass.exact);
    if (read === undefined) return invalid(host);
    pass.repairs.push(...repairs);
    if (read.form) pass.repairs.push({ kind: "host-form", was: host, is: read.name });
    const name = read.form ? read.name : within(pass, host, read.name, row);
    if (name === undefined) return undefined;
    found.push({ host, name });
    // `mail.brackwater`: a name whose end was lost, or a host of two labels?
    if (!pass.exact && read.or !== undefined && !/^www\./i.test(host)) found.push({ host: `${host}.`, name: read.or });
    // `brackwater` in front of brackwater.example: the domain itself, or a host of that name below it?
    if (!pass.exact && host.toLowerCase() === own.split(".")[0]) found.push({ host: "@", name: domain });
  }
  const names = [...new Set(found.map(({ name }) => name))];
  const [only] = names;
  if (names.length > 1) {
    const chosen = choiceFor(pass, {
      id: `host-${raw.trim().replace(/\s+/g, "-")}`,
      kind: "host-which",
      about: raw.trim(),
      choices: found.map(({ host, name }) => ({ key: host, means: name })),
    });
    return found.find(({ host }) => host === chosen)?.name;
  }
  if (remark && only !== undefined) pass.repairs.push({ kind: "host-form", was: raw.trim(), is: only });
  return only;
}

/** Ends of names that no host inside a domain has: the oldest ones, those of countries that are often met, and those of documents. */
const TOP_LABEL =
  /^(?:com|net|org|info|biz|edu|gov|example|test|invalid|eu|de|at|ch|fr|es|it|nl|be|pl|uk|ie|pt|se|no|dk|fi|cz|jp|us|ca|au)$/;

/** Whether several labels end like a registered name, so that they may be a name elsewhere instead of a deep host of this domain. */
function mayBeElsewhere(host: string, domain: DomainName): boolean {
  const labels = host.split(".");
  if (labels.length >= 2 && TOP_LABEL.test(labels.at(-1) ?? "") && !/^[_*]/.test(labels.at(-2) ?? "")) return true;
  if (labels.length < 2 || host.endsWith(`.${domain.slice(0, -1)}`) || /^[_*]/.test(labels.at(-2) ?? "")) return false;
  const [own = "", ...behind] = domain.slice(0, -1).split(".");
  return (
    labels.at(-1) === behind.at(-1) ||
    labels.slice(0, -1).includes(own) ||
    (labels.length > 2 && isPublicSuffix(labels.slice(1).join(".")))
  );
}

/** The name inside the domain: a domain written twice is put right, a name elsewhere is a problem or a question. */
function within(pass: Pass, host: string, name: DomainName, row: number): DomainName | undefined {
  const { domain } = pass;
  const absolute = parseName(host.endsWith(".") ? host : `${host}.`);
  const full = absolute.ok ? absolute.value : undefined;
  if (full !== undefined && isAtOrBelow(full, domain)) {
    const doubled = under(domain, domain);
    if (doubled === undefined || !isAtOrBelow(full, doubled)) return full;
    const single = full.slice(0, full.length - domain.length) as DomainName;
    pass.repairs.push({ kind: "domain-doubled", was: host, is: single });
    return single;
  }
  if (host.endsWith(".")) {
    pass.problems.push({ row, code: "other-domain", host });
    return undefined;
  }
  if (name === full || !isAtOrBelow(name, domain) || !mayBeElsewhere(host.toLowerCase(), domain)) return name;
  const chosen = choiceFor(pass, {
    id: `host-${host.toLowerCase()}`,
    kind: "host-inside",
    about: host,
    choices: [
      { key: "inside", means: name },
      { key: "elsewhere", means: host },
    ],
  });
  if (chosen === "elsewhere") pass.problems.push({ row, code: "other-domain", host });
  return chosen === "inside" ? name : undefined;
}

/** The record type, named or to be seen from the value. */
function typeOf(pass: Pass, fields: Fields, row: number): RecordType | undefined {
  const { type, value = "", host = "" } = fields;
  if (type !== undefined && !isEmptyMark(type)) {
    const named = type.trim().toUpperCase();
    if (named === "SPF" && !pass.exact) {
      pass.repairs.push({ kind: "type-spf", was: type, is: "TXT" });
      return "TXT";
    }
    const parsed = parseType(named);
    if (parsed === undefined) pass.problems.push({ row, code: "not-a-type", text: type });
    return parsed;
  }
  const text = value.trim();
  if (fields.weight !== undefined && fields.port !== undefined) return "SRV";
  if (parseIpv4(text) !== undefined) return "A";
  if (parseIpv6(text) !== undefined) return "AAAA";
  if (fields.priority !== undefined) return "MX";
  if (fields.tag !== undefined && fields.flags !== undefined) return "CAA";
  if (/^\d{1,3}\s+(?:issue|issuewild|issuemail|iodef)\s/i.test(text)) return "CAA";
  if (/[=\s"]/.test(text) || !text.includes(".")) return "TXT";
  // A key says what it is: a name where one is looked for can only be where it is kept.
  if (/(?:^|\.)_domainkey(?:\.|$)/i.test(host)) return "CNAME";
  return choiceFor(pass, {
    id: `type-${host === "" ? "@" : host}`,
    kind: "type",
    about: text,
    choices: [
      { key: "CNAME", means: text },
      { key: "TXT", means: text },
    ],
  });
}

/** The host of a record whose page named none: the one place where it can only be. */
function assumedHost(pass: Pass, type: RecordType, { value = "" }: Fields, row: number): string | undefined {
  const text = repairTxt(value).text;
  if (type === "TXT" && /^v=DMARC1\b/i.test(text)) {
    pass.repairs.push({ kind: "host-assumed", was: "", is: "_dmarc" });
    return "_dmarc";
  }
  if ((type === "TXT" && !/^v=DKIM1\b/i.test(text)) || type === "MX" || type === "A" || type === "AAAA" || type === "CAA") {
    pass.repairs.push({ kind: "host-assumed", was: "", is: "@" });
    return "@";
  }
  pass.problems.push({ row, code: "no-host", text: type });
  return undefined;
}

/** A target is meant in full even without its final dot, unless it is a single label; undefined where that is to be asked. */
function targetName(pass: Pass, text: string): string | undefined {
  if (text.includes(".")) return `${text}.`;
  const { domain } = pass;
  const chosen = choiceFor(pass, {
    id: `target-${text}`,
    kind: "target",
    about: text,
    choices: [
      { key: "inside", means: `${text}.${domain}` },
      { key: "as-is", means: `${text}.` },
    ],
  });
  return chosen === "as-is" ? `${text}.` : chosen === undefined ? undefined : text;
}

/** Quotation marks and marks for code around a number. */
const MARKS = /[\u0022\u0027\u0060]/g;

/** A number that stands in its own field and in the value too is the same one, or somebody has to say which is meant. */
function oneNumber(pass: Pass, field: string, given: string | undefined, found: string, row: number): string | undefined {
  if (given === undefined || Number(given) === Number(found)) return found;
  pass.problems.push({ row, code: "number-differs", field, given, found });
  return undefined;
}

/** The priority of a mail server: in its own field, in front of the name, or behind it. */
function priorityOf(pass: Pass, { priority, value = "" }: Fields, row: number): { priority: string; target: string } | undefined {
  const plain = value.replace(/\s*\n\s*/g, " ").trim();
  const front = /^(\d{1,5})\s+(\S+)$/.exec(plain);
  const behind = /^(\S+?),?\s+\(?(?:priority|prio|preference)?[: ]*(\d{1,5})\)?$/i.exec(plain);
  const given = priority?.trim().replace(MARKS, "");
  if (given !== undefined && !/^\d{1,5}$/.test(given)) {
    pass.problems.push({ row, code: "priority-invalid", text: given });
    return undefined;
  }
  const [number, target] = front !== null ? front.slice(1) : behind !== null ? behind.slice(1).reverse() : [given, plain];
  if (number !== undefined && target !== undefined) {
    const one = oneNumber(pass, "priority", given, number, row);
    return one === undefined ? undefined : { priority: one, target };
  }
  pass.repairs.push({ kind: "priority", was: "", is: "10" });
  return { priority: "10", target: plain };
}

/** The data of a record as zone-file text, from the value as it was pasted; undefined where a question is open. */
function dataText(pass: Pass, type: RecordType, fields: Fields, zoneSyntax: boolean, row: number): string | undefined {
  const { weight, port, flags, tag } = fields;
  let { value = "" } = fields;
  if (!pass.exact && (zoneSyntax || type === "CAA")) {
    const { text, repairs } = repairQuotes(value);
    pass.repairs.push(...repairs);
    value = text;
  }
  if (zoneSyntax) return value;
  if (type === "TXT") {
    if (pass.exact) return splitCharacterStrings(octetsOf(value)).map(quoted).join(" ");
    const { text, repairs } = repairTxt(value);
    pass.repairs.push(...repairs);
    return splitCharacterStrings(octetsOf(text)).map(quoted).join(" ");
  }
  if (type === "A" || type === "AAAA") return value.trim().replace(/^["'`]|["'`]$/g, "");
  if (type === "CAA" && tag !== undefined) return `${flags ?? "0"} ${tag} "${value.trim().replace(/^"|"$/g, "")}"`;
  if (!NAME_TYPES.has(type)) return value.replace(/\s*\n\s*/g, " ");
  const mx = type === "MX" ? priorityOf(pass, fields, row) : undefined;
  if (type === "MX" && mx === undefined) return undefined;
  const words = (mx?.target ?? value.replace(/\s*\n\s*/g, "")).trim().split(/\s+/);
  if (type === "SRV" && words.length === 1) {
    if (port === undefined) {
      pass.problems.push({ row, code: "no-port", text: words[0] as string });
      return undefined;
    }
    if (fields.priority === undefined || weight === undefined) pass.repairs.push({ kind: "srv-numbers", was: "", is: "0" });
  }
  const numbers =
    mx !== undefined
      ? [mx.priority]
      : type === "SRV" && words.length === 1
        ? [fields.priority ?? "0", weight ?? "0", port as string]
        : words.slice(0, -1);
  if (type === "SRV" && words.length === 4)
    for (const [i, field] of (["priority", "weight", "port"] as const).entries())
      if (oneNumber(pass, field, fields[field], numbers[i] as string, row) === undefined) return undefined;
  const target = repairTarget(words.at(-1) as string);
  pass.repairs.push(...target.repairs);
  const name = /\.$|^@$/.test(target.text) ? target.text : targetName(pass, target.text);
  return name === undefined ? undefined : [...numbers, name].join(" ");
}

/** Words in a TTL field that are longer are no TTL, but a part of the page. */
const MAX_TTL_WORDS = 40;

/** The TTL of a record in seconds; one that a page says in words that are no time is left to the usual one, and named. */
function secondsOf(pass: Pass, ttl: string | undefined, row: number): number | undefined {
  if (ttl === undefined || isEmptyMark(ttl)) return pass.ttl;
  const plain = ttl.replace(MARKS, "");
  const seconds = ttlSeconds(plain);
  if (seconds !== undefined) {
    if (!/^\d+$/.test(plain.trim())) pass.repairs.push({ kind: "ttl-words", was: ttl, is: String(seconds) });
    return seconds;
  }
  if (pass.exact || ttl.length > MAX_TTL_WORDS) {
    pass.problems.push({ row, code: "ttl-invalid", text: ttl });
    return undefined;
  }
  pass.repairs.push({ kind: "ttl-unread", was: ttl, is: String(pass.ttl) });
  return pass.ttl;
}

/** One record of the fields of a row; undefined where something about it is a problem or a question. */
export function recordOf(pass: Pass, fields: Fields, zoneSyntax: boolean, row: number): ResourceRecord | undefined {
  const type = typeOf(pass, fields, row);
  const { value, service, protocol } = fields;
  if (value === undefined || (!pass.exact && isEmptyMark(value))) {
    pass.problems.push({ row, code: "no-value", type: type ?? fields.type ?? "", host: fields.host ?? "" });
    return undefined;
  }
  const open = pass.exact ? undefined : unfinished(value, row, false);
  if (open !== undefined) {
    pass.problems.push(open);
    return undefined;
  }
  if (type === undefined) return undefined;
  const given = fields.host ?? (service === undefined ? assumedHost(pass, type, fields, row) : "@");
  const below = given === undefined ? undefined : hostName(pass, given, row);
  const prefix = [service, protocol]
    .filter((label) => label !== undefined)
    .map((label) => (label.startsWith("_") ? label : `_${label}`));
  const name = below === undefined || prefix.length === 0 ? below : (`${prefix.join(".").toLowerCase()}.${below}` as DomainName);
  const data = dataText(pass, type, fields, zoneSyntax, row);
  if (name === undefined || data === undefined) return undefined;
  const wrong = (found: string, expected: Clause) => {
    pass.problems.push({ row, code: "value-invalid", type, name, found, expected });
    return undefined;
  };
  const target = data.split(" ").at(-1) as string;
  if (NAME_TYPES.has(type) && parseIpv4(target.replace(/\.$/, "")) !== undefined)
    return wrong(target.replace(/\.$/, ""), clause("expected-name-not-address"));
  if (NAME_TYPES.has(type) && target !== "." && /(?:^|\.)\d+\.?$/.test(target))
    return wrong(target.replace(/\.$/, ""), clause("expected-name"));
  if (
    NAME_TYPES.has(type) &&
    !pass.exact &&
    target !== "." &&
    target !== "@" &&
    !looksLikeName(target) &&
    /[^\w.*-]/.test(target) &&
    /^[\x21-\x7e]+$/.test(target)
  )
    return wrong(target, clause("expected-name"));
  const seconds = secondsOf(pass, fields.ttl, row);
  if (seconds === undefined) return undefined;
  const { records, issues } = readRecords(`${name} ${seconds} ${type} ${data}`, { origin: pass.domain });
  const [issue] = issues;
  if (issue !== undefined) return wrong(issue.text, issue.expected);
  const [record] = records;
  if (record === undefined) return undefined;
  const broken = pass.exact ? undefined : (brokenKey(record, row) ?? brokenPolicy(record, row));
  if (broken === undefined) return record;
  pass.problems.push(broken);
  return undefined;
}
