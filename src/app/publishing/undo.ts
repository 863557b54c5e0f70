import * as z from "zod";
import { dnsWants, isMet } from "../../core/ask/index.ts";
import type { Change } from "../../core/change/index.ts";
import { clause } from "../../core/clause/index.ts";
import { Failure, type FailureCode } from "../../core/failure.ts";
import type { DomainName } from "../../core/name/index.ts";
import type { AskEntry, Domain, Journal, Publication } from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import type { DnsOptions } from "../dns/context.ts";
import { domainOperands, writing } from "../session.ts";
import { domainName, recordSet, time } from "../shapes.ts";
import { reviseEntries } from "../standing/revise.ts";
import { draftSource } from "../standing/source.ts";
import { type ApplyOptions, reverse, settleInterrupted, undoable } from "./publication.ts";
import { apply, missedOf, missedShape, type Published, published } from "./publish.ts";

export const undoSchema = z.object({
  at: time,
  undone: published.nullable().describe("what was carried out; null with --dry-run"),
  changes: z.array(z.object({ name: domainName, type: z.string(), before: recordSet, after: recordSet })),
  publication: z.number().describe("the number of the publication in the journal"),
  lost: missedShape,
  restored: z
    .array(z.string())
    .describe("ids of asks that were retired with the publication and are back in the file; with --dry-run, those that would be"),
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

/** The asks that were retired with a publication, and are not in the file of their domain. */
function retiredWith({ name, asks }: Domain, { opened }: Publication, journal: Journal): readonly AskEntry[] {
  const retired = journal.entries(name, "ask-retired").filter(({ publication }) => publication === opened.id);
  return retired.flatMap(({ entry }) => (entry === undefined || asks.some(({ id }) => id === entry.id) ? [] : [entry]));
}

/** Ends of an undo after which the records may be back all the same. */
const UNCERTAIN: ReadonlySet<FailureCode> = new Set(["publication-unknown", "accepted-not-shown"]);

/**
 * Takes a publication back together with the asks that were retired with it: without them nobody would look after the records. The asks
 * come first, so that whatever stops this in between leaves something that can be undone again; where nothing was carried out, they go again.
 */
async function takeBack(
  domain: Domain,
  publication: Publication,
  changes: readonly Change[],
  { workspace, journal, request, context }: Omit<ApplyOptions, "undoes">,
): Promise<{ readonly undone: Published; readonly restored: string[] }> {
  const restored = await reviseEntries(workspace, domain.name, context, (fresh) => {
    const add = retiredWith(fresh, publication, journal);
    return { add, result: add.map(({ id }) => id) };
  });
  try {
    const undone = await apply(domain, changes, { journal, workspace, request, context, undoes: publication.opened.id });
    return { undone, restored };
  } catch (error) {
    if (error instanceof Failure && !UNCERTAIN.has(error.code) && restored.length > 0)
      await reviseEntries(workspace, domain.name, context, () => ({
        without: new Map(restored.map((id) => [id, clause("retired-not-undone")])),
        result: undefined,
      }));
    throw error;
  }
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
          restored: retiredWith(domain, publication, journal).map(({ id }) => id),
          lost: [],
        },
      };
    if (context.interactive && (await context.choose({ kind: "undo", changes })) !== "yes")
      throw new Failure("undo-declined", {});
    const { undone, restored } = await takeBack(domain, publication, changes, { journal, workspace, request, context });
    const lost = await missedOf(domain, { journal, workspace, request, context });
    return {
      ended: lost.length > 0 ? "problem" : "fine",
      result: {
        at: context.clock.now(),
        undone,
        lost,
        changes: changes.map(shownChange),
        publication: publication.opened.id,
        restored,
      },
    };
  });
}
