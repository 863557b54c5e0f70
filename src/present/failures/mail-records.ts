import type { Clause } from "../../core/clause/index.ts";
import { type DomainName, displayName } from "../../core/name/index.ts";
import { inWords } from "../clauses/index.ts";
import { listOf } from "../english.ts";
import { visible } from "../safe.ts";
import { deadline } from "../time.ts";
import { type Failings, problem, quote, say, undetermined, usage } from "./words.ts";

export const MAIL_RECORDS = {
  "spf-term": usage(({ found, because, meant: suggestion }: { found: string; because: Clause; meant: string | undefined }) =>
    say(
      `${quote(found)} is not an SPF term: ${visible(inWords(because))}`,
      suggestion === undefined ? "correct it" : `write ${visible(suggestion)} instead`,
    ),
  ),
  "spf-unseen": undetermined(({ domain, because }: { domain: string; because: Clause }) =>
    say(
      `the SPF record of ${visible(domain)} could not be looked up (${visible(inWords(because))})`,
      "try again, or ask another resolver with --resolver",
    ),
  ),
  "spf-unusable": problem(({ because }: { because: Clause }) =>
    say(`the SPF record cannot be used: ${visible(inWords(because))}`, "correct the published record first"),
  ),
  "spf-none": problem(({ domain }: { domain: string }) =>
    say(
      `${visible(domain)} has no SPF record, and no service asks for one`,
      "name a term, such as include:spf.heronpost.example",
    ),
  ),
  "flatten-include": usage(() =>
    say(
      "it is not clear which include to replace",
      "for example: zandrel spf flatten brackwater.example --include spf.heronpost.example",
      "--include",
    ),
  ),
  "cannot-flatten": problem(({ term, because }: { term: string; because: Clause }) =>
    say(`${visible(term)} cannot be replaced by addresses: ${visible(inWords(because))}`, "leave it as it is"),
  ),
  "dmarc-unseen": undetermined(({ domain, because }: { domain: DomainName; because: Clause }) =>
    say(
      `the DMARC record of ${displayName(domain)} could not be looked up (${visible(inWords(because))})`,
      "try again, or ask another resolver with --resolver",
    ),
  ),
  "key-unseen": undetermined(({ name, because }: { name: DomainName; because: Clause }) =>
    say(`${displayName(name)} could not be looked up (${visible(inWords(because))})`, "try again later"),
  ),
  "key-ask-there": usage(({ path, ask }: { path: string; ask: string }) =>
    say(`${path} already has the ask ${ask}`, "choose another selector with --selector", "--selector"),
  ),
  "rotation-selectors": usage(() =>
    say(
      "a rotation needs one domain, the selector in use and the new one",
      "for example: zandrel dkim rotate brackwater.example --old-selector z202603 --new-selector z202609",
    ),
  ),
  "rotate-no-key": problem(({ name, selectors }: { name: DomainName; selectors: readonly string[] }) =>
    say(
      `there is no key at ${displayName(name)}, so that there is nothing to replace`,
      selectors.length === 0
        ? "name the selector that mail is signed with today, as s= in its DKIM-Signature says"
        : `name the selector in use: ${listOf(selectors.map(visible), "disjunction")}`,
      "--old-selector",
    ),
  ),
  "switch-too-early": problem(({ selector, name, because }: { selector: string; name: DomainName; because: Clause }) =>
    say(
      `mail signed with ${visible(selector)} would fail, because there is no usable key at ${displayName(name)} (${visible(inWords(because))})`,
      "publish the key first with zandrel publish, and switch when everyone sees it",
      "--switched",
    ),
  ),
  "revoke-too-early": problem(({ selector, until, now }: { selector: string; until: number | undefined; now: number }) =>
    say(
      until === undefined
        ? `the switch away from ${visible(selector)} has not been recorded yet`
        : `mail signed with ${visible(selector)} may still be on its way until ${deadline(until, now)}`,
      "wait, or add --force if the old key was stolen",
    ),
  ),
  "not-a-private-key": usage(({ path }: { path: string }) =>
    say(
      `${visible(path)} holds no private key that can be read`,
      "give a PEM file without a passphrase, such as zandrel dkim new writes",
      path,
    ),
  ),
} satisfies Failings;
