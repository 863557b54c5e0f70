import { dmarcCompose, dmarcComposeSchema } from "../../../app/mail/dmarc-compose.ts";
import { FAILURES_WHEN, type FailuresWhen, POLICIES } from "../../../core/dmarc/index.ts";
import { command } from "../../command.ts";
import { choice, flag, list, resolverOptions, shared } from "../../options.ts";

export default command({
  name: "dmarc compose",
  operands: "DOMAIN",
  summary: "compose a DMARC record from a few answers, with guard rails against stopping your own mail",
  examples: [
    ["zandrel dmarc compose brackwater.example --reports-to dmarc@brackwater.example", "the first record: watch, stop nothing"],
    [
      "zandrel dmarc compose brackwater.example --policy quarantine --gradual --reports-to dmarc@brackwater.example --write",
      "tighten it, and save the ask",
    ],
    [
      "zandrel dmarc compose brackwater.example --reports-to dmarc@brackwater.example --failures-to failures@brackwater.example --failures-when dkim-fails",
      "also be told of single messages whose signature fails",
    ],
    ["zandrel dmarc compose puppetfest.example --policy reject --force --no-reports", "a domain that sends no mail at all"],
  ],
  options: {
    ...resolverOptions,
    policy: choice(POLICIES, "what receivers do with mail that fails", { default: "none" }),
    subdomains: choice(POLICIES, "the same for subdomains (as the domain if not given)"),
    nonexistent: choice(POLICIES, "the same for subdomains that do not exist"),
    reportsTo: list("address for daily reports"),
    failuresTo: list("address for reports on single messages"),
    failuresWhen: choice(Object.keys(FAILURES_WHEN) as FailuresWhen[], "when they are sent (fo=; nothing passes if not given)"),
    reports: flag("--no-reports if no reports are wanted", { default: true }),
    strictDkim: flag("a signature counts only for the very domain in From"),
    strictSpf: flag("SPF counts only for the very domain in From"),
    gradual: flag("try it out: receivers apply one step milder"),
    force: flag("a strict policy although no reports were seen that allow it"),
    service: shared.service,
    write: flag("save the record as an ask"),
  },
  schema: dmarcComposeSchema,
  run: dmarcCompose,
  text: async (result, layout) => (await import("../../../present/mail/dmarc-compose.ts")).dmarcComposeText(result, layout),
});
