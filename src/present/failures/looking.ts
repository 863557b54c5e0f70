import type { Clause } from "../../core/clause/index.ts";
import { type DomainName, displayName } from "../../core/name/index.ts";
import { inWords } from "../clauses/index.ts";
import { visible } from "../safe.ts";
import { type Failings, problem, quote, say, undetermined, usage } from "./words.ts";

/** Where a resolver is named. */
type Where = "option" | "machine" | { readonly vantage: string };
const resolverOf = (where: Where): string =>
  where === "option"
    ? "--resolver"
    : where === "machine"
      ? "this machine's resolver"
      : `the vantage ${visible(where.vantage)} in zandrel.yaml`;

export const LOOKING = {
  "no-system-resolver": usage(({ where }: { where: Where }) =>
    say(`${resolverOf(where)}: this machine has no resolver configured`, "name one with --resolver ADDRESS", "--resolver"),
  ),
  "not-a-resolver": usage(({ where, given }: { where: Where; given: string }) =>
    say(
      `${resolverOf(where)}: ${quote(given)} is not a resolver`,
      "write ADDRESS, ADDRESS:PORT or an https URL",
      where === "option" ? "--resolver" : "zandrel.yaml",
    ),
  ),
  "domain-unserved": problem(({ domain, because }: { domain: DomainName; because: Clause }) =>
    say(
      `nobody serves ${displayName(domain)}: ${visible(inWords(because))}`,
      "check how it is spelt; if it is right, enter the DNS host's name servers at the registrar",
    ),
  ),
  "domain-unseen": undetermined(({ domain, because }: { domain: DomainName; because: Clause }) =>
    say(`${displayName(domain)} could not be looked up at its name servers: ${visible(inWords(because))}`, "try again later"),
  ),
  "zone-unseen": undetermined(({ because }: { because: Clause }) =>
    say(
      `nothing was changed, because the zone could not be looked up: ${visible(inWords(because))}`,
      "try again when its server answers",
    ),
  ),
  "no-web-in-files": usage(() =>
    say("zandrel site looks at web servers, which are not in zone files", "leave --zone-file out", "--zone-file"),
  ),
  "no-server-in-files": usage(() =>
    say("a mail server cannot be reached through zone files", "leave --zone-file out", "--zone-file"),
  ),
} satisfies Failings;
