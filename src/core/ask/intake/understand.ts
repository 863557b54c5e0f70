import { type DomainName, displayName, isAtOrBelow, parseName, relativeText, under } from "../../name/index.ts";
import {
  octetsOf,
  parseSeconds,
  parseType,
  quoted,
  type RecordType,
  type ResourceRecord,
  splitCharacterStrings,
} from "../../record/index.ts";
import { readRecords } from "../../zone/index.ts";
import { type Layout, type Row, readLayout } from "./layout.ts";
import { type Repair, repairTarget, repairText, repairTxt } from "./repair.ts";

/** Two readings of a paste are possible; the user has to say which is meant. */
interface IntakeQuestion {
  /** What `--choose` names it by. */
  readonly id: string;
  readonly question: string;
  readonly choices: readonly { readonly key: string; readonly meaning: string }[];
}

/** Why a row cannot be saved: what, where, what to do. */
interface IntakeProblem {
  readonly row: number;
  readonly because: string;
}

export interface Understood {
  readonly layout: Layout | undefined;
  readonly records: readonly ResourceRecord[];
  /** What each of the records was pasted as, in the same order. */
  readonly pasted: readonly Row[];
  readonly repairs: readonly Repair[];
  readonly questions: readonly IntakeQuestion[];
  readonly problems: readonly IntakeProblem[];
}

export interface IntakeRequest {
  readonly text: string;
  readonly domain: DomainName;
  /** TTL in seconds of records that name none. */
  readonly ttl: number;
  /** Answers to questions: the id of the question and the key of the choice. */
  readonly choices: ReadonlyMap<string, string>;
}

/** A service's paste that is larger than this is something else. */
export const MAX_PASTE = 1024 * 1024;

const APEX_WORDS =
  /^(?:@|\(?(?:root|blank|empty|none|apex|leave (?:it )?(?:blank|empty)|root domain|bare domain|naked domain)\)?|-|–)?$/i;
const NAME_TYPES: ReadonlySet<RecordType> = new Set(["CNAME", "NS", "PTR", "MX", "SRV", "DNAME"]);

type FieldsRequest = Omit<IntakeRequest, "text">;

interface Pass {
  readonly request: FieldsRequest;
  /** Whether a text is taken to the letter, because nobody copied it from a page. */
  readonly exact: boolean;
  readonly repairs: Repair[];
  readonly questions: IntakeQuestion[];
  readonly problems: IntakeProblem[];
}

/** The choice made for a question; asks it where none was made. */
function choice(pass: Pass, question: IntakeQuestion): string | undefined {
  const made = pass.request.choices.get(question.id);
  if (made !== undefined && question.choices.some(({ key }) => key === made)) return made;
  if (!pass.questions.some(({ id }) => id === question.id)) pass.questions.push(question);
  return undefined;
}

/** The absolute name a host field means, or undefined where that is a problem or a question. */
function hostName(pass: Pass, raw: string, row: number): DomainName | undefined {
  const { domain } = pass.request;
  const cleaned = repairTarget(raw.trim());
  const host = cleaned.text.trim();
  pass.repairs.push(...cleaned.repairs);
  if (APEX_WORDS.test(host)) return domain;
  const parsed = parseName(host, domain);
  if (!parsed.ok) {
    pass.problems.push({
      row,
      because: `the host “${host}” is not a name (${parsed.error.message}); check it against what the service shows`,
    });
    return undefined;
  }
  const absolute = parseName(host.endsWith(".") ? host : `${host}.`);
  const full = absolute.ok ? absolute.value : undefined;
  if (full !== undefined && isAtOrBelow(full, domain)) {
    const doubled = under(domain, domain);
    if (doubled !== undefined && isAtOrBelow(full, doubled)) {
      const single = full.slice(0, full.length - domain.length) as DomainName;
      pass.repairs.push({ kind: "domain-doubled", was: host, is: displayName(single), because: "the domain stood there twice" });
      return single;
    }
    return full;
  }
  if (host.endsWith(".")) {
    pass.problems.push({
      row,
      because: `the host ${displayName(parsed.value)} is not part of ${displayName(domain)}; save this record for the domain it belongs to`,
    });
    return undefined;
  }
  // Several labels that end like a registered name may be a name elsewhere, or a deep host of this domain.
  const topLabel = domain.split(".").at(-2);
  if (host.includes(".") && host.toLowerCase().endsWith(`.${topLabel}`)) {
    const chosen = choice(pass, {
      id: `host-${relativeText(parsed.value, domain)}`,
      question: `Is “${host}” a host inside ${displayName(domain)}, or a name elsewhere?`,
      choices: [
        { key: "inside", meaning: displayName(parsed.value) },
        { key: "elsewhere", meaning: `${host}, which is not part of ${displayName(domain)} and cannot be saved for it` },
      ],
    });
    if (chosen === "inside") return parsed.value;
    if (chosen === "elsewhere")
      pass.problems.push({
        row,
        because: `${host} is not part of ${displayName(domain)}; save this record for the domain it belongs to`,
      });
    return undefined;
  }
  return parsed.value;
}

/** The record type, named or to be seen from the value. */
function typeOf(pass: Pass, { type, value = "", host = "" }: Row, row: number): RecordType | undefined {
  if (type !== undefined) {
    const parsed = parseType(type.trim());
    if (parsed === undefined)
      pass.problems.push({ row, because: `“${type}” is not a record type; the service should name one such as TXT or CNAME` });
    return parsed;
  }
  const text = value.trim();
  if (/^\d{1,3}(\.\d{1,3}){3}$/.test(text)) return "A";
  if (/^[0-9a-f:]+$/i.test(text) && text.includes("::")) return "AAAA";
  if (/[=\s"]/.test(text) || !text.includes(".")) return "TXT";
  const chosen = choice(pass, {
    id: `type-${host === "" ? "@" : host}`,
    question: `No record type is named for “${host}”. Is “${text}” the target of an alias or a text?`,
    choices: [
      { key: "CNAME", meaning: "a CNAME record that leads there" },
      { key: "TXT", meaning: "a TXT record with that text" },
    ],
  });
  return chosen as RecordType | undefined;
}

/** The data of a record as zone-file text, from the value as it was pasted; undefined where a question is open. */
function dataText(pass: Pass, type: RecordType, { value = "", priority }: Row): string | undefined {
  if (type === "TXT" && pass.exact) return splitCharacterStrings(octetsOf(value)).map(quoted).join(" ");
  if (type === "TXT") {
    const { text, repairs } = repairTxt(value);
    pass.repairs.push(...repairs);
    return splitCharacterStrings(octetsOf(text)).map(quoted).join(" ");
  }
  if (type === "A" || type === "AAAA") return value.trim().replace(/^["'`]|["'`]$/g, "");
  if (!NAME_TYPES.has(type)) return value.replace(/\s*\n\s*/g, " ");
  const words = value
    .replace(/\s*\n\s*/g, "")
    .trim()
    .split(/\s+/);
  const numbers = words.slice(0, -1);
  const target = repairTarget(words.at(-1) as string);
  pass.repairs.push(...target.repairs);
  const name = /\.$|^@$/.test(target.text) ? target.text : targetName(pass, target.text);
  if (name === undefined) return undefined;
  if (type === "MX" && numbers.length === 0) {
    if (priority === undefined)
      pass.repairs.push({
        kind: "priority",
        was: "",
        is: "10",
        because: "no priority was given; 10 is usual for the only mail server",
      });
    return `${priority?.trim() ?? "10"} ${name}`;
  }
  return [...numbers, name].join(" ");
}

/** A target is meant in full even without its final dot, unless it is a single label; undefined where that is to be asked. */
function targetName(pass: Pass, text: string): string | undefined {
  if (text.includes(".")) return `${text}.`;
  const { domain } = pass.request;
  const chosen = choice(pass, {
    id: `target-${text}`,
    question: `Is the target “${text}” a host of ${displayName(domain)}?`,
    choices: [
      { key: "inside", meaning: `${text}.${displayName(domain)}` },
      { key: "as-is", meaning: `${text} as a name of its own` },
    ],
  });
  return chosen === "as-is" ? `${text}.` : chosen === undefined ? undefined : text;
}

function understandRow(pass: Pass, row: Row, index: number): ResourceRecord | undefined {
  const { domain, ttl } = pass.request;
  const type = typeOf(pass, row, index);
  const name = hostName(pass, row.host ?? "@", index);
  const data = type === undefined ? undefined : dataText(pass, type, row);
  if (type === undefined || name === undefined || data === undefined) return undefined;
  const seconds = row.ttl === undefined ? undefined : parseSeconds(row.ttl.replace(/\s*(seconds|secs?|s)$/i, "").trim());
  const { records, issues } = readRecords(`${name} ${seconds ?? ttl} ${type} ${data}`, { origin: domain });
  const [issue] = issues;
  if (issue !== undefined) {
    pass.problems.push({
      row: index,
      because: `the value of the ${type} record for ${displayName(name)} cannot be read: found “${issue.text}”, expected ${issue.expected}`,
    });
    return undefined;
  }
  return records[0];
}

/** A text with the blanks behind its lines gone, and at most one empty line where there were many: they say nothing. */
function withoutGaps(text: string): string {
  const lines = text.split("\n").map((line) => line.trimEnd());
  return lines.filter((line, i) => line !== "" || lines[i - 1] !== "").join("\n");
}

/** Understands a pasted instruction for one domain. Nothing is guessed silently: each repair is named, and each doubt is a question. */
export function understand(request: IntakeRequest): Understood {
  const { text, repairs } = repairText(withoutGaps(request.text.replace(/\r\n?/g, "\n")));
  const pass: Pass = { request, exact: false, repairs: repairs.map(shorten), questions: [], problems: [] };
  const reading = readLayout(text, request.domain);
  return understandRows(pass, reading?.layout, reading?.rows ?? []);
}

/**
 * Makes a record of fields that were given one by one. Nothing is searched for and a text is taken to the letter:
 * `host=www; data=1` is a value, not two more fields.
 */
export const understandFields = (fields: Row, request: FieldsRequest): Understood =>
  understandRows({ request, exact: true, repairs: [], questions: [], problems: [] }, "options", [fields]);

function understandRows(pass: Pass, layout: Layout | undefined, rows: readonly Row[]): Understood {
  const understood = rows.flatMap((row, i) => {
    const record = understandRow(pass, row, i + 1);
    return record === undefined ? [] : [{ record, row }];
  });
  return {
    layout,
    records: understood.map(({ record }) => record),
    pasted: understood.map(({ row }) => row),
    repairs: pass.repairs,
    questions: pass.questions,
    problems: pass.problems,
  };
}

/** A repair of a whole paste is shown by the place where it changed something. */
function shorten(repair: Repair): Repair {
  let at = 0;
  while (at < repair.was.length && repair.was[at] === repair.is[at]) at += 1;
  const from = Math.max(0, at - 12);
  return { ...repair, was: repair.was.slice(from, at + 24).trim(), is: repair.is.slice(from, at + 24).trim() };
}
