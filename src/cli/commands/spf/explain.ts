import { spfExplain, treeShape } from "../../../app/mail/spf-explain.ts";
import { command } from "../../command.ts";
import { resolverOptions } from "../../options.ts";

export default command({
  name: "spf explain",
  operands: "DOMAIN|RECORD",
  summary:
    "say in words who may send for a domain, what each part of its SPF record costs, and which parts are dead or dangerous",
  examples: [
    ["zandrel spf explain brackwater.example", "the record that is published"],
    ["zandrel spf explain 'v=spf1 ipv4:192.0.2.0/24 -all'", "a record before it is published, with its mistakes"],
  ],
  options: { ...resolverOptions },
  schema: treeShape,
  run: spfExplain,
  text: async (result, layout) => (await import("../../../present/mail/spf-explain.ts")).spfExplainText(result, layout),
});
