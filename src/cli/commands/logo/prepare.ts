import { logoPrepare, logoPrepareSchema } from "../../../app/logo/prepare.ts";
import { saveText } from "../../../app/save.ts";
import { command } from "../../command.ts";
import { flag, shared, text } from "../../options.ts";

export default command({
  name: "logo prepare",
  operands: "FILE.svg",
  summary:
    "make a drawing keep to the profile that logos in mail need (SVG Tiny PS), without changing how it looks, and compose its record",
  examples: [
    ["zandrel logo prepare logo.svg --html logo.html", "the clean drawing, and a page that shows both as mailboxes would"],
    [
      "zandrel logo prepare logo.svg --address https://www.brackwater.example/logo.svg --write",
      "with the record for it, saved as an ask of your own",
    ],
  ],
  options: {
    title: text("the title of the drawing, which readers hear (the organisation if not given)"),
    into: text("where the clean drawing is written (FILE-tiny-ps.svg if not given)"),
    html: text("also write a page with both, round and square, small and large, light and dark"),
    address: text("the https address at which the drawing will be, for the record"),
    evidenceAddress: text("the https address of the evidence for it, where there is some"),
    domain: shared.domain,
    force: flag("replace the file if it is there"),
    write: shared.write,
  },
  schema: logoPrepareSchema,
  async run(request, context) {
    const outcome = await logoPrepare(request, context);
    if (request.html !== undefined && outcome.result !== undefined) {
      const { logoPage } = await import("../../../present/logo/page.ts");
      saveText(context, request.html, logoPage(outcome.result));
    }
    return outcome;
  },
  json: ({ result }) => result,
  text: async ({ result }, layout) => (await import("../../../present/logo/prepare.ts")).logoPrepareText(result, layout),
});
