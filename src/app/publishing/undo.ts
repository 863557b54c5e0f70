import { z } from "zod";
import { published, apply } from "../../cli/commands/publish.ts";
import { type CommonRequest, type AppContext, type Outcome } from "../context.ts";
import { Failure } from "../../core/failure.ts";
import { writing, domainOperands } from "../session.ts";
import { type Domain } from "../../workspace/index.ts";
import { settleInterrupted, undoable, reverse } from "./publication.ts";
import { withoutRootDot } from "../shapes.ts";
import { draftSource } from "../asks/survey.ts";
import { isoTime } from "../../present/index.ts";

export const undoSchema = z.object({
  at: z.string(),
  undone: published,
  publication: z.number().describe("the number of the publication in the journal"),
});

/** What {@link undo} is asked. */
export interface UndoRequest extends CommonRequest {
  readonly into: string | undefined;
}


/** Take the newest publication of a domain back: every record set exactly as it was before. */
export async function undo(request: UndoRequest, context: AppContext): Promise<Outcome<z.output<typeof undoSchema>>> {
    if (request.operands.length !== 1) throw new Failure("operands-wrong", {});
    return writing(request, context, domainOperands(request.operands), async ({ workspace, domains, dns }, journal) => {
      const [domain] = domains as [Domain];
      await settleInterrupted(domain, dns, workspace, journal);
      const publication = undoable(journal.publications(domain.name));
      if (publication === undefined)
        throw new Failure("nothing-to-undo", { domain: domain.name }, "problem");
      const source = draftSource(domain, await dns.look(domain), dns, workspace);
      if (source === undefined)
        throw new Failure("undo-unseen", { because: "" }, "undetermined");
      const changes = await reverse(publication, domain.name, source);
      const undone = await apply(domain, changes, { journal, workspace, request, context, undoes: publication.opened.id });
      return { ended: "fine", result: { at: isoTime(context.clock.now()), undone, publication: publication.opened.id } };
    });
  }

