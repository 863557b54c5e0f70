import type { DomainName } from "../../../name/index.ts";
import { type Line, looksLikeName, MAX_LINE, type Paste, type Span, wholeLine } from "../paste.ts";
import { fits, looksLikeHost, type Reader, type Reading, type Row } from "../reading.ts";
import { APEX_WORDS, type Column, isEmptyMark, isNoise, SAYS, typeCell, withUnit } from "../words.ts";
import { SENTENCE, typesIn } from "./context.ts";
import { type Event, type Field, isSureHost, isValueForm, POLICY, type Said, suits } from "./events.ts";
import { type Grouped, grouped } from "./group.ts";
import { labelAlone, type Pair, pairsOf } from "./labels.ts";
import { saidIn } from "./sentences.ts";
import { goesOn } from "./table.ts";

const FIELDS: ReadonlySet<Column> = new Set(["type", "host", "value", "priority", "ttl"]);
const isField = (column: Column): column is Field => FIELDS.has(column);

/** A line between two records: “Record 2 of 3”. */
const isRowHeading = (text: string): boolean => /^\W*(?:record|entry|eintrag)\s*#?\s*\d+\b/i.test(text) && text.length < 60;

/** What parts the cells of a line. */
const CELLS = /\t+| {2,}|\s*\|\s*|\s+[–—/·-]\s+|\s*(?:→|➔|➜|⟶|⇒|-{1,2}>|=>)\s*/g;

/** The pages' lines as fields, with what shows each. */
class Lines {
  readonly events: Event[] = [];
  #pending: { readonly field: Field; readonly line: number; readonly span: Span } | undefined;
  #last: { readonly at: number; text: string } | undefined;

  readonly #paste: Paste;
  readonly #free: (line: number) => boolean;
  readonly #domain: DomainName;

  constructor(paste: Paste, free: (line: number) => boolean, domain: DomainName) {
    this.#paste = paste;
    this.#free = free;
    this.#domain = domain;
  }

  read(): Event[] {
    for (const line of this.#paste.lines) if (this.#free(line.index) && line.text.length <= MAX_LINE) this.#line(line);
    return this.events;
  }

  #say(field: Field, text: string, line: number, spans: readonly Span[], evidence: Said["evidence"]): void {
    this.events.push({ field, text, evidence, spans, line });
    this.#last = field === "value" ? { at: this.events.length - 1, text } : undefined;
  }

  #line(line: Line): void {
    const text = line.text.trim();
    if (isRowHeading(text)) {
      this.events.push({ field: "break", line: line.index });
      this.#pending = undefined;
      return;
    }
    const pending = this.#pending;
    // Buttons and states may stand between a label and its value.
    if (pending !== undefined && isNoise(text) && line.index - pending.line <= 3 && !this.#isHostHere(line)) return;
    const alone = labelAlone(line);
    if (alone !== undefined && !(pending?.field === "host" && (isHostLikeLabel(text) || this.#isHostHere(line)))) {
      if (alone.type !== undefined) this.#say("type", alone.type, line.index, [wholeLine(line)], "form");
      this.#pending = isField(alone.column) ? { field: alone.column, line: line.index, span: wholeLine(line) } : undefined;
      return;
    }
    if (this.#goesOn(line) || this.#fillsPending(line)) return;
    if (isNoise(text)) return;
    this.#pending = undefined;
    if (this.#labelled(line) || this.#cells(line)) return;
    let from = 0;
    for (const sentence of line.text.split(SENTENCE)) {
      const at = line.text.indexOf(sentence, from);
      from = at + sentence.length;
      for (const said of saidIn(sentence, at, line.index, this.#domain)) {
        this.events.push(said);
        this.#last = said.field === "value" ? { at: this.events.length - 1, text: said.text } : undefined;
      }
    }
  }

  /** Whether a word that buttons have is the host below its label: nothing else that could be one follows. */
  #isHostHere({ index, text }: Line): boolean {
    const next = this.#paste.lines[index + 1];
    return (
      this.#pending?.field === "host" &&
      /^[a-z]+$/.test(text.trim()) &&
      (next === undefined || isNoise(next.text) || labelAlone(next) !== undefined)
    );
  }

  /** A line that goes on with the value in front of it: the second part of a key, more terms. */
  #goesOn(line: Line): boolean {
    const last = this.#last;
    if (last === undefined || !goesOn(last.text, line.text)) return false;
    const said = this.events[last.at] as Said;
    last.text = `${said.text}\n${line.text.trim()}`;
    this.events[last.at] = { ...said, text: last.text, spans: [...said.spans, wholeLine(line)] };
    return true;
  }

  /** A line below a label that stood alone; buttons and states may stand between. */
  #fillsPending(line: Line): boolean {
    const pending = this.#pending;
    if (pending === undefined) return false;
    const text = line.text.trim();
    const type = typesIn(text);
    const cell = pending.field === "type" ? (typeCell(text) ?? (type.size === 1 ? [...type][0] : undefined)) : text;
    if (cell === undefined || !suits(pending.field, cell) || (pairsOf(line).length > 0 && pending.field !== "value"))
      return false;
    this.#pending = undefined;
    this.#say(
      pending.field,
      pending.field === "host" && isEmptyMark(cell) ? "@" : cell,
      line.index,
      [pending.span, wholeLine(line)],
      "label",
    );
    return true;
  }

  /** A line of labels with their texts. */
  #labelled(line: Line): boolean {
    const pairs = pairsOf(line);
    // A label in the middle of a sentence is read with the sentence.
    if ((pairs[0]?.spans[0]?.from ?? 1) > 0) return false;
    if (pairs.every(({ label, text }) => label.column === "other" && typeCell(text.split(/\s[–—-]\s/)[0] ?? "") !== undefined))
      return false;
    // Behind a label and its colon stands what is meant, even where it cannot be.
    const sure = /^[^\s:：][^:：]{0,40}[:：]/.test(line.text) && pairs[0]?.spans[0]?.from === 0;
    const wrong = pairs.find((pair) => isField(pair.label.column) && pair.text !== "" && !this.#fits(pair));
    if (wrong !== undefined && !sure) return false;
    for (const { label, text, spans } of pairs) {
      if (label.type !== undefined) this.#say("type", label.type, line.index, spans, "form");
      if (!isField(label.column)) continue;
      if (text === "") this.#pending = { field: label.column, line: line.index, span: spans[0] as Span };
      else
        this.#say(
          label.column,
          label.column === "type" ? (typeIn(text) ?? text) : withUnit(label, text),
          line.index,
          spans,
          "label",
        );
    }
    return true;
  }

  #fits({ label, text }: Pair): boolean {
    if (label.column === "type") return typeIn(text) !== undefined;
    if (label.column === "host")
      return (
        looksLikeHost(text.replace(/^["'`“„«]|["'`”“»]$/g, "")) ||
        APEX_WORDS.test(text) ||
        isEmptyMark(text) ||
        /\bor\b|\(/.test(text)
      );
    return true;
  }

  /** A line of cells, or of a few words, of which one is a type: host and value stand in their order. */
  #cells(line: Line): boolean {
    const parts = cellsOf(line.text);
    for (const cells of [parts, parts.length < 3 ? wordsOf(line.text) : parts]) {
      const row = rowOf(cells, this.#domain);
      if (
        row === undefined ||
        (cells !== parts && !row.some(({ field, text }) => field === "value" && isValueForm(unquoted(text))))
      )
        continue;
      this.events.push({ field: "break", line: line.index });
      for (const { field, text, cell } of row)
        this.#say(field, text, line.index, [{ line: line.index, from: cell.from, to: cell.from + cell.text.length }], "place");
      this.events.push({ field: "break", line: line.index + 1 });
      return true;
    }
    return false;
  }
}

const unquoted = (text: string): string => text.replace(/^["'`]|["'`]$/g, "");

/** A host that is called like a label, below the label of a host. */
const isHostLikeLabel = (text: string): boolean => /^(?:copy|status|server|alias|code|text|name)$/i.test(text);

/** The type that a field holds, also where a word of instruction stands beside it. */
function typeIn(text: string): string | undefined {
  const [only, ...more] = typesIn(text);
  return typeCell(text) ?? (only !== undefined && more.length === 0 && text.length < 60 ? only : undefined);
}

interface Part {
  readonly text: string;
  readonly from: number;
}

function cellsOf(text: string): Part[] {
  const parts: Part[] = [];
  const push = (from: number, to: number) => {
    const part = text.slice(from, to);
    const plain = part.trim();
    if (plain !== "") parts.push({ text: plain, from: from + part.indexOf(plain) });
  };
  let at = 0;
  for (const found of text.matchAll(CELLS)) {
    push(at, found.index);
    at = found.index + found[0].length;
  }
  push(at, text.length);
  return parts;
}

/** The words of a short line, a quoted text or a policy as one. */
function wordsOf(text: string): Part[] {
  const parts: Part[] = [];
  for (const found of text.matchAll(/"[^"]*"|v=(?:spf1|DKIM1|DMARC1)\b.*$|\S+/gi))
    parts.push({ text: found[0], from: found.index });
  return parts.length > 6 ? [] : parts;
}

/** Host, type and value of a few cells, in whatever order; undefined where they are none. */
function rowOf(cells: readonly Part[], domain: DomainName): { field: Field; text: string; cell: Part }[] | undefined {
  if (cells.length < 3 || cells.length > 9) return undefined;
  const typed = cells.flatMap((cell) => {
    const plain = cell.text.replace(/^.*[:：]\s*/, "").replace(/^an? (?=\S+ record)/i, "");
    const type = /^(?:[A-Z]{1,10}|[a-z]{3,5})$/.test(plain) || / /.test(plain) ? typeCell(plain) : undefined;
    return type === undefined ? [] : [{ cell, type }];
  });
  const [first, ...more] = typed;
  if (first === undefined || more.length > 0) return undefined;
  const { type, cell: typeAt } = first;
  const beside = cells.filter((cell) => cell !== typeAt && !/^(?:IN|to)$/i.test(cell.text));
  const said = beside.filter(({ text }) => !isNoise(text));
  // A host may be called like a button: where nothing else could be it, it is one.
  const rest = said.filter(({ text }) => !/^\d{1,9}$/.test(text)).length < 2 ? beside : said;
  const numbers = rest.filter(({ text }) => /^\d{1,9}$/.test(text));
  const words = rest.filter((cell) => !numbers.includes(cell));
  const [host, value, ...others] = words;
  if (host === undefined || value === undefined) return undefined;
  const plainHost = host.text.replace(/^["'`]|["'`,]$/g, "");
  if (!(looksLikeHost(plainHost) || APEX_WORDS.test(plainHost)) || typeCell(plainHost) !== undefined) return undefined;
  // “mx1.example 10” behind the priority, a remark in brackets, a state.
  if (others.some(({ text }) => isValueForm(text) || POLICY.test(text))) return undefined;
  const plainValue = value.text.replace(/,$/, "");
  const inValue = /^\d{1,5}\s+\S+$/.test(plainValue);
  if (
    fits(type, plainValue) <
      (type !== "TXT" ? 1 : isSureHost(plainHost) || `${plainHost.toLowerCase()}.`.endsWith(domain) ? 0 : 2) &&
    !(type === "MX" && inValue)
  )
    return undefined;
  if ((type === "CNAME" || type === "NS") && !looksLikeName(plainValue.replace(/^https?:\/\/|\/.*$/g, ""))) return undefined;
  const priority = type === "MX" && !inValue ? numbers.find(({ text }) => Number(text) <= 100) : undefined;
  const ttl = numbers.find((number) => number !== priority && Number(number.text) >= 30);
  return [
    { field: "type", text: type, cell: typeAt },
    { field: "host", text: plainHost, cell: host },
    { field: "value", text: plainValue, cell: value },
    ...(priority === undefined ? [] : [{ field: "priority" as const, text: priority.text, cell: priority }]),
    ...(ttl === undefined ? [] : [{ field: "ttl" as const, text: ttl.text, cell: ttl }]),
  ];
}

/** A group of fields as rows: one for each of several addresses. */
function rowsOf({ type, said }: Grouped, option: number): Row[] {
  const text = (field: Field): string | undefined => said.find((one) => one.field === field)?.text;
  const [host, priority, ttl] = [text("host"), text("priority"), text("ttl")];
  const { line } = said[0] as Said;
  const shown = (field: Field) => said.find((one) => one.field === field)?.evidence;
  const [ofType, ofHost, ofValue] = [shown("type"), shown("host"), shown("value")];
  const evidence = {
    ...(ofType === undefined ? {} : { type: ofType }),
    ...(ofHost === undefined ? {} : { host: ofHost }),
    ...(ofValue === undefined ? {} : { value: ofValue }),
  };
  const about = said.find(({ field, sentence }) => field === "value" && sentence !== undefined)?.sentence ?? "";
  const remove = SAYS.remove.test(about) && !SAYS.add.test(about);
  const common = {
    ...(type === undefined ? {} : { type }),
    ...(host === undefined ? {} : { host: APEX_WORDS.test(host) ? "@" : host }),
    ...(priority === undefined ? {} : { priority }),
    ...(ttl === undefined ? {} : { ttl }),
  };
  return said
    .filter(({ field }) => field === "value")
    .map(({ text: value }) => ({
      line,
      ...(remove ? { remove } : {}),
      ...(option > 0 ? { option } : {}),
      evidence,
      fields: { ...common, value },
    }));
}

/** The number of the way that a group is, where its own sentence offers several; 0 where it does not. */
function optionOf({ said }: Grouped, groups: readonly Grouped[]): number {
  const sentence = said.find((one) => one.sentence !== undefined)?.sentence;
  if (sentence === undefined || !/\b(?:either|entweder|soit)\b/i.test(sentence)) return 0;
  const same = groups.filter((group) => group.said.some((one) => one.sentence === sentence));
  return same.length < 2 ? 0 : same.findIndex((group) => group.said === said) + 1;
}

/** Fields wherever a page says them, each by its own evidence, put together to the records that explain most of it. */
export const readEvidence =
  (domain: DomainName): Reader =>
  (paste, free) => {
    const events = new Lines(paste, free, domain).read();
    const groups = grouped(events, (line) => paste.lines[line]?.afterGap === true);
    return groups.map((group): Reading => {
      const labelled = group.said.some(({ evidence }) => evidence === "label");
      return {
        layout: "sentence",
        ...(labelled ? { labelled } : {}),
        rows: rowsOf(group, optionOf(group, groups)),
        spans: group.said.flatMap(({ spans }) => spans),
      };
    });
  };
