import * as z from "zod";
import { Failure } from "../../core/failure.ts";
import type { Domain } from "../../workspace/index.ts";
import { draftSource } from "../asks/survey.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import type { DnsOptions } from "../dns/context.ts";
import { domainOperands, writing } from "../session.ts";
import { time } from "../shapes.ts";
import { reverse, settleInterrupted, undoable } from "./publication.ts";
import { apply, published } from "./publish.ts";

export const undoSchema = z.object({
  at: time,
  undone: published,
  publication: z.number().describe("the number of the publication in the journal"),
});

/** What {@link undo} is asked. */
export interface UndoRequest extends CommonRequest, Pick<DnsOptions, "resolver" | "timeout" | "includeFrom"> {
  readonly into: string | undefined;
}

/** Take the newest publication of a domain back: every record set exactly as it was before. */
export async function undo(request: UndoRequest, context: AppContext): Promise<Outcome<z.output<typeof undoSchema>>> {
  return writing(request, context, domainOperands(request.operands), async ({ workspace, domains, dns }, journal) => {
    const [domain] = domains as [Domain];
    await settleInterrupted(domain, dns, workspace, journal);
    const publication = undoable(journal.publications(domain.name));
    if (publication === undefined) throw new Failure("nothing-to-undo", { domain: domain.name }, "problem");
    const source = draftSource(domain, await dns.look(domain), dns, workspace);
    if (source === undefined) throw new Failure("undo-unseen", { because: "" }, "undetermined");
    const changes = await reverse(publication, domain.name, source);
    const undone = await apply(domain, changes, { journal, workspace, request, context, undoes: publication.opened.id });
    return { ended: "fine", result: { at: context.clock.now(), undone, publication: publication.opened.id } };
  });
}
