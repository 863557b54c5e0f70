import { displayName, parseName } from "../name/index.ts";
import type { Term } from "./parse.ts";

const WHAT = { "+": "allowed", "-": "refused", "~": "suspicious", "?": "neither allowed nor refused" } as const;

const shown = (domain: string | undefined): string => {
  if (domain === undefined) return "this domain";
  if (domain.includes("%")) return `a name made from the message (${domain})`;
  const parsed = parseName(domain);
  return parsed.ok ? displayName(parsed.value) : domain;
};

/** What a term says, for people who do not know SPF; `included` where it stands in a record that another one includes. */
export function branchWords(term: Term, included = false): string {
  if (term.kind === "modifier") {
    if (term.name === "redirect") return `everything else is decided by the record of ${shown(term.value)}`;
    if (term.name === "exp") return `senders that are refused are told the text at ${shown(term.value)}`;
    return "has no meaning for receivers";
  }
  const is = WHAT[term.qualifier];
  const around = [
    ...(term.prefix4 === undefined ? [] : [`/${term.prefix4}`]),
    ...(term.prefix6 === undefined ? [] : [`/${term.prefix6} of IPv6`]),
  ].join(" and ");
  const block = around === "" ? "" : ` and everything in its block (${around})`;
  switch (term.name) {
    case "all":
      // Of an included record only its yes counts (RFC 7208 section 5.2).
      if (included && term.qualifier !== "+") return "everyone else: later terms decide";
      return term.qualifier === "+" ? "everyone else is allowed" : `everyone else is ${is}`;
    case "include":
      return term.qualifier === "+"
        ? `servers that ${shown(term.domain)} allows`
        : `servers that ${shown(term.domain)} allows are ${is}`;
    case "a":
      return `the address of ${shown(term.domain)}${block}${term.qualifier === "+" ? "" : ` is ${is}`}`;
    case "mx":
      return `the mail servers of ${shown(term.domain)}${block}${term.qualifier === "+" ? "" : ` are ${is}`}`;
    case "ptr":
      return `servers that call themselves ${shown(term.domain)}`;
    case "exists":
      return `servers for which ${shown(term.domain)} has an address`;
    default: {
      const prefix = term.prefix4 ?? term.prefix6;
      const text = `${term.address}${prefix === undefined ? "" : `/${prefix}`}`;
      return term.qualifier === "+" ? `the ${prefix === undefined ? "address" : "addresses"} ${text}` : `${text} is ${is}`;
    }
  }
}
