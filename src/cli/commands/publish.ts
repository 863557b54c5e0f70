import { resolve } from "node:path";
import { publish, publishSchema } from "../../app/publishing/publish.ts";
import { Failure } from "../../core/failure.ts";
import { replaceFile } from "../../workspace/index.ts";
import { type Context, command } from "../command.ts";
import { draftOptions, flag, publishOptions, text } from "../options.ts";

/** Serves the sheet of one domain as a page until everything is entered; publishes first where no sheet is open. */
async function showPage(
  request: Parameters<typeof publish>[0],
  context: Context,
): Promise<{ ended: "fine" | "problem"; result?: never }> {
  if (context.json || request.operands.length !== 1) throw new Failure("page-one-domain", {});
  const outcome = await publish(request, context);
  const byHand = outcome.result?.published.some(({ way, changed }) => way === "by-hand" || changed === 0);
  if (byHand !== true) throw new Failure("nothing-by-hand", {}, "problem");
  const [{ sheetState }, { livePage, sheetNews }, { serveLocalPage }] = await Promise.all([
    import("../../app/publishing/sheet-page.ts"),
    import("../../present/publishing/sheet-page.ts"),
    import("../../app/publishing/local-page.ts"),
  ]);
  let finished: () => void = () => undefined;
  const done = new Promise<boolean>((resolve) => {
    finished = () => resolve(true);
    process.once("SIGINT", () => resolve(false));
  });
  const page = await serveLocalPage({
    html: async (nonce) => livePage(await sheetState(request, context), nonce),
    async state() {
      const state = await sheetState(request, context);
      // The page has heard that all is entered before the server goes.
      if (state.done) setTimeout(finished, 500);
      return sheetNews(state);
    },
  });
  context.out(
    `Open this page in the browser of this machine, and leave it open:\n${page.url}\nIt ends by itself when everything is entered; Ctrl-C ends it before.\n`,
  );
  const all = await done;
  await page.close();
  context.out(
    all
      ? `Everything is entered. Next: zandrel watch ${request.operands[0]} --until proven\n`
      : `Left. Next: zandrel publish ${request.operands[0]} --check\n`,
  );
  return { ended: all ? "fine" : "problem" };
}

export default command({
  name: "publish",
  operands: "[DOMAIN..]",
  summary: "carry the draft out: by signed dynamic update, helper program, into a zone file, or as a sheet to fill in",
  examples: [
    ["zandrel publish brackwater.example", "the way its DNS host is reached"],
    ["zandrel publish brackwater.example --into brackwater.example.zone", "edit a zone file in place"],
    ["zandrel publish brackwater.example --sheet entries.html", "a page to print, for a host that is reached by hand"],
    ["zandrel publish brackwater.example --lower-ttl", "a day before a launch: then the change itself takes minutes"],
    ["zandrel publish brackwater.example --page", "the same as a page with copy buttons and live ticks"],
    ["zandrel publish brackwater.example --check", "afterwards: what was entered wrongly, and how"],
  ],
  options: {
    ...draftOptions,
    ...publishOptions,
    sheet: text("also write the fill-in sheet into this file, .md or .html"),
    page: flag("show the fill-in sheet as a page on this machine, which ticks off what the name servers show"),
    lowerTtl: flag("only lower the TTLs of what the draft will change, ahead of a launch"),
    check: flag("look whether what was to be entered by hand is there, and what went wrong"),
  },
  schema: publishSchema,
  async run(request, context) {
    const { sheet } = request;
    if (sheet !== undefined && !/\.(md|html?)$/i.test(sheet)) throw new Failure("sheet-form", { given: sheet });
    if (request.page) return showPage(request, context);
    const outcome = await publish(request, context);
    if (sheet === undefined || outcome.result === undefined) return outcome;
    const { publishSheet } = await import("../../present/publishing/publish.ts");
    const text = publishSheet(outcome.result, /\.md$/i.test(sheet) ? "markdown" : "page");
    if (text === undefined) throw new Failure("nothing-by-hand", {}, "problem");
    replaceFile(resolve(context.cwd, sheet), text);
    return outcome;
  },
  text: async (result, layout) => (await import("../../present/publishing/publish.ts")).publishText(result, layout),
});
