import { dmarcExplain, dmarcExplainSchema } from "../../../app/mail/dmarc-explain.ts";
import { command } from "../../command.ts";
import { choice, resolverOptions } from "../../options.ts";

export default command({
  name: "dmarc explain",
  operands: "DOMAIN|RECORD",
  summary: "say in words what a DMARC record does to real and to forged mail, for the domain and its subdomains",
  examples: [
    ["zandrel dmarc explain brackwater.example", "the record that is published"],
    ["zandrel dmarc explain 'v=DMARC1; p=quarrantine'", "a record before it is published, with its mistakes"],
  ],
  options: {
    ...resolverOptions,
    discovery: choice(
      ["tree-walk", "suffix-list"],
      "find the policy by the walk up the tree, or by the public suffix list of RFC 7489",
      {
        default: "tree-walk",
      },
    ),
  },
  schema: dmarcExplainSchema,
  run: dmarcExplain,
  text: async (result, layout) => (await import("../../../present/mail/dmarc-explain.ts")).dmarcExplainText(result, layout),
});
