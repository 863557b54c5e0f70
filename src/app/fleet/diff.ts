import * as z from "zod";
import { AREAS } from "../../core/audit/index.ts";
import { Failure } from "../../core/failure.ts";
import type { DomainName } from "../../core/name/index.ts";
import { commonAreas, compareResults, type KeptFinding, type SweepResult } from "../../core/sweep/index.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import { domainName, time } from "../shapes.ts";
import { namedSweep, outcomesOf, type SweepsRequest, withSweeps } from "./store.ts";

const finding = z.object({ id: z.string(), severity: z.string(), title: z.string(), remedy: z.string() });
const head = z.object({ name: z.string(), started: time, finished: time.nullable(), domains: z.number() });

export const sweepDiffSchema = z.object({
  before: head,
  after: head,
  areas: z.array(z.enum(AREAS)).describe("the areas of the audit that both looked at; nothing is said of others"),
  domains: z
    .array(
      z.object({
        domain: domainName,
        kind: z
          .enum(["compared", "added", "removed", "unresolved"])
          .describe("added and removed: it is in one of the lists only"),
        fixed: z.array(finding),
        fresh: z.array(finding).describe("findings that were not there before"),
        worse: z.boolean().describe("whether its worst finding is worse than before"),
      }),
    )
    .describe("domains at which something differs"),
  same: z.number().describe("domains at which nothing differs"),
});
export type SweepDiffJson = z.output<typeof sweepDiffSchema>;
type DomainJson = SweepDiffJson["domains"][number];
export type SweepDiff = Omit<SweepDiffJson, "domains"> & {
  readonly domains: (Omit<DomainJson, "fixed" | "fresh"> & Readonly<Record<"fixed" | "fresh", readonly KeptFinding[]>>)[];
};

/** What changed between two sweeps: the older one is named first. */
export async function sweepDiff(request: CommonRequest & SweepsRequest, context: AppContext): Promise<Outcome<SweepDiff>> {
  return withSweeps(request, context, async (store) => {
    const [first, second] = request.operands as [string, string];
    const [before, after] = [await namedSweep(store, first), await namedSweep(store, second)];
    const areas = commonAreas(before.checks, after.checks);
    if (areas === undefined) throw new Failure("sweeps-apart", { before: before.name, after: after.name });
    const domains: SweepDiff["domains"] = [];
    let same = 0;
    const compare = (domain: DomainName, was: SweepResult | undefined, is: SweepResult | undefined): void => {
      const compared = compareResults(was, is, areas);
      const { fixed, fresh, worse } = compared;
      // Of a sweep that is not finished, what has no result may still be in its list.
      const isOpen =
        (compared.kind === "added" && before.finished === undefined) ||
        (compared.kind === "removed" && after.finished === undefined);
      const kind = isOpen ? "unresolved" : compared.kind;
      if (kind === "compared" && fixed.length + fresh.length === 0) {
        same += 1;
        return;
      }
      const shown = (ids: readonly string[], result: SweepResult | undefined) =>
        (result?.findings ?? []).filter(
          ({ id }, i, all) => ids.includes(id) && all.findIndex((keptFinding) => keptFinding.id === id) === i,
        );
      domains.push({ domain, kind, fixed: shown(fixed, was), fresh: shown(fresh, is), worse });
    };
    for await (const outcome of outcomesOf(store, after))
      compare(outcome.domain, (await store.outcomeOf(before, outcome.domain))?.result, outcome.result);
    for await (const outcome of outcomesOf(store, before))
      if ((await store.outcomeOf(after, outcome.domain)) === undefined) compare(outcome.domain, outcome.result, undefined);
    domains.sort(
      (a, b) => Number(b.worse) - Number(a.worse) || b.fresh.length - a.fresh.length || (a.domain < b.domain ? -1 : 1),
    );
    const headOf = async (sweep: typeof before) => ({
      name: sweep.name,
      started: sweep.started,
      finished: sweep.finished ?? null,
      domains: (await store.progress(sweep)).domains,
    });
    return {
      ended: domains.some(({ fresh }) => fresh.length > 0) ? "problem" : "fine",
      result: { before: await headOf(before), after: await headOf(after), areas: [...areas], domains, same },
    };
  });
}
