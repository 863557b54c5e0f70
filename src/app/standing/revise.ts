import type { Clause } from "../../core/clause/index.ts";
import type { DomainName } from "../../core/name/index.ts";
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

/** What {@link reviseEntries} is to do, decided by the files as they are at that moment. */
export interface Revised<T> {
  readonly service?: { readonly key: string; readonly title: string };
  /** Asks that go, each with why. */
  readonly without?: ReadonlyMap<string, Clause>;
  /** What is remembered of the one that goes, so that it can come back. */
  readonly retired?: { readonly entry?: AskEntry; readonly publication?: number };
  readonly add?: readonly AskEntry[];
  /** Where the domain redirects to, which makes it one that redirects. */
  readonly redirectTo?: DomainName | undefined;
  /** What is journalled besides. */
  readonly journal?: readonly JournalEvent[];
  readonly result: T;
}

/**
 * Reads, decides and writes as one step that no other process comes between: `decide` sees the domain as it is now,
 * and what it decides stands in the files and the journal afterwards, all of it or none.
 */
export async function reviseEntries<T>(
  { folder }: Workspace,
  domain: DomainName,
  context: Pick<AppContext, "clock" | "tell" | "prepare">,
  decide: (domain: Domain, workspace: Workspace) => Revised<T>,
): Promise<T> {
  return exclusively(folder, context, async (workspace) => {
    const [fresh] = pickDomains(workspace, [domain]) as [Domain];
    const { service, without = new Map(), retired, add = [], redirectTo, journal: more = [], result } = decide(fresh, workspace);
    if (without.size + add.length + more.length === 0 && redirectTo === undefined) return result;
    const now = context.clock.now();
    const journal = await workspace.openJournal(context);
    let restore = (): void => undefined;
    try {
      journal.exclusively(() => {
        for (const [ask, because] of without) journal.append(now, domain, { kind: "ask-retired", ask, because, ...retired });
        for (const { id, service: key, purpose, records = "" } of add)
          journal.append(now, domain, { kind: "ask-noted", ask: id, service: key, purpose, records });
        for (const event of more) journal.append(now, domain, event);
        const revision = {
          without: [...without.keys()],
          add,
          ...(service === undefined ? {} : { service }),
          ...(redirectTo === undefined ? {} : { domain: { role: "redirect", redirectTo } }),
        };
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
