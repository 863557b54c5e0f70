import { z } from "zod";
import { draftSource } from "../../app/asks/survey.ts";
import { reverse, settleInterrupted, undoable } from "../../app/publishing/publication.ts";
import { domainOperands, writing } from "../../app/session.ts";
import { withoutRootDot } from "../../app/shapes.ts";
import { EXIT, UserError } from "../../core/user-error.ts";
import { isoTime } from "../../present/index.ts";
import type { Domain } from "../../workspace/index.ts";
import { command } from "../command.ts";
import { apply, presentPublished, published, publishOptions } from "./publish.ts";

const result = z.object({
  at: z.string(),
  undone: published,
  publication: z.number().describe("the number of the publication in the journal"),
});

export default command<z.output<typeof result>>({
  name: "undo",
  operands: "DOMAIN",
  summary: "take the newest publication of a domain back: every record set exactly as it was before",
  examples: [
    ["zandrel undo brackwater.example", "the way it was published; refuses where somebody changed the records since"],
    ["zandrel undo brackwater.example --into brackwater.zone", "in a master file"],
  ],
  options: { ...publishOptions, into: { type: "string", requiresArg: true, describe: "take it back in this master file" } },
  schema: result,
  async run(args, context) {
    if (args._.length !== 1) throw new UserError("zandrel undo wants one domain: for example zandrel undo brackwater.example.");
    return writing(args, context, domainOperands(args._), async ({ workspace, domains, dns }, journal) => {
      const [domain] = domains as [Domain];
      await settleInterrupted(domain, dns, workspace, journal);
      const publication = undoable(journal.publications(domain.name));
      if (publication === undefined)
        throw new UserError(
          `nothing of ${withoutRootDot(domain.name)} was published that could be taken back: zandrel status shows where it stands.`,
          EXIT.not,
        );
      const source = draftSource(domain, await dns.look(domain), dns, workspace);
      if (source === undefined)
        throw new UserError(
          `nothing was taken back, because ${withoutRootDot(domain.name)} could not be looked at: try again when its name servers answer.`,
          EXIT.undetermined,
        );
      const changes = await reverse(publication, domain.name, source);
      const undone = await apply(domain, changes, { journal, workspace, args, context, undoes: publication.opened.id });
      return { exit: EXIT.ok, result: { at: isoTime(context.clock.now()), undone, publication: publication.opened.id } };
    });
  },
  present: ({ undone, at }, context) =>
    `${context.style.title("Taken back.")} ${presentPublished(undone, Date.parse(at), context)}\n`,
});
