import * as z from "zod";
import { dnsWants, isMet } from "../../core/ask/index.ts";
import type { Change } from "../../core/change/index.ts";
import { clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import type { DomainName } from "../../core/name/index.ts";
import type { Domain, Journal, Publication, Workspace } from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import type { DnsOptions } from "../dns/context.ts";
import { domainOperands, writing } from "../session.ts";
import { domainName, recordSet, time } from "../shapes.ts";
import { reviseEntries } from "../standing/revise.ts";
import { draftSource } from "../standing/source.ts";
import { reverse, settleInterrupted, undoable } from "./publication.ts";
import { apply, published } from "./publish.ts";

export const undoSchema = z.object({
  at: time,
  undone: published.nullable().describe("what was carried out; null with --dry-run"),
  changes: z.array(z.object({ name: domainName, type: z.string(), before: recordSet, after: recordSet })),
  publication: z.number().describe("the number of the publication in the journal"),
  restored: z.array(z.string()).describe("ids of asks that were retired with the publication and are back in the file"),
});

/** What {@link undo} is asked. */
export interface UndoRequest extends CommonRequest, Pick<DnsOptions, "resolver" | "timeout" | "includeFrom"> {
  readonly into: string | undefined;
  readonly dryRun: boolean;
  readonly force: boolean;
}

const shownChange = ({ name, type, before, after }: Change) => ({ name, type, before, after });

/** Asks that were saved or changed after the publication and need what it brought: taking it back would take it from them. */
function neededNow(
  domain: Domain,
  { opened }: Publication,
  changes: readonly Change[],
): { readonly ask: string | undefined; readonly name: DomainName; readonly type: string }[] {
  const forAsks = new Set(opened.changes.flatMap(({ asks }) => asks));
  return changes.flatMap((change) =>
    domain.asks
      .filter(
        ({ id, wants }) =>
          !forAsks.has(id) &&
          dnsWants(wants).some(
            (want) =>
              want.kind !== "absent" &&
              want.name === change.name &&
              want.type === change.type &&
              change.before !== undefined &&
              isMet(change.before, want) &&
              !(change.after !== undefined && isMet(change.after, want)),
          ),
      )
      .map(({ id }) => ({ ask: id, name: change.name, type: change.type })),
  );
}

/** Keys that mail is signed with since: without their records it fails. */
function keysInUse(journal: Journal, changes: readonly Change[]): ReturnType<typeof neededNow> {
  return changes
    .filter(({ name, after }) => after === undefined && name.includes("._domainkey."))
    .flatMap(({ name, type }) => {
      const selector = name.slice(0, name.indexOf("._domainkey."));
      const inUse = journal.entries(undefined, "key-switched").findLast(({ to, from }) => to === selector || from === selector);
      return inUse?.to === selector ? [{ ask: undefined, name, type }] : [];
    });
}

/** Puts the ask back that was retired with a publication: its records are back, and without it nobody would look after them. */
async function restoreRetired(
  workspace: Workspace,
  domain: Domain,
  { opened }: Publication,
  journal: Journal,
  context: AppContext,
): Promise<string[]> {
  const retired = journal.entries(domain.name, "ask-retired").filter(({ publication }) => publication === opened.id);
  return reviseEntries(workspace, domain.name, context, ({ asks }) => {
    const restore = retired.flatMap(({ entry }) =>
      entry === undefined || asks.some(({ id }) => id === entry.id) ? [] : [entry],
    );
    return { add: restore, result: restore.map(({ id }) => id) };
  });
}

/** Take the newest publication of a domain back: every record set exactly as it was before. */
export async function undo(request: UndoRequest, context: AppContext): Promise<Outcome<z.output<typeof undoSchema>>> {
  return writing(request, context, domainOperands(request.operands), async ({ workspace, domains, dns }, journal) => {
    const [domain] = domains as [Domain];
    await settleInterrupted(domain, dns, workspace, journal);
    const publication = undoable(journal.publications(domain.name));
    if (publication === undefined) throw new Failure("nothing-to-undo", { domain: domain.name });
    const source = draftSource(domain, await dns.look(domain), dns, workspace);
    if (source === undefined) throw new Failure("undo-unseen", { because: clause("answer-nobody-answers") });
    const changes = await reverse(publication, domain.name, source);
    const needs = [...neededNow(domain, publication, changes), ...keysInUse(journal, changes)];
    if (needs.length > 0 && !request.force) throw new Failure("undo-needed", { needs });
    if (request.dryRun)
      return {
        ended: "fine",
        result: {
          at: context.clock.now(),
          undone: null,
          changes: changes.map(shownChange),
          publication: publication.opened.id,
          restored: [],
        },
      };
    if (context.interactive && (await context.choose({ kind: "undo", changes })) !== "yes")
      throw new Failure("undo-declined", {});
    const undone = await apply(domain, changes, { journal, workspace, request, context, undoes: publication.opened.id });
    const restored = await restoreRetired(workspace, domain, publication, journal, context);
    return {
      ended: "fine",
      result: {
        at: context.clock.now(),
        undone,
        changes: changes.map(shownChange),
        publication: publication.opened.id,
        restored,
      },
    };
  });
}
