import { Failure } from "../../core/failure.ts";
import { serveLocalPage } from "../../net/local-page.ts";
import type { AppContext } from "../context.ts";
import { type PublishRequest, publish } from "./publish.ts";
import { type SheetState, sheetState } from "./sheet-page.ts";

/** However many windows ask: the domain is looked at at most this often (real milliseconds). */
const LOOK_EVERY = 2000;

/** How long the page has to hear that all is entered before its server goes (real milliseconds). */
const FAREWELL = 500;

/** One look at a time, which serves everybody who asks while it is under way or fresh. */
function shared<T>(look: () => Promise<T>): () => Promise<T> {
  let begun = -LOOK_EVERY;
  let under: Promise<T> | undefined;
  return () => {
    if (under !== undefined && performance.now() - begun < LOOK_EVERY) return under;
    begun = performance.now();
    under = (under ?? Promise.resolve()).then(look, look);
    return under;
  };
}

/** How the sheet is shown: as a page, what of it changed since, and what keeps it from being looked at. */
export interface LiveSheetFaces {
  html(seen: SheetState, nonce: string): string;
  news(seen: SheetState): object;
  trouble(failure: Failure): object;
  /** Says where the page is. */
  opened(url: string): void;
}

/**
 * Serves the sheet of one domain as a page until everything is entered, or `left` says that nobody waits for it any more; publishes
 * first what no open sheet says yet. Whether everything is entered.
 */
export async function liveSheet(
  request: PublishRequest,
  context: AppContext,
  faces: LiveSheetFaces,
  left: AbortSignal,
): Promise<boolean> {
  if (request.operands.length !== 1) throw new Failure("page-one-domain", {});
  const { result } = await publish(request, context);
  const byHand = result?.published.some(({ way, changed, sheet }) => way === "by-hand" || sheet.length > 0 || changed === 0);
  if (byHand !== true) throw new Failure("nothing-by-hand", {});
  // What is wrong here is said here, before there is a page.
  let seen = await sheetState(request, context);
  const look = shared(async () => {
    seen = await sheetState(request, context);
    return seen;
  });
  // Whoever left while it was published hears of no page.
  if (left.aborted) return false;
  let finished: () => void = () => undefined;
  const done = new Promise<boolean>((resolve) => {
    finished = () => resolve(true);
    left.addEventListener("abort", () => resolve(false));
  });
  const page = await serveLocalPage({
    html: async (nonce) => faces.html(seen, nonce),
    async state() {
      try {
        const state = await look();
        if (state.done) setTimeout(finished, FAREWELL);
        return faces.news(state);
      } catch (error) {
        if (error instanceof Failure) return faces.trouble(error);
        throw error;
      }
    },
  });
  faces.opened(page.url);
  const all = await done;
  await page.close();
  return all;
}
