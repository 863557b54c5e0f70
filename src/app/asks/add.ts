import * as z from "zod";
import { asAsked, PURPOSES, type Purpose, recordsWanted } from "../../core/ask/index.ts";
import { Failure } from "../../core/failure.ts";
import { type DomainName, relativeText, withoutRootDot } from "../../core/name/index.ts";
import {
  type DataOf,
  decodeUtf8,
  isOfType,
  printData,
  type ResourceRecord,
  recordJson,
  toSets,
  txtValue,
} from "../../core/record/index.ts";
import { isSpf, readSpfRecord } from "../../core/spf/index.ts";
import {
  type AskEntry,
  type Domain,
  exclusively,
  type JournalEvent,
  pickDomains,
  revise,
  type Workspace,
} from "../../workspace/index.ts";
import type { AppContext } from "../context.ts";
import { nameOperand } from "../dns/context.ts";
import { domainName, record } from "../shapes.ts";

export const intakeResult = z.object({
  before: z.array(z.string()).describe("what has to be done at the service first"),
  later: z.array(z.string()).describe("asks of the kit that need inputs the service shows later"),
  written: z.boolean(),
  already: z.string().nullable().describe("the ask that holds the same already, so that nothing was saved"),
  layout: z.string().nullable(),
  pasted: z
    .array(z.object({ type: z.string().nullable(), host: z.string().nullable(), value: z.string().nullable() }))
    .describe("what each record understood was pasted as, in their order; empty for a kit"),
  asks: z.array(
    z.object({
      id: z.string(),
      service: z.string(),
      purpose: z.enum(PURPOSES),
      domain: domainName,
      records: z.array(record),
      spf: z.string().nullable(),
      dmarc: z.string().nullable(),
    }),
  ),
  repairs: z.array(z.object({ kind: z.string(), was: z.string(), is: z.string(), because: z.string() })),
  questions: z.array(
    z.object({ id: z.string(), question: z.string(), choices: z.array(z.object({ key: z.string(), meaning: z.string() })) }),
  ),
});
export type IntakeResult = z.output<typeof intakeResult>;

/** The domain the paste is for: named, the only one, or the one whose name is in the text. */
export function domainFor(workspace: Workspace, request: { readonly domain: string | undefined }, text: string): Domain {
  const named = request.domain;
  if (named !== undefined) return pickDomains(workspace, [nameOperand(named)])[0] as Domain;
  const { domains } = workspace;
  if (domains.length === 0) throw new Failure("no-domain", {});
  if (domains.length === 1) return domains[0] as Domain;
  const mentioned = domains.filter((domain) =>
    new RegExp(`(^|[^a-z0-9-])${withoutRootDot(domain.name).replaceAll(".", "\\.")}([^a-z0-9-]|$)`, "i").test(text),
  );
  // brackwater.example is part of tickets.brackwater.example: the longest name wins.
  const [longest] = [...mentioned].sort((a, b) => b.name.length - a.name.length);
  if (longest === undefined || mentioned.some((other) => !longest.name.endsWith(other.name)))
    throw new Failure("which-domain", { domains: domains.map((domain) => domain.name) });
  return longest;
}

/** The records as zone-file lines relative to the domain, aligned. */
function askLines(records: readonly ResourceRecord[], domain: DomainName, ttl: number): string {
  const rows = records.map((one) => [
    relativeText(one.name, domain),
    ...(one.ttl === ttl ? [] : [String(one.ttl)]),
    one.type,
    printData(one.type, one.data),
  ]);
  const width = (column: number): number =>
    Math.max(...rows.map((row) => (column < row.length - 1 ? (row[column] as string).length : 0)));
  return rows.map((row) => row.map((cell, i) => (i === row.length - 1 ? cell : cell.padEnd(width(i)))).join("  ")).join("\n");
}
/** An ask on its way into a file. */
export interface NewAsk {
  readonly id: string;
  readonly service: string;
  readonly purpose: Purpose;
  readonly domain: DomainName;
  readonly after: readonly string[];
  readonly records: readonly ResourceRecord[];
  readonly spf?: string;
  /** SPF terms that go, because those of this ask stand in their place. */
  readonly spfWithout?: string;
  readonly dmarc?: string;
}

/** An SPF record for the domain itself is saved as terms for the one record, never as a second one. */
export function withoutSpf(records: readonly ResourceRecord[], domain: DomainName): { records: ResourceRecord[]; spf?: string } {
  const terms = (one: ResourceRecord): string | undefined => {
    const text = one.type === "TXT" && one.name === domain ? decodeUtf8(txtValue(one.data as DataOf["TXT"])) : "";
    const parsed = isSpf(text) ? readSpfRecord(text) : undefined;
    return parsed?.ok
      ? parsed.value.terms
          .filter((term) => term.kind === "mechanism" && term.name !== "all")
          .map((term) => term.text)
          .join(" ")
      : undefined;
  };
  const spf = records.flatMap((one) => terms(one) || []).join(" ");
  return spf === "" ? { records: [...records] } : { records: records.filter((one) => !terms(one)), spf };
}

export const askJson = ({ id, service, purpose, domain, records, spf, dmarc }: NewAsk): IntakeResult["asks"][number] => ({
  id,
  service,
  purpose,
  domain,
  records: records.map(recordJson),
  spf: spf ?? null,
  dmarc: dmarc ?? null,
});

/** The ask of the same service that wants the very same already. */
export function twinOf(ask: NewAsk, domain: Domain): string | undefined {
  const spfSet =
    ask.spf === undefined ? [] : [{ name: domain.name, type: "TXT", ttl: 0, data: { strings: [`v=spf1 ${ask.spf}`] } }];
  return domain.asks.find(
    (other) => other.service === ask.service && sameRecords(recordsWanted(asAsked(other.wants)), [...ask.records, ...spfSet]),
  )?.id;
}

/** A service an ask is for; one that zandrel.yaml does not know yet is added with the ask. */
export interface ServiceOfAsk {
  readonly key: string;
  readonly title: string;
}

/** The service that `--service` names, or the organisation's own mail, which stands in zandrel.yaml like any other. */
export function ownService(workspace: Workspace, request: { readonly service: string | undefined }): ServiceOfAsk {
  const key = request.service ?? "own-mail";
  const known = workspace.settings.services[key];
  if (known !== undefined) return { key, title: known.title };
  if (request.service !== undefined)
    throw new Failure("unknown-service", { given: key, known: Object.keys(workspace.settings.services) });
  return { key, title: `${workspace.settings.organisation}: own mail` };
}

/** An ask as its file shows it. */
const entryOf = (ask: NewAsk, now: number, ttl: number): AskEntry => ({
  id: ask.id,
  service: ask.service,
  purpose: ask.purpose,
  asked: new Date(now).toISOString().slice(0, 10),
  ...(ask.after.length === 0 ? {} : { after: ask.after }),
  ...(ask.spf === undefined ? {} : { spf: ask.spf }),
  ...(ask.spfWithout === undefined ? {} : { spfWithout: ask.spfWithout }),
  ...(ask.dmarc === undefined ? {} : { dmarc: ask.dmarc }),
  ...(ask.records.length === 0 ? {} : { records: `${askLines(ask.records, ask.domain, ttl)}\n` }),
});

/** What {@link reviseAsks} is to do, decided by the files as they are at that moment. */
export interface Decision<T> {
  readonly service?: Pick<ServiceOfAsk, "key" | "title">;
  /** Asks that go, each with why. */
  readonly without?: ReadonlyMap<string, string>;
  readonly add?: readonly NewAsk[];
  /** What is journalled besides. */
  readonly journal?: readonly JournalEvent[];
  readonly result: T;
}

/**
 * Reads, decides and writes as one step that no other process comes between: `decide` sees the domain as it is now,
 * and what it decides stands in the files and the journal afterwards, all of it or none.
 */
export async function reviseAsks<T>(
  { folder }: Workspace,
  domain: DomainName,
  context: Pick<AppContext, "clock" | "note">,
  decide: (domain: Domain, workspace: Workspace) => Decision<T>,
): Promise<T> {
  return exclusively(folder, context, async (workspace) => {
    const [fresh] = pickDomains(workspace, [domain]) as [Domain];
    const { service, without = new Map(), add = [], journal: more = [], result } = decide(fresh, workspace);
    if (without.size + add.length + more.length === 0) return result;
    const now = context.clock.now();
    const entries = add.map((ask) => entryOf(ask, now, workspace.settings.defaults.ttl));
    const journal = await workspace.openJournal();
    let restore = (): void => undefined;
    try {
      journal.exclusively(() => {
        for (const [ask, because] of without) journal.append(now, domain, { kind: "ask-retired", ask, because });
        for (const { id, service: key, purpose, records = "" } of entries)
          journal.append(now, domain, { kind: "ask-noted", ask: id, service: key, purpose, records });
        for (const event of more) journal.append(now, domain, event);
        const revision = { without: [...without.keys()], add: entries, ...(service === undefined ? {} : { service }) };
        restore = revise(folder, fresh, revision);
      });
    } catch (error) {
      restore();
      throw error;
    } finally {
      journal.close();
    }
    return result;
  });
}

function sameRecords(a: readonly ResourceRecord[], b: readonly ResourceRecord[]): boolean {
  const key = (records: readonly ResourceRecord[]) =>
    toSets(records)
      .map(
        (set) =>
          `${set.name} ${set.type} ${(isOfType(set, "TXT") ? set.data.map((data) => decodeUtf8(txtValue(data))) : set.data.map((data) => printData(set.type, data))).sort().join("|")}`,
      )
      .sort()
      .join("\n");
  return a.length > 0 && key(a) === key(b);
}
