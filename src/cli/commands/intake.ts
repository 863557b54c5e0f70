import { intake } from "../../app/asks/intake.ts";
import { intakeSchema } from "../../app/asks/intake-schema.ts";
import { PURPOSES } from "../../core/ask/index.ts";
import { command } from "../command.ts";
import { choice, flag, list, shared, text } from "../options.ts";

export default command({
  name: "intake",
  operands: "[FILE|-]",
  summary: "save what a service asked for, from what its page shows, a file or options",
  examples: [
    ["zandrel intake", "paste on the terminal, finish with Ctrl-D"],
    ["zandrel intake seekmere.txt --service seekmere --dry-run", "show what would be saved, write nothing"],
    ["zandrel intake --kit heronpost --input account=brackwater", "the asks of a kit, its inputs filled in"],
    ["zandrel intake --service seekmere --type TXT --host @ --value seekmere-owner=4f1d0c77a2", "without a paste"],
  ],
  options: {
    domain: shared.domain,
    service: shared.service,
    addService: text("the name of a service that is not in zandrel.yaml yet"),
    purpose: choice(PURPOSES, "what it is for, if the records do not show it"),
    id: text("the id of the ask (SERVICE-PURPOSE if not given)"),
    type: text("record type, with --value"),
    host: text("host as the service shows it, with --value; with --kit, the host below the domain that it is for"),
    value: text("value as the service shows it"),
    priority: text("priority of an MX record, with --value"),
    ttl: text("TTL of the record, such as 3600 or 1h, with --value"),
    kit: text("save the asks of this kit: a name from the kits folder, a file, or an https address"),
    input: list("fill an input of the kit: NAME=VALUE"),
    acceptKit: flag("use a kit from an address although it changed since it was agreed to"),
    insteadOf: list("the id of an older ask whose place this takes, as the one of its purpose"),
    acceptLeftover: flag("save it although parts of the paste were not understood"),
    choose: list("answer a question beforehand: QUESTION=ANSWER"),
    explain: flag("show the page with what each part of it was taken for, and write nothing"),
    dryRun: shared.dryRun,
  },
  schema: intakeSchema,
  json: async (result) => (await import("../../present/asks/intake.ts")).intakeJson(result),
  run: intake,
  text: async (result, layout) => (await import("../../present/asks/intake.ts")).intakeText(result, layout),
});
