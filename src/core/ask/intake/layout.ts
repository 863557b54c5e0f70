import { parse } from "csv-parse/sync";
import type { DomainName } from "../../name/index.ts";
import { decodeUtf8, octetsOf, parseType, txtValue } from "../../record/index.ts";
import { readRecords } from "../../zone/index.ts";

/** The fields of one record as they were pasted, before anything is understood of them. */
export interface Row {
  readonly type?: string;
  readonly host?: string;
  readonly value?: string;
  readonly priority?: string;
  readonly ttl?: string;
}

export type Layout = "options" | "zone-file lines" | "JSON" | "labelled fields" | "table" | "sentence";

export interface Reading {
  readonly layout: Layout;
  readonly rows: readonly Row[];
}

type Column = keyof Row;

/** What screens call the fields of a record. */
const LABELS: Readonly<Record<Column, readonly string[]>> = {
  type: ["record type", "type of record", "dns type", "type", "kind", "record"],
  host: [
    "host name",
    "hostname",
    "host record",
    "host",
    "record name",
    "dns name",
    "name",
    "label",
    "alias",
    "subdomain",
    "host/name",
    "name/host",
    "prefix",
  ],
  value: [
    "record value",
    "txt value",
    "cname value",
    "value",
    "record data",
    "data",
    "target host",
    "target",
    "points to",
    "point to",
    "pointing to",
    "content",
    "contents",
    "answer",
    "destination",
    "text",
    "token",
    "address",
    "ip address",
    "value/answer",
    "mail server",
  ],
  priority: ["priority", "prio", "preference", "pref", "mx priority"],
  ttl: ["ttl (seconds)", "ttl (sec)", "ttl", "time to live"],
};

const COLUMN_OF = new Map<string, Column>(
  (Object.entries(LABELS) as [Column, readonly string[]][]).flatMap(([column, labels]) =>
    labels.map((label) => [label, column] as const),
  ),
);

/** No heading is longer; a longer cell is not even looked at. */
const MAX_HEADING = 80;

/** The column a heading names, whatever its case and punctuation. */
function columnOf(cell: string): Column | undefined {
  if (cell.length > MAX_HEADING) return undefined;
  const plain = cell
    .toLowerCase()
    .replace(/[*_`:]+/g, " ")
    .replace(/\s*\(required\)|\s*\(optional\)/g, "")
    .replace(/\s+/g, " ")
    .trim();
  return COLUMN_OF.get(plain);
}

const isType = (cell: string | undefined): cell is string =>
  cell !== undefined && /^[a-z]{1,6}$/i.test(cell.trim()) && parseType(cell.trim()) !== undefined;

const ZONE_FILE_LINE =
  /^(?<host>\S+)\s+(?:(?<ttl>\d+[smhdw]?)\s+)?(?:IN\s+)?(?:(?<late>\d+[smhdw]?)\s+)?(?<type>[A-Z]{1,10}|TYPE\d+)\s+(?<value>\S.*)$/i;

/** Zone-file lines, where every line that is not a comment is a whole record. */
function asZoneFile(text: string, domain: DomainName): Row[] | undefined {
  if (text.split("\n").some((line) => line.length > MAX_RECORD)) return undefined;
  const { records, issues } = readRecords(octetsOf(text), { origin: domain, ttl: 0 });
  const lines = text.split("\n").filter((line) => /^[^\s;$]/.test(line));
  if (records.length === 0 || issues.length > 0 || lines.length !== records.length) return undefined;
  const rows = lines.map((line) => ZONE_FILE_LINE.exec(line.replace(/(?<!\s)\s+;[^"]*$/, "").trimEnd())?.groups);
  if (rows.some((groups) => groups === undefined)) return undefined;
  return rows.map((groups, i) => {
    const { host, type, value, ttl = groups?.late } = groups as { host: string; type: string; value: string; ttl?: string };
    // The quotes of this format are no mistake of copying.
    const data = records[i]?.data;
    const text = data !== undefined && "strings" in data ? decodeUtf8(txtValue(data)) : value;
    return { host, type, value: text, ...(ttl === undefined ? {} : { ttl }) };
  });
}

/** Objects of a JSON text that look like records, however deep they lie. */
function asJson(text: string): Row[] | undefined {
  if (!/^\s*[[{]/.test(text)) return undefined;
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    return undefined;
  }
  const rows: Row[] = [];
  const visit = (node: unknown, depth: number): void => {
    if (depth > 8 || typeof node !== "object" || node === null) return;
    if (Array.isArray(node)) {
      for (const one of node) visit(one, depth + 1);
      return;
    }
    const row: Partial<Record<Column, string>> = {};
    for (const [key, field] of Object.entries(node)) {
      const column = columnOf(key.replace(/([a-z])([A-Z])/g, "$1 $2").replace(/[_-]/g, " "));
      if (column !== undefined && (typeof field === "string" || typeof field === "number")) row[column] ??= String(field);
    }
    if (row.value !== undefined && (row.type === undefined || isType(row.type))) rows.push(row);
    else for (const field of Object.values(node)) visit(field, depth + 1);
  };
  visit(value, 0);
  return rows.length > 0 ? rows : undefined;
}

/** A line of a table is shorter, and one of a zone file too; a longer one is something else. */
const MAX_ROW = 20_000;
const MAX_RECORD = 100_000;

/** The cells of one line of a table, by its separator. */
function cellsOf(line: string, separator: RegExp | "csv"): string[] {
  if (line.length > MAX_ROW) return [line.trim()];
  if (separator === "csv") return csvCells(line);
  return line
    .replace(/^\s*\|/, "")
    .replace(/\|\s*$/, "")
    .split(separator)
    .map((cell) => cell.trim());
}

/** Cells of a line of comma- or semicolon-separated values; quotes may hold separators (RFC 4180). */
function csvCells(line: string): string[] {
  const delimiter = /^[^"]*;/.test(line) && !/^[^";]*,/.test(line) ? ";" : ",";
  if (!line.includes(delimiter)) return [line.trim()];
  try {
    const [cells = []] = parse(line, { delimiter, relax_quotes: true, trim: true });
    return cells;
  } catch {
    // A quotation mark that nothing closes is text.
    return line.split(delimiter).map((cell) => cell.trim());
  }
}

const SEPARATORS: readonly (RegExp | "csv")[] = [/\t+/, /\|/, /\s{2,}/, "csv"];

/** Rows of a table with or without a heading, the columns in any order. */
function asTable(text: string): Row[] | undefined {
  const lines = text.split("\n").filter((line) => line.trim() !== "" && !/^[\s|:+-]+$/.test(line));
  for (const separator of SEPARATORS) {
    const rows = lines.map((line) => cellsOf(line, separator));
    const headingAt = rows.findIndex(
      (cells) =>
        cells.filter((cell) => columnOf(cell) !== undefined).length >= 2 && cells.some((cell) => columnOf(cell) === "value"),
    );
    if (headingAt !== -1) {
      const columns = (rows[headingAt] as string[]).map(columnOf);
      const read = rows.slice(headingAt + 1).flatMap((cells) => {
        const row: Partial<Record<Column, string>> = {};
        columns.forEach((column, i) => {
          if (column !== undefined && cells[i] !== undefined && cells[i] !== "") row[column] ??= cells[i] as string;
        });
        return row.value !== undefined && (row.type === undefined || isType(row.type)) ? [row] : [];
      });
      if (read.length > 0) return read;
    }
    const bare = rows.flatMap((cells) => rowWithoutHeading(cells) ?? []);
    if (bare.length > 0) return bare;
  }
  return undefined;
}

/** A row without a heading above it: one cell is a record type, the next two are host and value, numbers are TTL or priority. */
function rowWithoutHeading(cells: readonly string[]): Row | undefined {
  const typeAt = cells.findIndex(isType);
  if (typeAt === -1 || cells.length < 3) return undefined;
  const type = (cells[typeAt] as string).trim();
  const rest = cells.filter((cell, i) => i !== typeAt && cell !== "" && cell.toUpperCase() !== "IN");
  const numbers = rest.filter((cell) => /^\d{1,9}$/.test(cell));
  const words = rest.filter((cell) => !/^\d{1,9}$/.test(cell));
  const [host, value] = words.length === 1 ? ["@", words[0]] : words;
  if (value === undefined || host === undefined) return undefined;
  const isMx = type.toUpperCase() === "MX";
  const priority = isMx ? numbers.find((number) => Number(number) <= 100) : undefined;
  const ttl = numbers.find((number) => number !== priority && Number(number) >= 30);
  return { type, host, value, ...(priority === undefined ? {} : { priority }), ...(ttl === undefined ? {} : { ttl }) };
}

const LABEL_WORDS = [...COLUMN_OF.keys()].sort((a, b) => b.length - a.length).map((label) => label.replace(/[()/]/g, "\\$&"));
/** A label at the start of a line or behind a comma, semicolon or bullet, with its colon, equals sign or blank. */
const LABEL = new RegExp(
  `(^|[\\n,;•·]|\\s[–—-]\\s)[ \\t*_>•·-]{0,20}(${LABEL_WORDS.join("|")})(?:\\s{0,5}\\((?:required|optional)\\))?[*_]*(\\s*[:=][*_]*|[ \\t]+(?=\\S)|[ \\t]*(?=\\n))`,
  "gi",
);

/** “Host: …”, one field to a line or several on one, values wrapped over lines. A label that comes again begins the next record. */
function asFields(text: string): Row[] | undefined {
  const found = [...text.matchAll(LABEL)]
    .map((match) => ({
      column: COLUMN_OF.get((match[2] as string).toLowerCase()) as Column,
      at: match.index,
      valueAt: match.index + match[0].length,
    }))
    // “Type the following …” is prose; a type is followed by a record type.
    .filter(
      ({ column, valueAt }) => column !== "type" || /^\s*["“]?(?:A|AAAA|CNAME|TXT|MX|NS|CAA|SRV)\b/i.test(text.slice(valueAt)),
    );
  const rows: Partial<Record<Column, string>>[] = [];
  let row: Partial<Record<Column, string>> = {};
  found.forEach(({ column, valueAt }, i) => {
    const end = found[i + 1]?.at ?? text.length;
    const value = fieldText(column, text.slice(valueAt, end));
    if (row[column] !== undefined) {
      rows.push(row);
      row = {};
    }
    row[column] = value;
  });
  rows.push(row);
  const complete = rows.filter(
    (one) => one.value !== undefined && one.value !== "" && (one.host !== undefined || one.type !== undefined),
  );
  return complete.length > 0 ? complete : undefined;
}

/** The text of a field: its lines up to an empty one; only values may go on over several lines. */
function fieldText(column: Column, raw: string): string {
  const lines = raw.replace(/^[ \t]*\n/, "").split(/\n/);
  const block: string[] = [];
  for (const line of lines) {
    if (line.trim() === "" && block.length > 0) break;
    if (line.trim() !== "") block.push(line.trim());
    if (column !== "value" && block.length === 1) break;
  }
  return block.join("\n").replace(/[,;]$/, "").trim();
}

const SENTENCES: readonly RegExp[] = [
  /\b(?<type>A|AAAA|CNAME|TXT|MX|CAA|NS)[- ]+record\b(?:[^.\n]|\.(?=\S)){0,200}?\b(?:for|at|on|named|called|host(?:name)?|name|under)\s+(?<host>["“']?[@\w*.-]+["”']?)(?:[^\n]{0,200}?)\b(?:pointing to|points to|point to|pointed at|pointing at|with (?:the )?(?:value|content|text|target)|value|containing|set to|to)\s*:?\s*(?<value>["“][^"”\n]+["”]|\S+)/gi,
  /\b(?:point|alias)\s+(?<host>["“']?[@\w*.-]+["”']?)\s+(?:to|at)\s+(?<value>\S+)\s+(?:with|using|by|as)\s+an?\s+(?<type>A|AAAA|CNAME|MX)\b/gi,
];

/** “Add a CNAME record for www pointing to …”. */
function asSentences(text: string): Row[] | undefined {
  const rows = SENTENCES.flatMap((pattern) => [...text.matchAll(pattern)]).map(({ groups = {} }) => {
    const { type = "", host = "", value = "" } = groups;
    return { type, host, value: value.replace(/[.,;)]+$/, "") };
  });
  return rows.length > 0 ? rows : undefined;
}

/** Finds the records in a pasted text, whatever its layout; undefined where there are none. */
export function readLayout(text: string, domain: DomainName): Reading | undefined {
  const readers: readonly (readonly [Layout, (text: string) => Row[] | undefined])[] = [
    ["JSON", asJson],
    ["zone-file lines", (all) => asZoneFile(all, domain)],
    ["table", (all) => (hasHeading(all) ? asTable(all) : undefined)],
    ["labelled fields", asFields],
    ["table", asTable],
    ["sentence", asSentences],
  ];
  for (const [layout, read] of readers) {
    const rows = read(text);
    if (rows !== undefined) return { layout, rows };
  }
  return undefined;
}

/** Whether some line consists of nothing but headings. */
function hasHeading(text: string): boolean {
  return text.split("\n").some((line) =>
    SEPARATORS.some((separator) => {
      const cells = cellsOf(line, separator).filter((cell) => cell !== "");
      return cells.length >= 2 && cells.every((cell) => columnOf(cell) !== undefined);
    }),
  );
}
