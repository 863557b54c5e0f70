import { liveSheet } from "../app/publishing/live-sheet.ts";
import type { PublishRequest } from "../app/publishing/publish.ts";
import { Failure } from "../core/failure.ts";
import { failureSentence } from "../present/failures/index.ts";
import { livePage, sheetNews } from "../present/publishing/sheet-page.ts";
import type { Context } from "./command.ts";

/** Shows the sheet of one domain as a page of this machine until everything is entered, or Ctrl-C. */
export async function showSheetPage(request: PublishRequest, context: Context): Promise<{ ended: "fine" | "problem" }> {
  if (context.json) throw new Failure("page-one-domain", {});
  const leaving = new AbortController();
  process.once("SIGINT", () => leaving.abort());
  const faces = {
    html: livePage,
    news: sheetNews,
    trouble: (failure: Failure) => ({ trouble: failureSentence(failure, context.cwd) }),
    opened: (url: string) =>
      context.out(
        `Open this page in the browser of this machine, and leave it open:\n${url}\nIt ends by itself when everything is entered; Ctrl-C ends it before.\n`,
      ),
  };
  const all = await liveSheet(request, context, faces, leaving.signal);
  const [domain] = request.operands;
  context.out(
    all
      ? `Everything is entered. Next: zandrel watch ${domain} --until proven\n`
      : `Left. Next: zandrel publish ${domain} --check\n`,
  );
  return { ended: all ? "fine" : "problem" };
}
