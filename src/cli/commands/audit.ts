import { auditDomains, auditDomainsSchema } from "../../app/audit/audit.ts";
import { SEVERITIES } from "../../core/audit/index.ts";
import { command } from "../command.ts";
import { choice, flag, list, resolverOptions } from "../options.ts";

const FORMATS = ["text", "csv", "junit", "sarif"] as const;

export default command({
  name: "audit",
  operands: "[DOMAIN..]",
  summary: "everything that is wrong with a domain's delegation, mail, keys, policies and site, what it means, and what to do",
  examples: [
    ["zandrel audit brackwater.example", "one domain, the worst first"],
    ["zandrel audit brackwater.example puppetfest.example --fail-on breaks --format junit", "for a pipeline"],
    ["zandrel audit brackwater.example --zone-file brackwater.example.zone", "a zone before it is published"],
    ["zandrel audit --list", "all that it can say"],
  ],
  options: {
    ...resolverOptions,
    selector: list("a DKIM selector to look at (repeatable; those of the workspace and usual ones are looked at anyway)"),
    failOn: choice([...SEVERITIES, "never"], "end with 1 from this severity upwards", { default: "risks" }),
    format: choice(FORMATS, "text, CSV for spreadsheets, JUnit XML or SARIF for pipelines (JSON: --json)", { default: "text" }),
    list: flag("print the catalogue of findings"),
  },
  schema: auditDomainsSchema,
  async run(request, context) {
    const { ended, result } = await auditDomains(request, context);
    const { format, failOn } = request;
    if (result === undefined || context.json || format === "text") return result === undefined ? { ended } : { ended, result };
    const { auditReport } = await import("../../present/audit/audit.ts");
    await context.write(Buffer.from(auditReport(result, format, failOn)));
    return { ended };
  },
  json: async (result) => (await import("../../present/audit/audit.ts")).auditJson(result),
  text: async (result, layout) => (await import("../../present/audit/audit.ts")).auditText(result, layout),
});
