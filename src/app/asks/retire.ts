import * as z from "zod";
import { retireAsk } from "../../core/change/index.ts";
import { clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import type { DomainName } from "../../core/name/index.ts";
import { dataKey, type RecordData, type RecordSet, setJson } from "../../core/record/index.ts";
import { spfIn } from "../../core/spf/index.ts";
import { askEntry, type Domain, openWorkspace, type Publication, pickDomains, type Workspace } from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import type { DnsOptions } from "../dns/context.ts";
import { nameIn } from "../publishing/draft.ts";
import { settleInterrupted } from "../publishing/publication.ts";
import { apply, missedOf, missedShape, published } from "../publishing/publish.ts";
import { writing } from "../session.ts";
import { domainName, record, sentence, time } from "../shapes.ts";
import { draftSource } from "../standing/source.ts";
import { reviseAsks } from "./add.ts";
import { oneAsk } from "./targets.ts";

export const retireSchema = z.object({
  at: time,
  ask: z.string(),
  domain: domainName,
  written: z.boolean(),
  lost: missedShape,
  removals: z.array(z.object({ name: domainName, type: z.string(), before: z.array(record), after: z.array(record) })),
  stays: z.array(z.object({ name: domainName, type: z.string(), data: sentence, because: sentence })),
  published: published.nullable(),
});

/** Whether the journal shows that Zandrel put a record there: a publication brought it, and it was not there before. */
const ours =
  (publications: readonly Publication[]) =>
  (set: RecordSet, data: RecordData): boolean => {
    const key = dataKey(set.type, data);
    const has = (recordSet: RecordSet | undefined) => recordSet?.data.some((other) => dataKey(set.type, other) === key) === true;
    return publications.some(
      ({ opened, closed }) =>
        closed?.end === "published" &&
        opened.changes.some(
          (change) => change.name === set.name && change.type === set.type && has(change.after) && !has(change.before),
        ),
    );
  };

/** Whether the first SPF record at a name was published by Zandrel. */
const madeSpf =
  (publications: readonly Publication[]) =>
  (name: DomainName): boolean => {
    const hasSpf = (set: RecordSet | undefined) => set !== undefined && spfIn(set).texts.length > 0;
    const first = publications
      .filter(({ closed }) => closed?.end === "published")
      .flatMap(({ opened }) => opened.changes)
      .find((change) => change.name === name && change.type === "TXT" && hasSpf(change.after));
    return first !== undefined && !hasSpf(first.before);
  };

/** What {@link retire} is asked. */
export interface RetireRequest extends CommonRequest, Pick<DnsOptions, "resolver" | "timeout" | "includeFrom"> {
  readonly into: string | undefined;
  readonly replace: readonly string[];
  readonly dryRun: boolean;
}

/** End an ask: remove the records that only it needed and that Zandrel put there, and take it out of its file. */
export async function retire(request: RetireRequest, context: AppContext): Promise<Outcome<z.output<typeof retireSchema>>> {
  const target = await oneAsk(openWorkspace(context.cwd, request.workspace), request.operands, context);
  const pick = (workspace: Workspace) => pickDomains(workspace, [target.domain.name]);
  return writing(request, context, pick, async ({ workspace, domains, dns }, journal) => {
    const [domain] = domains as [Domain];
    const ask = domain.asks.find((candidate) => candidate.id === target.id);
    if (ask === undefined) throw new Failure("ask-gone", { path: domain.path, ask: target.id });
    const waiting = domain.asks.filter((other) => other.after.includes(ask.id));
    if (waiting.length > 0)
      throw new Failure("ask-awaited", { ask: ask.id, waiting: waiting.map((other) => other.id), path: domain.path });
    await settleInterrupted(domain, dns, workspace, journal);
    const source = draftSource(domain, await dns.look(domain), dns, workspace);
    if (source === undefined) throw new Failure("retire-unseen", { domain: domain.name });
    const named = new Set(request.replace.map((text) => nameIn(text, domain.name)));
    const retirement = await retireAsk({
      ask,
      others: domain.asks.filter((other) => other !== ask),
      lookup: source,
      isOurs: ours(journal.publications(domain.name)),
      madeSpfAt: madeSpf(journal.publications(domain.name)),
      named,
    });
    const [unseen] = retirement.undetermined;
    if (unseen !== undefined) throw new Failure("zone-unseen", { because: unseen.because });
    const { changes } = retirement;
    const dry = request.dryRun;
    const carried = dry || changes.length === 0 ? null : await apply(domain, changes, { journal, workspace, request, context });
    if (!dry) {
      // Another process may have published something else meanwhile.
      const publication =
        carried === null
          ? undefined
          : journal.publications(domain.name).findLast(({ opened }) => opened.changes.some(({ asks }) => asks.includes(ask.id)))
              ?.opened.id;
      await reviseAsks(workspace, domain.name, context, (fresh) => {
        const entry = askEntry(fresh, ask.id);
        return {
          without: new Map([[ask.id, clause("retired-by-user", { changes: changes.length })]]),
          retired: { ...(entry === undefined ? {} : { entry }), ...(publication === undefined ? {} : { publication }) },
          result: undefined,
        };
      });
    }
    const lost = dry ? [] : await missedOf(domain, { journal, workspace, request, context });
    return {
      ended: lost.length > 0 ? "problem" : "fine",
      result: {
        at: context.clock.now(),
        lost,
        ask: ask.id,
        domain: domain.name,
        written: !dry,
        removals: changes.map((change) => ({
          name: change.name,
          type: change.type,
          before: setJson(change.before),
          after: setJson(change.after),
        })),
        stays: [...retirement.stays],
        published: carried,
      },
    };
  });
}
