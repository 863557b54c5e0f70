import { command } from "../command.ts";
import { publish, publishSchema } from "../../app/publishing/publish.ts";
import { text, flag } from "../options.ts";
import { publishText } from "../../present/publishing/publish.ts";
import { DRAFTING } from "./draft.ts";

/** The options of the commands that carry something out. */
export const publishOptions = {
  resolver: {
    type: "string",
    array: true,
    requiresArg: true,
    describe: "ask this resolver instead of the workspace's vantages (repeatable)",
  },
  timeout: { type: "number", default: 5, requiresArg: true, describe: "longest wait for one answer, in seconds" },
} as const;

export default command({
  name: "publish",
  operands: "[DOMAIN..]",
  summary: "carry the draft out: by signed dynamic update, helper program, into a master file, or as a sheet to fill in",
  examples: [
    ["zandrel publish brackwater.example", "the way its DNS host is reached"],
    ["zandrel publish brackwater.example --into brackwater.zone", "edit a master file in place"],
    ["zandrel publish brackwater.example --sheet entries.html", "a page to print, for a host that is reached by hand"],
    ["zandrel publish brackwater.example --check", "afterwards: what was entered wrongly, and how"],
  ],
  options: { ...DRAFTING,
...publishOptions,
sheet: text("also write the fill-in sheet into this file, .md or .html"),
check: flag("look whether what was to be entered by hand is there, and what went wrong") },
  schema: publishSchema,
  run: publish,
  text: publishText,
});
