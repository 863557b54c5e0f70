import { type Clause, clause } from "../clause/index.ts";
import type { Term } from "./parse.ts";

/** What a term says, for people who do not know SPF; `included` where it stands in a record that another one includes. */
export function describeTerm(term: Term, included = false): Clause {
  if (term.kind === "modifier") {
    if (term.name === "redirect") return clause("spf-says-redirect", { domain: term.value });
    if (term.name === "exp") return clause("spf-says-explanation", { domain: term.value });
    return clause("spf-says-nothing");
  }
  const { name, qualifier, domain, prefix4, prefix6 } = term;
  switch (name) {
    case "all":
      return clause("spf-says-all", { qualifier, included });
    case "ip4":
    case "ip6":
      return clause("spf-says-address", { qualifier, address: term.address ?? "", prefix: prefix4 ?? prefix6 });
    default:
      return clause("spf-says-servers", { mechanism: name, qualifier, domain, prefix4, prefix6 });
  }
}
