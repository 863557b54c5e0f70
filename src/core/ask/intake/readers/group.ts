import { looksLikeName } from "../paste.ts";
import { type Evidence, fits } from "../reading.ts";
import type { Event, Said } from "./events.ts";

/** Fields that belong to one record, in the order of the page. */
export interface Grouped {
  readonly type: string | undefined;
  readonly said: readonly Said[];
}

/** How much each kind of evidence is worth. */
const STRENGTH: Readonly<Record<Evidence, number>> = { label: 3, place: 2.5, marked: 2, form: 1, own: -1 };
/** What it costs not to use a field. */
const LOST: Readonly<Record<Evidence, number>> = { label: 6, place: 5, marked: 3, form: 1.5, own: 0 };

/** No record has more fields than these, several addresses among them. */
const MOST_FIELDS = 9;

/** What a group of fields is worth as a record; nothing where it can be none. */
function worthOf(
  said: readonly Said[],
  context: string | undefined,
  gap: (from: number, to: number) => number,
): { worth: number; type: string | undefined } | undefined {
  const of = (field: Said["field"]) => said.filter((one) => one.field === field);
  const [types, hosts, values] = [of("type"), of("host"), of("value")];
  const [type, host] = [types[0], hosts[0]];
  if (types.length > 1 && types.some(({ text }) => text !== type?.text)) return undefined;
  if (hosts.length > 1 || of("priority").length > 1 || of("ttl").length > 1 || values.length === 0) return undefined;
  const isAddress = ({ text }: Said) => fits("A", text) > 0 || fits("AAAA", text) > 0;
  if (values.length > 1 && !values.every(isAddress)) return undefined;
  const [first] = values as [Said];
  if (isMisplaced(host?.text, first.text)) return undefined;
  // A name that merely stands somewhere is no text.
  if (type?.text === "TXT" && first.evidence === "form" && looksLikeName(first.text)) return undefined;
  const carried = context !== undefined && carries(context, first.text) ? context : undefined;
  const own = type?.text ?? (of("priority").length > 0 && carried === undefined ? "MX" : carried);
  const usual = own === undefined || fits(own, values[0]?.text ?? "") < 0 ? typeBy(values[0]?.text ?? "") : own;
  const kind = type === undefined ? usual : own;
  const fit = Math.min(...values.map(({ text }) => (kind === undefined ? 0 : fits(kind, text))));
  // What the page itself puts together is a record, and what is wrong with it is said.
  if (fit < 0) return type?.evidence === "label" && values[0]?.evidence === "label" ? { worth: 14, type: kind } : undefined;
  if (
    host === undefined &&
    of("priority").length === 0 &&
    values.every(({ evidence }) => evidence === "form") &&
    type === undefined
  )
    return undefined;
  if (kind === undefined && ![...hosts, ...values].some(({ evidence }) => evidence === "label" || evidence === "place"))
    return undefined;
  // Where something goes, said without a host and a type of its own, is no alias.
  if (host === undefined && type === undefined && kind === "CNAME") return undefined;
  let worth = [0, 2, 4][fit] as number;
  worth += type === undefined ? (kind === undefined ? 0 : 2) : 4 + STRENGTH[type.evidence] / 3;
  worth += host === undefined ? hostless(kind, values[0]?.text ?? "") : 4 + STRENGTH[host.evidence];
  worth += values.reduce((sum, { evidence }) => sum + STRENGTH[evidence], 0) / values.length;
  worth += (of("priority").length > 0 ? (kind === "MX" || kind === "SRV" ? 2 : -4) : 0) + (of("ttl").length > 0 ? 1 : 0);
  // A sentence further down speaks of what follows it.
  if (type?.evidence === "form" && type.line > first.line) worth -= 5;
  worth -= gap((said[0] as Said).line, (said.at(-1) as Said).line);
  return { worth, type: kind };
}

/** Whether a policy or a key would stand where nobody looks for it. */
function isMisplaced(host: string | undefined, value: string): boolean {
  if (host === undefined) return false;
  const isPolicy = /^["'“]?v=DMARC1\b/i.test(value);
  return /^_dmarc(?:\.|$)/i.test(host) !== isPolicy && (isPolicy || /^["'“]?v=(?:spf1|DKIM1)\b/i.test(value));
}

/** Whether a type that was named before may be that of a value: a text is none that looks like a name or an address. */
const carries = (type: string, value: string): boolean =>
  fits(type, value) > 0 && !(type === "TXT" && (looksLikeName(value) || fits("A", value) > 0 || fits("AAAA", value) > 0));

/** What a record without a host is worth: a few have only one place. */
function hostless(type: string | undefined, value: string): number {
  if (/^v=DMARC1/i.test(value)) return 2;
  if (type === "MX" || type === "CAA") return 1;
  if (type === "A" || type === "AAAA") return 0;
  return type === "TXT" && !/^v=DKIM1/i.test(value) ? 0 : -5;
}

/** The type that a value can be only. */
function typeBy(value: string): string | undefined {
  if (fits("A", value) === 2) return "A";
  if (fits("AAAA", value) === 2) return "AAAA";
  if (/^v=(?:spf1|DKIM1|DMARC1)\b/i.test(value)) return "TXT";
  return undefined;
}

/**
 * Puts the fields of a page together to records, so that most is explained at the least cost: each record has at most one host and
 * type, what is left out costs by how sure it was, and a record does not go over a heading or a gap without need.
 */
export function grouped(events: readonly Event[], isGap: (line: number) => boolean): Grouped[] {
  const said = events.filter((event): event is Said => event.field !== "break");
  const breaks = events.flatMap((event) => (event.field === "break" ? [event.line] : []));
  const gap = (from: number, to: number): number => {
    let cost = breaks.some((line) => line > from && line <= to) ? 8 : 0;
    for (let line = from + 1; line <= to; line++) if (isGap(line)) cost += 0.75;
    return cost + Math.max(0, to - from - 6) * 0.5;
  };
  // Numbers go with what stands in front of them, or below their own label; they begin no record in another sentence.
  const isApart = (part: readonly Said[]): boolean => {
    const [first, second] = part;
    const isNumber = first?.field === "priority" || first?.field === "ttl";
    return isNumber && second !== undefined && second.line > first.line && first.sentence !== undefined;
  };
  const context = contexts(said);
  // best[i]: the least costly way to explain the first i fields.
  const best: { worth: number; from: number; group?: Grouped }[] = [{ worth: 0, from: 0 }];
  for (let to = 1; to <= said.length; to++) {
    const last = said[to - 1] as Said;
    const skipped = last.field === "type" && last.evidence !== "label" ? 0.5 : LOST[last.evidence];
    let choice: (typeof best)[number] = { worth: (best[to - 1] as { worth: number }).worth - skipped, from: to - 1 };
    for (let from = Math.max(0, to - MOST_FIELDS); from < to; from++) {
      const part = said.slice(from, to);
      const read = isApart(part) ? undefined : worthOf(part, context[from], gap);
      if (read === undefined || read.worth <= 0) continue;
      const worth = (best[from] as { worth: number }).worth + read.worth;
      if (worth > choice.worth) choice = { worth, from, group: { type: read.type, said: part } };
    }
    best.push(choice);
  }
  const groups: Grouped[] = [];
  for (let at = said.length; at > 0; at = (best[at] as { from: number }).from) {
    const { group } = best[at] as { group?: Grouped };
    if (group !== undefined) groups.unshift(group);
  }
  return groups;
}

/** The type that was named last in front of each field: a heading or sentence may name it for all that follow. */
function contexts(said: readonly Said[]): (string | undefined)[] {
  let type: string | undefined;
  return said.map((one) => {
    const before = type;
    // The type of a row of cells is that of its row only.
    if (one.field === "type") type = one.evidence === "place" ? undefined : one.text;
    return before;
  });
}
