import { isDeepStrictEqual } from "node:util";
import { asAsked, recordsWanted, webProofOf } from "../../core/ask/index.ts";
import { Failure } from "../../core/failure.ts";
import { type DomainName, relativeText, withoutRootDot } from "../../core/name/index.ts";
import { type DataOf, decodeUtf8, isOfType, printData, type ResourceRecord, toSets, txtValue } from "../../core/record/index.ts";
import type { WebProof } from "../../core/site/index.ts";
import { isSpf, readSpfRecord } from "../../core/spf/index.ts";
import { type AskEntry, type Domain, pickDomains, type Workspace } from "../../workspace/index.ts";
import type { AppContext } from "../context.ts";
import { nameOperand } from "../dns/context.ts";
import { OWN_SERVICE } from "../standing/journal-state.ts";
import { type Revised, reviseEntries } from "../standing/revise.ts";
import type { NewAsk } from "./new-ask.ts";

/** The domain the paste is for: named, the only one, or the one whose name is in the text; on a terminal it is asked. */
export async function domainFor(
  workspace: Workspace,
  request: { readonly domain: string | undefined },
  text: string,
  context: Pick<AppContext, "interactive" | "choose">,
): Promise<Domain> {
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
  if (longest !== undefined && mentioned.every((other) => longest.name.endsWith(other.name))) return longest;
  const names = domains.map((domain) => domain.name);
  const chosen = context.interactive ? await context.choose({ kind: "which-domain", domains: names }) : undefined;
  const domain = domains.find(({ name }) => withoutRootDot(name) === chosen);
  if (domain === undefined) throw new Failure("which-domain", { domains: names });
  return domain;
}

/** The records as zone-file lines relative to the domain, aligned. */
function askLines(records: readonly ResourceRecord[], domain: DomainName, ttl: number): string {
  const rows = records.map((resourceRecord) => [
    relativeText(resourceRecord.name, domain),
    ...(resourceRecord.ttl === ttl ? [] : [String(resourceRecord.ttl)]),
    resourceRecord.type,
    printData(resourceRecord.type, resourceRecord.data),
  ]);
  const width = (column: number): number =>
    Math.max(...rows.map((row) => (column < row.length - 1 ? (row[column] as string).length : 0)));
  return rows.map((row) => row.map((cell, i) => (i === row.length - 1 ? cell : cell.padEnd(width(i)))).join("  ")).join("\n");
}

/**
 * An SPF record for the domain itself is saved as terms for the one record, never as a second one. What the page's own `all`
 * says is kept with them: it counts where there is no record yet, and is shown beside what the record there says.
 */
export function withoutSpf(records: readonly ResourceRecord[], domain: DomainName): { records: ResourceRecord[]; spf?: string } {
  const terms = (resourceRecord: ResourceRecord): string | undefined => {
    const text =
      resourceRecord.type === "TXT" && resourceRecord.name === domain
        ? decodeUtf8(txtValue(resourceRecord.data as DataOf["TXT"]))
        : "";
    const parsed = isSpf(text) ? readSpfRecord(text) : undefined;
    // A record that lets nobody send is a record: it has no term that another could hold.
    const isBare = parsed?.ok === true && parsed.value.terms.every((term) => term.kind === "mechanism" && term.name === "all");
    return parsed?.ok && !isBare
      ? parsed.value.terms
          .filter((term) => term.kind === "mechanism")
          .map((term) => term.text)
          .join(" ")
      : undefined;
  };
  const spf = records.flatMap((resourceRecord) => terms(resourceRecord) || []).join(" ");
  return spf === "" ? { records: [...records] } : { records: records.filter((candidate) => !terms(candidate)), spf };
}

/** The ask of the same service that wants the very same already. */
export function duplicateOf(ask: NewAsk, domain: Domain): string | undefined {
  if (ask.web !== undefined) {
    const proof = ask.web;
    return domain.asks.find((other) => other.service === ask.service && isDeepStrictEqual(webProofOf(other.wants), proof))?.id;
  }
  const spfSet =
    ask.spf === undefined ? [] : [{ name: domain.name, type: "TXT", ttl: 0, data: { strings: [`v=spf1 ${ask.spf}`] } }];
  return domain.asks.find(
    (other) => other.service === ask.service && sameRecords(recordsWanted(asAsked(other.wants)), [...ask.records, ...spfSet]),
  )?.id;
}

/** An older ask of the same service that wants something else at the same place. */
interface Older {
  readonly id: string;
  readonly name: DomainName;
  readonly type: string;
  /** Whether only one of the two can be there. */
  readonly exclusive: boolean;
}

/** The part of a token that stays the same when a service makes a new one: `seekmere-owner=`. */
const tokenName = (text: string): string | undefined => /^([\w.-]{3,40}[=:])\S+$/.exec(text)?.[1]?.toLowerCase();

/** The older ask that a new one looks like a newer version of: the same service, the same place, another value; never one `without`. */
export function overlapping(ask: NewAsk, domain: Domain, without: readonly string[]): Older | undefined {
  for (const other of domain.asks) {
    if (without.includes(other.id) || other.service !== ask.service || other.purpose !== ask.purpose) continue;
    for (const old of recordsWanted(other.wants))
      for (const record of ask.records) {
        if (old.name !== record.name || old.type !== record.type) continue;
        const [was, is] = [old, record].map(({ type, data }) =>
          type === "TXT" ? decodeUtf8(txtValue(data as DataOf["TXT"])) : printData(type, data),
        ) as [string, string];
        if (was === is) continue;
        const exclusive = record.type === "CNAME" || record.name.includes("._domainkey.") || record.name.startsWith("_dmarc.");
        if (exclusive || (record.type === "TXT" && tokenName(was) !== undefined && tokenName(was) === tokenName(is)))
          return { id: other.id, name: record.name, type: record.type, exclusive };
      }
  }
  return undefined;
}

/** A service an ask is for; one that zandrel.yaml does not know yet is added with the ask. */
export interface ServiceOfAsk {
  readonly key: string;
  readonly title: string;
}

/** The service that `--service` names, or the organisation's own mail, which stands in zandrel.yaml like any other. */
export function ownService(workspace: Workspace, request: { readonly service: string | undefined }): ServiceOfAsk {
  const key = request.service ?? OWN_SERVICE;
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
  ...(ask.template === undefined ? {} : { template: ask.template }),
  ...(ask.web === undefined ? {} : { web: webEntry(ask.web) }),
  ...(ask.remove === undefined || ask.remove.length === 0 ? {} : { remove: `${askLines(ask.remove, ask.domain, ttl)}\n` }),
  ...(ask.records.length === 0 ? {} : { records: `${askLines(ask.records, ask.domain, ttl)}\n` }),
});

/** A proof on the web as its file shows it. */
const webEntry = (proof: WebProof): NonNullable<AskEntry["web"]> =>
  proof.kind === "meta"
    ? { url: proof.url, meta: { name: proof.name, content: proof.content } }
    : { url: proof.url, file: proof.text };

/** What {@link reviseAsks} is to do, decided by the files as they are at that moment. */
export interface Decision<T> extends Omit<Revised<T>, "add"> {
  readonly add?: readonly NewAsk[];
}

/** Reads, decides and writes asks as one step that no other process comes between. */
export const reviseAsks = <T>(
  workspace: Workspace,
  domain: DomainName,
  context: Pick<AppContext, "clock" | "tell" | "prepare">,
  decide: (domain: Domain, workspace: Workspace) => Decision<T>,
): Promise<T> =>
  reviseEntries(workspace, domain, context, (fresh, now) => {
    const { add = [], ...decision } = decide(fresh, now);
    return { ...decision, add: add.map((ask) => entryOf(ask, context.clock.now(), now.settings.defaults.ttl)) };
  });

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
