import * as z from "zod";
import { Failure } from "../../core/failure.ts";
import { secretsIn } from "../../secrets.ts";
import { lockWorkspace, movingStores, openWorkspace, setJournal, sharedDatabase } from "../../workspace/index.ts";
import { type AppContext, type CommonRequest, type Outcome, onlyOperand } from "../context.ts";

export const journalSchema = z.object({
  journal: z.string().describe("where it is kept, as zandrel.yaml says: here, an address, or where the address is kept"),
  rows: z.number().describe("how many entries, events and sums of reports were moved"),
  setAside: z.array(z.string()).describe("files that hold what was there before"),
});
export type JournalResult = z.output<typeof journalSchema>;

const isDatabaseAddress = (text: string): boolean => /^postgres(?:ql)?:\/\/./.test(text) && URL.canParse(text);

/** Whether what zandrel.yaml will say holds no secret. */
const isKeptSafely = (journal: string): boolean =>
  /^(?:env:[A-Za-z_][A-Za-z0-9_]*|file:.+)$/.test(journal) ||
  (isDatabaseAddress(journal) && new URL(journal).password === "" && secretsIn(journal).length === 0);

/** Move the journal, events, reports and notices to a database that a team shares, or back into the workspace. */
export async function moveJournal(request: CommonRequest, context: AppContext): Promise<Outcome<JournalResult>> {
  const journal = onlyOperand(request);
  const { folder } = openWorkspace(context.cwd, request.workspace);
  return lockWorkspace(folder, context, async () => {
    const { settings } = openWorkspace(context.cwd, folder);
    const { beginMove, copyFromShared, copyToShared, endMove, expectNoFiles, noteCopied, takeUpMove } = await movingStores();
    const takenUp = await takeUpMove(folder, settings.journal, journal, (kept) => sharedDatabase(kept, folder, context));
    if (journal === settings.journal && takenUp !== undefined)
      return { ended: "fine", result: { journal, rows: takenUp.rows, setAside: [...takenUp.setAside] } };
    if (journal === settings.journal) throw new Failure("journal-there", { journal });
    if (journal !== "here" && settings.journal !== "here") throw new Failure("journal-shared", { journal: settings.journal });
    if (journal !== "here" && !isKeptSafely(journal)) throw new Failure("journal-form", {});
    const database = await sharedDatabase(journal === "here" ? settings.journal : journal, folder, context);
    if (!isDatabaseAddress(database.url)) throw new Failure("journal-form", {});
    if (journal === "here") expectNoFiles(folder);
    const moving = beginMove(folder, journal);
    const copied = whole(
      () => (journal === "here" ? copyFromShared(folder, database) : copyToShared(folder, database, moving)),
      () => endMove(folder),
    );
    // Until zandrel.yaml says otherwise the next call takes the copy back; from then on it carries the move to its end.
    whole(
      () => {
        noteCopied(folder, moving, copied.rows);
        setJournal(folder, journal);
      },
      () => {
        copied.undo();
        endMove(folder);
      },
    );
    const setAside = copied.finish();
    endMove(folder);
    return { ended: "fine", result: { journal, rows: copied.rows, setAside } };
  });
}

/** Does a step; one that fails is taken back. */
function whole<T>(step: () => T, takeBack: () => void): T {
  try {
    return step();
  } catch (error) {
    takeBack();
    throw error;
  }
}
