import { clause } from "../../clause/index.ts";
import { distinct } from "../../distinct.ts";
import { type DomainName, isAtOrBelow, parseName } from "../../name/index.ts";
import { printData, type ResourceRecord } from "../../record/index.ts";
import { organizationalDomain } from "../../suffix/index.ts";
import { coverOf, Explained, type Leftover, leftoverOf, type Section, sectionsOf } from "./cover.ts";
import { choiceFor, hostName, type Pass, recordOf } from "./fields.ts";
import { type PageLine, pageOf } from "./page.ts";
import { pasteOf, wholeLine } from "./paste.ts";
import { type PastedRecord, shownBy } from "./pasted.ts";
import { oneProof, possible } from "./possible.ts";
import type { IntakeProblem, IntakeQuestion } from "./problem.ts";
import { type Forward, type PastedProof, readProofs, readSpfTerms } from "./readers/beside.ts";
import { evidenceOf, type Fields, fits, type Layout, looksLikeHost, type Reading, type Row } from "./reading.ts";
import type { Repair } from "./repair.ts";
import { APEX_WORDS, FORWARD_TYPES, isEmptyMark, SAYS } from "./words.ts";

/** What a paste says, with all that was put right, is in doubt, cannot be, or was not understood. */
export interface Understood {
  readonly layout: Layout | undefined;
  readonly records: readonly PastedRecord[];
  /** Records that the page says to remove. */
  readonly remove: readonly ResourceRecord[];
  /** Terms for the SPF record of the domain. */
  readonly spfTerms: readonly string[];
  readonly nameServers: readonly DomainName[];
  readonly forwards: readonly Forward[];
  readonly web: readonly PastedProof[];
  /** Rows that belong to another domain of the workspace. */
  readonly elsewhere: readonly { readonly domain: DomainName; readonly fields: Fields }[];
  readonly repairs: readonly Repair[];
  readonly questions: readonly IntakeQuestion[];
  readonly problems: readonly IntakeProblem[];
  readonly leftover: readonly Leftover[];
  /** The page line by line, with what each was taken for. */
  readonly page: readonly PageLine[];
}

/** What {@link understand} is asked. */
export interface IntakeRequest {
  readonly text: string;
  readonly domain: DomainName;
  /** Further domains that records on the same page may be for. */
  readonly others?: readonly DomainName[];
  /** TTL in seconds of records that name none. */
  readonly ttl: number;
  /** Answers to questions: the id of the question and the key of the choice. */
  readonly choices: ReadonlyMap<string, string>;
}

/** A service's paste that is larger than this is something else. */
export const MAX_PASTE = 1024 * 1024;

/** No page that asks for records has more lines; a whole mailbox or log is something else. */
const MAX_LINES = 1500;

const NOTHING: Omit<Understood, "layout" | "repairs" | "questions" | "problems"> = {
  records: [],
  remove: [],
  spfTerms: [],
  nameServers: [],
  forwards: [],
  web: [],
  elsewhere: [],
  leftover: [],
  page: [],
};

/**
 * Understands a pasted instruction for one domain. Every word is a part of a record, known, or left over; each repair is
 * named, each doubt is a question, and what the page does not show in full is a problem.
 */
export function understand(request: IntakeRequest): Understood {
  const { domain, ttl, choices, others = [] } = request;
  const paste = pasteOf(request.text);
  const pass: Pass = { domain, ttl, choices, exact: false, repairs: paste.repairs.map(shorten), questions: [], problems: [] };
  if (paste.lines.length > MAX_LINES)
    return {
      ...NOTHING,
      layout: undefined,
      repairs: [],
      questions: [],
      problems: [{ row: 0, code: "too-many-lines", lines: paste.lines.length }],
    };
  const explained = new Explained();
  const free = (line: number) => !explained.has(line);
  const spf = readSpfTerms(paste, free);
  const { proofs: web, spans: proofSpans } = readProofs(paste, free, domain);
  explained.add([...spf.spans, ...proofSpans, ...paste.lines.filter(({ aside }) => aside).map(wholeLine)]);
  const { readings: all, rivals } = coverOf(paste, domain, explained);
  const sections = sectionsOf(paste, explained);
  const readings = chosenReading(pass, all, rivals);
  const rows = readings.flatMap((reading) =>
    reading.rows
      .map((row) => {
        const shows = evidenceOf(reading);
        return { ...row, evidence: row.evidence ?? { type: shows, host: shows, value: shows } };
      })
      .flatMap(split),
  );
  const leftover = leftoverOf(paste, explained, readings, rows, domain);
  const sorted = sortRows(pass, rows, sections, others);
  otherDomainIn(pass, paste.text, others);

  const nameServers: DomainName[] = [];
  const forwards: Forward[] = [];
  const records: PastedRecord[] = [];
  const remove: ResourceRecord[] = [];
  sorted.wanted.forEach((row, i) => {
    const { fields, line } = row;
    if (fields.nameServer !== undefined) nameServers.push(...nameOfServer(fields.nameServer));
    else if (fields.type !== undefined && FORWARD_TYPES.test(fields.type)) forwards.push(...forwardOf(pass, fields, i + 1));
    else {
      const record = recordOf(pass, fields, row.zoneSyntax === true, i + 1);
      if (record === undefined) return;
      if (row.dotless === true) pass.repairs.push({ kind: "final-dot", was: fields.value ?? "", is: `${fields.value}.` });
      if (record.type === "NS" && record.name === domain && "target" in record.data) nameServers.push(record.data.target);
      else {
        const about = [fields.other ?? "", sections[line]?.heading ?? ""].join(" ");
        records.push({ record, fields, about, evidence: shownBy(row) });
      }
    }
  });
  sorted.removed.forEach((row, i) => {
    const record = recordOf(pass, row.fields, row.zoneSyntax === true, sorted.wanted.length + i + 1);
    if (record !== undefined) remove.push(record);
  });
  const proof = oneProof(pass, web, possible(pass, records));
  const found = records.length + remove.length + spf.terms.length + nameServers.length + forwards.length + web.length;
  if (found + pass.problems.length + pass.questions.length + sorted.elsewhere.length === 0)
    pass.problems.push({ row: 0, code: "nothing" });
  return {
    layout: readings[0]?.layout ?? (web.length > 0 ? "web proof" : spf.terms.length > 0 ? "SPF terms" : undefined),
    records: withoutDuplicates(pass, proof.records),
    remove: distinct(remove, keyOf).filter((gone) => !records.some(({ record }) => keyOf(record) === keyOf(gone))),
    spfTerms: spf.terms,
    nameServers: [...new Set(nameServers)],
    forwards: distinct(forwards, JSON.stringify),
    web: proof.web,
    elsewhere: sorted.elsewhere,
    repairs: unique(pass.repairs),
    questions: pass.questions,
    problems: pass.problems,
    // A paste that holds nothing at all is told so; what little it holds is not news then.
    leftover: found === 0 && readings.length === 0 ? [] : leftover,
    page: pageOf(paste, readings, explained, leftover),
  };
}

/**
 * Makes a record of fields that were given one by one. Nothing is searched for and a text is taken to the letter:
 * `host=www; data=1` is a value, not two more fields.
 */
export function understandFields(fields: Fields, { domain, ttl, choices }: Omit<IntakeRequest, "text">): Understood {
  const pass: Pass = { domain, ttl, choices, exact: true, repairs: [], questions: [], problems: [] };
  const record = recordOf(pass, fields, false, 1);
  return {
    ...NOTHING,
    layout: "options",
    records:
      record === undefined ? [] : [{ record, fields, about: "", evidence: { type: "label", host: "label", value: "label" } }],
    repairs: pass.repairs,
    questions: pass.questions,
    problems: pass.problems,
  };
}

/** The readings that count; where two are about equally good, the person has said which. */
function chosenReading(
  pass: Pass,
  readings: readonly Reading[],
  rivals: readonly [Reading, Reading] | undefined,
): readonly Reading[] {
  if (rivals === undefined) return readings;
  const shown = ({ rows }: Reading) =>
    rows.map(({ fields: { host = "@", type = "?", value = "" } }) => `${host} ${type} ${value}`).join("; ");
  const chosen = choiceFor(pass, {
    id: "reading",
    kind: "readings",
    about: "",
    choices: rivals.map((reading, i) => ({ key: String(i + 1), means: shown(reading) })),
  });
  if (chosen === undefined) return readings.filter((reading) => reading !== rivals[0]);
  return readings.map((reading) => (reading === rivals[0] ? (rivals[Number(chosen) - 1] as Reading) : reading));
}

/** A row for several hosts, or with several addresses in its value, is several records. */
const split = (row: Row): Row[] => hostsOf(row).flatMap(addressesOf);

/** The same row for each of the hosts that its field names together: “@ and www”. */
function hostsOf(row: Row): Row[] {
  const hosts = row.fields.host?.trim().split(/\s*(?:[,;&+]|\s(?:and|und|et|y|e|en|i)\s)\s*/) ?? [];
  const isHost = (text: string) => APEX_WORDS.test(text) || looksLikeHost(text);
  if (hosts.length < 2 || !hosts.every((text) => text !== "" && isHost(text))) return [row];
  return hosts.map((host) => ({ ...row, fields: { ...row.fields, host } }));
}

function addressesOf(row: Row): Row[] {
  const { type, value } = row.fields;
  const values = value?.split(/\s*(?:,|;|\n|\s+(?:and|und|et|y|e|en|i)\s+)\s*/).filter((part) => part !== "") ?? [];
  const areAddresses = () => values.every((part) => fits("A", part) > 0) || values.every((part) => fits("AAAA", part) > 0);
  if (values.length < 2 || !(type === undefined ? areAddresses() : /^(?:A|AAAA)$/i.test(type))) return [row];
  return values.map((part) => ({ ...row, fields: { ...row.fields, value: part } }));
}

interface Sorted {
  readonly wanted: readonly Row[];
  readonly removed: readonly Row[];
  readonly elsewhere: Understood["elsewhere"];
}

/** Which rows are wanted, which have to go, which are only an example or one of several options, which are for another domain. */
function sortRows(pass: Pass, rows: readonly Row[], sections: readonly Section[], others: readonly DomainName[]): Sorted {
  const isExample = (row: Row) => sections[row.line]?.example === true;
  const examples = rows.filter(isExample);
  const real = rows.filter((row) => !isExample(row));
  if (examples.length > 0 && real.length === 0) pass.problems.push({ row: 0, code: "example-only" });
  const leftOut = (kind: string, { fields: { host = "@", type = "", value = "" } }: Row) =>
    void pass.repairs.push({ kind, was: `${host} ${type} ${value}`, is: "" });
  if (real.length > 0) for (const row of examples) leftOut("example-left-out", row);
  // Where all that a page shows is there already, that is what it is about.
  const isFound = (row: Row) => sections[row.line]?.found === true;
  const showsBoth = real.some(isFound) && !real.every(isFound);
  const wanted: Row[] = [];
  const removed: Row[] = [];
  const elsewhere: { domain: DomainName; fields: Fields }[] = [];
  for (const row of oneOption(pass, real, sections)) {
    const { action, oldValue, ...fields } = row.fields;
    const other = otherDomainOf(fields.host, others, pass.domain);
    if (other !== undefined) elsewhere.push({ domain: other, fields });
    else if (row.remove === true || (action === undefined ? sections[row.line]?.remove === true : SAYS.remove.test(action)))
      removed.push({ ...row, fields });
    else if (action !== undefined && SAYS.keep.test(action)) leftOut("left-alone", row);
    else if (showsBoth && isFound(row)) leftOut("found-left-out", row);
    else {
      wanted.push({ ...row, fields });
      if (oldValue !== undefined && !isEmptyMark(oldValue) && oldValue !== fields.value && !SAYS.example.test(oldValue))
        removed.push({ ...row, fields: { ...fields, value: oldValue } });
    }
  }
  return { wanted, removed, elsewhere };
}

/** Of several options the one that was chosen; records outside of options always. */
function oneOption(pass: Pass, rows: readonly Row[], sections: readonly Section[]): readonly Row[] {
  const optionOf = ({ line, option }: Row) => option ?? sections[line]?.option ?? 0;
  const numbered = [...new Set(rows.map(optionOf))].filter((number) => number > 0).sort((a, b) => a - b);
  const [least] = numbered;
  if (least === undefined) return rows;
  // “Or” behind the first way makes what stood before it the other one.
  const before = rows.filter((row) => optionOf(row) === 0);
  const first = least > 1 ? before : [];
  const groups = [
    ...(first.length > 0 ? [first] : []),
    ...numbered.map((number) => rows.filter((row) => optionOf(row) === number)),
  ];
  if (groups.length < 2) return rows;
  const shown = (group: readonly Row[]) =>
    group.map(({ fields: { host = "@", type = "", value = "" } }) => `${host} ${type} ${value}`).join("; ");
  const chosen = choiceFor(pass, {
    id: "option",
    kind: "options",
    about: "",
    choices: groups.map((group, i) => ({ key: String(i + 1), means: shown(group) })),
  });
  const always = first.length > 0 ? [] : before;
  return chosen === undefined ? always : [...always, ...(groups[Number(chosen) - 1] as readonly Row[])];
}

/** The other domain of the workspace that a full host name belongs to. */
function otherDomainOf(host: string | undefined, others: readonly DomainName[], domain: DomainName): DomainName | undefined {
  const read = host === undefined || !host.includes(".") ? undefined : parseName(host.endsWith(".") ? host : `${host}.`);
  if (read?.ok !== true || isAtOrBelow(read.value, domain)) return undefined;
  return others.find((other) => isAtOrBelow(read.value, other));
}

/** “Verify that you own …”: whose domain the page is about. */
const ABOUT_DOMAIN =
  /(?:\b(?:that you own|ownership of|own(?:s|er of)|(?:verify(?:ing)?|validat(?:e|ing)|authenticat(?:e|ing)|connect(?:ing)?|claim(?:ing)?|prov(?:e|ing)) (?:your |the )?(?:domain|site|property)?|domain authentication for|dns (?:records|settings) for|domain name:?|domain:)\s+(?:the (?:domain|site) |your domain )?["“']?)((?:[a-z0-9](?:[a-z0-9-]*[a-z0-9])?\.)+[a-z]{2,})(?![\w-])/gi;

/** A page that speaks of another domain than the one its records would be saved for. */
function otherDomainIn(pass: Pass, text: string, others: readonly DomainName[]): void {
  const own = organizationalDomain(pass.domain);
  for (const [, named = ""] of text.slice(0, 50_000).matchAll(ABOUT_DOMAIN)) {
    const read = parseName(`${named.toLowerCase()}.`);
    if (!read.ok || isAtOrBelow(read.value, own)) continue;
    // The service's own name is there too: “connect your domain sites.pagewick.example”.
    if (others.some((other) => isAtOrBelow(read.value, other)) || organizationalDomain(read.value) === read.value) {
      pass.problems.push({ row: 0, code: "verifies-other-domain", domain: named });
      return;
    }
  }
}

const nameOfServer = (text: string): DomainName[] => {
  const read = parseName(text.endsWith(".") ? text : `${text}.`);
  return read.ok ? [read.value] : [];
};

/** A forwarding with both addresses in full. */
function forwardOf(pass: Pass, { host = "@", value = "", forwardKind = "" }: Fields, row: number): Forward[] {
  const from = hostName(pass, host, row);
  if (from === undefined) return [];
  const url = (text: string) => {
    try {
      return new URL(/^https?:\/\//i.test(text) ? text : `https://${text}`).href;
    } catch {
      return undefined;
    }
  };
  const to = url(value.trim());
  if (to === undefined) {
    pass.problems.push({
      row,
      code: "value-invalid",
      type: "redirect",
      name: from,
      found: value,
      expected: clause("expected-web-address"),
    });
    return [];
  }
  const permanent = /permanent|30[18]/i.test(forwardKind) ? true : /tempor|302|307/i.test(forwardKind) ? false : undefined;
  return [{ from: `https://${from.slice(0, -1)}/`, to, permanent }];
}

const keyOf = ({ name, type, data }: ResourceRecord): string => `${name} ${type} ${printData(type, data)}`;

/** Records that stand twice on a page are one. */
function withoutDuplicates(pass: Pass, records: readonly PastedRecord[]): PastedRecord[] {
  const once = distinct(records, ({ record }) => keyOf(record));
  for (const twice of records.filter((record) => !once.includes(record)))
    pass.repairs.push({ kind: "duplicate-row", was: keyOf(twice.record), is: "" });
  return once;
}

const unique = (repairs: readonly Repair[]): Repair[] =>
  distinct(repairs, ({ kind, was, is }) => JSON.stringify([kind, was, is]));

/** A repair of a whole paste is shown by the place where it changed something. */
function shorten(repair: Repair): Repair {
  let at = 0;
  while (at < repair.was.length && repair.was[at] === repair.is[at]) at += 1;
  const from = Math.max(0, at - 12);
  return { ...repair, was: repair.was.slice(from, at + 24).trim(), is: repair.is.slice(from, at + 24).trim() };
}
