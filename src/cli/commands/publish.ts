import { publish, publishSchema } from "../../app/publishing/publish.ts";
import { saveText } from "../../app/save.ts";
import { Failure } from "../../core/failure.ts";
import { command } from "../command.ts";
import { draftOptions, flag, list, publishOptions, text } from "../options.ts";

export default command({
  name: "publish",
  operands: "[DOMAIN..]",
  summary:
    "carry the draft out: by signed dynamic update, helper program, approval in the browser, into a zone file, or as a sheet to fill in",
  examples: [
    ["zandrel publish brackwater.example", "the way its DNS host is reached"],
    ["zandrel publish brackwater.example --into brackwater.example.zone", "edit a zone file in place"],
    ["zandrel publish brackwater.example --sheet entries.html", "a page to print, for a host that is reached by hand"],
    ["zandrel publish brackwater.example --lower-ttl", "a day before a launch: then the change itself takes minutes"],
    ["zandrel publish brackwater.example --page", "the same as a page with copy buttons and live ticks"],
    ["zandrel publish brackwater.example --open", "a DNS host that takes approvals: its page opens, and you click once"],
    ["zandrel publish brackwater.example --check", "afterwards: what was entered wrongly, and how"],
  ],
  options: {
    ...draftOptions,
    ...publishOptions,
    sheet: text("also write the fill-in sheet into this file, .md or .html"),
    page: flag("show the fill-in sheet as a page on this machine, which ticks off what the name servers show"),
    lowerTtl: flag("only lower the TTLs of what the draft will change, ahead of a launch"),
    check: flag("look whether what was to be entered by hand is there, and what went wrong"),
    open: flag("where the DNS host takes approvals: open its page in the browser"),
    copy: flag("where the DNS host takes approvals: copy the address of its page"),
    linkOnly: flag("where the DNS host takes approvals: print the address of its page, and do not wait for the approval"),
    meant: list("with --check: what was deleted or changed at this name was meant, and is not missed any more"),
  },
  schema: publishSchema,
  async run(request, context) {
    const { sheet } = request;
    if (sheet !== undefined && !/\.(md|html?)$/i.test(sheet)) throw new Failure("sheet-form", { given: sheet });
    if (request.meant.length > 0 && !request.check) throw new Failure("meant-with-check", {});
    if (request.page) return (await import("../sheet-page.ts")).showSheetPage(request, context);
    const outcome = await publish(request, context);
    if (sheet === undefined || outcome.result === undefined) return outcome;
    const { publishSheet } = await import("../../present/publishing/publish.ts");
    const text = publishSheet(outcome.result, /\.md$/i.test(sheet) ? "markdown" : "page");
    if (text === undefined) throw new Failure("nothing-by-hand", {});
    saveText(context, sheet, text);
    return outcome;
  },
  text: async (result, layout) => (await import("../../present/publishing/publish.ts")).publishText(result, layout),
});
