import { serveLocalPage } from "../app/publishing/local-page.ts";
import { type PublishRequest, publish } from "../app/publishing/publish.ts";
import { type SheetState, sheetState } from "../app/publishing/sheet-page.ts";
import { Failure } from "../core/failure.ts";
import { failureSentence } from "../present/failures.ts";
import { livePage, sheetNews } from "../present/publishing/sheet-page.ts";
import type { Context } from "./command.ts";

/** However many windows ask: the domain is looked at at most this often (real milliseconds). */
const LOOK_EVERY = 2000;

/** One look at a time, which serves everybody who asks while it is under way or fresh. */
function shared<T>(look: () => Promise<T>): () => Promise<T> {
  let begun = 0;
  let under: Promise<T> | undefined;
  return () => {
    if (under !== undefined && Date.now() - begun < LOOK_EVERY) return under;
    begun = Date.now();
    under = (under ?? Promise.resolve()).then(look, look);
    return under;
  };
}

/** Serves the sheet of one domain as a page until everything is entered; publishes first what no open sheet says yet. */
export async function showSheetPage(request: PublishRequest, context: Context): Promise<{ ended: "fine" | "problem" }> {
  if (context.json || request.operands.length !== 1) throw new Failure("page-one-domain", {});
  const { result } = await publish(request, context);
  const byHand = result?.published.some(({ way, changed, sheet }) => way === "by-hand" || sheet.length > 0 || changed === 0);
  if (byHand !== true) throw new Failure("nothing-by-hand", {}, "problem");
  // What is wrong here is said here, before there is a page.
  let seen: SheetState = await sheetState(request, context);
  const look = shared(async () => {
    seen = await sheetState(request, context);
    return seen;
  });
  let finished: () => void = () => undefined;
  const done = new Promise<boolean>((resolve) => {
    finished = () => resolve(true);
    process.once("SIGINT", () => resolve(false));
  });
  const page = await serveLocalPage({
    html: async (nonce) => livePage(seen, nonce),
    async state() {
      try {
        const state = await look();
        // The page has heard that all is entered before the server goes.
        if (state.done) setTimeout(finished, 500);
        return sheetNews(state);
      } catch (error) {
        if (error instanceof Failure) return { trouble: failureSentence(error) };
        throw error;
      }
    },
  });
  context.out(
    `Open this page in the browser of this machine, and leave it open:\n${page.url}\nIt ends by itself when everything is entered; Ctrl-C ends it before.\n`,
  );
  const all = await done;
  await page.close();
  const [domain] = request.operands;
  context.out(
    all
      ? `Everything is entered. Next: zandrel watch ${domain} --until proven\n`
      : `Left. Next: zandrel publish ${domain} --check\n`,
  );
  return { ended: all ? "fine" : "problem" };
}
