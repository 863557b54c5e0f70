import type { DomainName } from "../../../name/index.ts";
import { parseName } from "../../../name/index.ts";
import { type Line, MAX_LINE, wholeLine } from "../paste.ts";
import { fits, looksLikeHost, type PlacedRow, type Reader, type Row, readingsByPlace } from "../reading.ts";
import { isTypeWord } from "../words.ts";

/** A record as a zone file writes it (RFC 1035 section 5.1): owner, TTL and class in either order, type, data. */
const RECORD =
  /^(?<host>\S*)\s+(?:(?<ttl>\d+[smhdw]?(?:\d+[smhdw])*)\s+)?(?:(?<class>IN)\s+)?(?:(?<late>\d+[smhdw]?(?:\d+[smhdw])*)\s+)?(?<type>[A-Z]{1,10}|TYPE\d+)\s+(?<value>\S.*)$/is;

/** Words of a sentence that stand in front of a type and are not hosts. */
const NO_HOST =
  /^(?:a|an|the|add|adding|create|this|that|your|new|following|type|record|records|one|two|three|each|for|with|set|use|enter|make|and|or|of|in|as|any|no|existing|old|delete|remove|correct|same|other|another|only|all|dns|required|expected|current|choose|select|pick|wähle|choisissez|elija|kies|wybierz|scegli)$/i;

/** Parentheses may hold at most so many lines together. */
const MAX_PARENTHESES = 60;

/** Whatever stands behind a semicolon outside of quotes is a comment. */
function withoutComment(text: string): string {
  let quoted = false;
  for (let i = 0; i < text.length; i++) {
    const char = text[i];
    if (char === "\\") i += 1;
    else if (char === '"') quoted = !quoted;
    // A semicolon without a space in front of it belongs to a text whose quotation marks were lost.
    else if (char === ";" && !quoted && (i === 0 || /\s/.test(text[i - 1] as string))) return text.slice(0, i);
  }
  return text;
}

/** The record that begins on a line, over as many lines as its parentheses hold together. */
function logicalLine(lines: readonly Line[], at: number): { text: string; lines: number } {
  const first = withoutComment((lines[at] as Line).text);
  if (!/\(\s*$|\(\s*"/.test(first) || first.includes(")")) return { text: first.replace(/\(\s*("[^()]*")\s*\)/, "$1"), lines: 1 };
  let text = first;
  for (let used = 1; used < MAX_PARENTHESES && at + used < lines.length; used++) {
    const next = withoutComment((lines[at + used] as Line).text);
    text += ` ${next}`;
    if (next.includes(")")) return { text: text.replace(/[()]/g, " "), lines: used + 1 };
  }
  return { text: first, lines: 1 };
}

/** Zone-file lines, with `$ORIGIN`, `$TTL`, parentheses, comments and owners left out. */
export const readZoneLines =
  (domain: DomainName): Reader =>
  ({ lines }, free) => {
    const placed: PlacedRow[] = [];
    let origin: DomainName | undefined;
    let ttl: string | undefined;
    let owner: string | undefined;
    for (let at = 0; at < lines.length; at++) {
      const line = lines[at] as Line;
      if (!free(at) || line.text.length > MAX_LINE || line.text.includes("|")) continue;
      const directive = /^\$(ORIGIN|TTL)\s+(\S+)/i.exec(line.text);
      if (directive !== null) {
        if (directive[1]?.toUpperCase() === "TTL") ttl = directive[2];
        else {
          const read = parseName(directive[2] as string, domain);
          if (read.ok) origin = read.value;
        }
        placed.push({ spans: [wholeLine(line)] });
        continue;
      }
      if (/^;/.test(line.text)) {
        placed.push({ spans: [wholeLine(line)] });
        continue;
      }
      const logical = logicalLine(lines, at);
      const groups = RECORD.exec(logical.text.trimEnd())?.groups;
      const row = groups === undefined ? undefined : rowOf(groups, { origin, ttl, owner });
      if (row === undefined) continue;
      owner = row.fields.host ?? owner;
      placed.push({ row: { ...row, line: at }, spans: lines.slice(at, at + logical.lines).map(wholeLine) });
      at += logical.lines - 1;
    }
    return readingsByPlace("zone-file lines", { lines }, placed);
  };

interface Directives {
  readonly origin: DomainName | undefined;
  readonly ttl: string | undefined;
  readonly owner: string | undefined;
}

function rowOf(groups: Readonly<Record<string, string | undefined>>, { origin, ttl, owner }: Directives): Row | undefined {
  const { type = "", value = "" } = groups;
  const given = groups.host === "" ? owner : groups.host;
  if (given === undefined || !isTypeWord(type) || NO_HOST.test(given) || !(looksLikeHost(given) || given.endsWith(".")))
    return undefined;
  // A type in small letters is only one between a host and data that can be nothing else.
  if (type !== type.toUpperCase() && fits(type, value) < 2) return undefined;
  // “Choose TXT record.” is a sentence.
  if (/^(?:records?|entry|entries)\b/i.test(value)) return undefined;
  const quoted = /^"/.test(value);
  if (fits(type, quoted ? "v=quoted" : value) < 1) return undefined;
  if (type.toUpperCase() === "TXT" && !quoted && /\s/.test(value) && !/^v=/i.test(value)) return undefined;
  const host = origin === undefined || given.endsWith(".") ? given : given === "@" ? origin : `${given}.${origin}`;
  const seconds = groups.ttl ?? groups.late ?? ttl;
  return {
    line: 0,
    fields: { type, host, value, ...(seconds === undefined ? {} : { ttl: seconds }) },
    // With an origin named, a target without its final dot is relative to it, as in a zone file.
    ...(quoted || type.toUpperCase() === "CAA" ? { zoneSyntax: true } : {}),
    ...(groups.class !== undefined && /^(?:CNAME|MX|NS|SRV|PTR)$/i.test(type) && !value.trim().endsWith(".")
      ? { dotless: true }
      : {}),
  };
}

/** The record that one text is, as a zone file writes it; undefined where it is none. */
export function zoneLine(text: string): Row | undefined {
  const groups = text.length > MAX_LINE ? undefined : RECORD.exec(text.trim())?.groups;
  const row =
    groups === undefined || groups.host === ""
      ? undefined
      : rowOf(groups, { origin: undefined, ttl: undefined, owner: undefined });
  return row === undefined ? undefined : { ...row, line: 0 };
}
