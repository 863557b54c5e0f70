import { relative, resolve } from "node:path";
import { type Dossier, dossier, dossierSchema, expectMailRoute, mailDossier, rememberDossier } from "../../app/fleet/dossier.ts";
import { command } from "../command.ts";
import { choice, flag, list, number, resolverOptions, shared, text } from "../options.ts";

export default command({
  name: "dossier",
  operands: "[DOMAIN..]",
  summary: "pages for people who do not use terminals: where every domain stands, what is to mend, who sends, what changed",
  examples: [
    ["zandrel dossier", "a page for every domain of the workspace and an index, in the folder dossier"],
    ["zandrel dossier brackwater.example --format markdown --folder notes", "one domain as Markdown"],
    [
      "zandrel dossier --mail-to director@brackwater.example --service swiftquill --from tickets@brackwater-tickets.example",
      "the pages by mail, through a service of the workspace",
    ],
  ],
  options: {
    ...resolverOptions,
    days: number("how many days of reports are told, from the newest", { default: 365, min: 1, max: 3660 }),
    format: choice(["html", "markdown"], "pages for a browser, or Markdown (JSON: --json, without files)", { default: "html" }),
    folder: text("the folder that the files are written into", { default: "dossier" }),
    mailTo: list("send it to this address"),
    service: shared.service,
    from: text("the sender address of that message"),
    force: flag("replace files of the folder that are not from a dossier"),
  },
  schema: dossierSchema,
  async run(request, context) {
    expectMailRoute(request.mailTo, request.service, request.from);
    const made = await dossier(request, context);
    const { DOSSIER_MARK, dossierFiles, dossierText } = await import("../../present/fleet/dossier.ts");
    const { writeFiles } = await import("../../app/fleet/dossier-files.ts");
    const files = dossierFiles(made, request.format);
    const folder = resolve(context.cwd, request.folder);
    const paths = context.json
      ? []
      : writeFiles(folder, files, DOSSIER_MARK, request.force).map((path) => relative(context.cwd, path));
    const result: Dossier = { ...made, files: paths, mailed: [] };
    const contentType = request.format === "html" ? "text/html; charset=utf-8" : "text/markdown; charset=utf-8";
    const plain = { style: (await import("../../present/index.ts")).styleFor(false), width: 76 };
    const mailed = await mailDossier(
      { to: request.mailTo, service: request.service, from: request.from },
      {
        subject: `Where the domains of ${made.organisation} stand`,
        text: dossierText({ ...result, files: [] }, plain),
        attachments: files.map(({ name, text: content }) => ({ filename: name, content: Buffer.from(content), contentType })),
      },
      request,
      context,
    );
    const all = { ...result, mailed: [...mailed] };
    await rememberDossier(made, request, context);
    return { ended: mailed.every(({ sent }) => sent) ? "fine" : "problem", result: all };
  },
  json: async (result) => (await import("../../present/fleet/dossier.ts")).dossierJson(result),
  text: async (result, layout) => (await import("../../present/fleet/dossier.ts")).dossierText(result, layout),
});
