import type { Clause } from "../../core/clause/index.ts";
import { type DomainName, displayName, withoutRootDot } from "../../core/name/index.ts";
import type { RecordSet } from "../../core/record/index.ts";
import { inWords } from "../clauses/index.ts";
import { count, listOf } from "../english.ts";
import { visible } from "../safe.ts";
import { moment } from "../time.ts";
import { type Failings, known, problem, published, quote, type Said, say, set, undetermined, usage } from "./words.ts";

/** Something that an earlier part of the same run did, for the sentence about a later part that failed. */
interface AfterOthers {
  readonly before: string | undefined;
}

const nothingPublished = ({
  domain,
  because,
  remedy,
  before,
}: AfterOthers & { domain: DomainName; because: Clause; remedy: Clause }): Said =>
  say(
    `nothing was published for ${displayName(domain)}: ${visible(inWords(because))}${published(before)}`,
    visible(inWords(remedy)),
  );

export const PUBLISHING = {
  "publish-unseen": undetermined(({ because }: { because: Clause }) =>
    say(
      `nothing was published, because the zone could not be looked up: ${visible(inWords(because))}`,
      "try again when its server answers",
    ),
  ),
  "publish-clash": problem(({ domain, reasons }: { domain: DomainName; reasons: readonly Clause[] }) =>
    say(
      `nothing was published, because ${count(reasons.length, "thing")} ${reasons.length === 1 ? "is" : "are"} in the way: ${visible(reasons.map((reason, i) => (reasons.length === 1 ? inWords(reason) : `${i + 1}. ${inWords(reason)}`)).join("; "))}`,
      `zandrel draft ${withoutRootDot(domain)} shows the options; --only ASK publishes one of the other asks`,
    ),
  ),
  "zone-changed": problem(({ domain, because, before }: AfterOthers & { domain: DomainName; because: Clause }) =>
    say(
      `nothing was published for ${displayName(domain)}, because somebody changed the zone meanwhile: ${visible(inWords(because))}${published(before)}`,
      `run zandrel draft ${withoutRootDot(domain)} and decide again`,
    ),
  ),
  "accepted-not-shown": problem(
    ({
      to,
      domain,
      done,
      of,
      differences,
      before,
    }: AfterOthers & {
      to: string;
      domain: DomainName;
      done: number;
      of: number;
      differences: readonly string[];
    }) =>
      say(
        `${visible(to)} accepted the changes of ${displayName(domain)}, but its zone shows ${done} of ${of}: ${visible(differences.join("; "))}${published(before)}`,
        `ask the DNS host, and look again with zandrel draft ${withoutRootDot(domain)}`,
      ),
  ),
  "publication-unknown": undetermined(
    ({ domain, because, remedy, before }: AfterOthers & { domain: DomainName; because: Clause; remedy: Clause }) =>
      say(
        `it is not known whether all of ${displayName(domain)} was changed: ${visible(inWords(because))}${published(before)}`,
        visible(inWords(remedy)),
      ),
  ),
  "host-not-asked": problem(({ domain, title, servers }: { domain: DomainName; title: string; servers: readonly DomainName[] }) =>
    say(
      `${displayName(domain)} is served by ${listOf(servers.map(displayName))} and not by ${visible(title)}, so what is published there would not be seen`,
      `make the host that serves it the domain's host with zandrel host find ${withoutRootDot(domain)} --write, or change the name servers at the registrar first`,
    ),
  ),
  "publication-refused": problem(nothingPublished),
  "publication-unauthenticated": usage(nothingPublished),
  "publication-not-set-up": usage(nothingPublished),
  "publication-unreachable": undetermined(nothingPublished),
  "nothing-by-hand": problem(() => say("there is nothing to enter by hand, so no sheet was written", "see zandrel draft")),
  "sheet-form": usage(({ given }: { given: string }) =>
    say(`--sheet ${quote(given)} is neither a page nor Markdown`, "name a file that ends in .html or .md", "--sheet"),
  ),
  "nothing-to-undo": problem(({ domain }: { domain: DomainName }) =>
    say(`nothing was published for ${displayName(domain)} that could be undone`, "zandrel status shows where it stands"),
  ),
  "undo-unseen": undetermined(({ because }: { because: Clause }) =>
    say(
      `nothing was undone, because the zone could not be looked up: ${visible(inWords(because))}`,
      "try again when its name servers answer",
    ),
  ),
  "undo-changed": problem(
    ({
      name,
      type,
      published: was,
      now,
    }: {
      name: DomainName;
      type: string;
      published: RecordSet | undefined;
      now: RecordSet | undefined;
    }) =>
      say(
        `nothing was undone, because somebody changed ${displayName(name)} ${type} since: published was ${visible(set(was))}, now it is ${visible(set(now))}`,
        "change it by hand, or publish again",
      ),
  ),
  "retire-unseen": undetermined(({ domain }: { domain: DomainName }) =>
    say(`nothing was retired, because ${displayName(domain)} could not be looked up`, "try again when its name servers answer"),
  ),
  "nothing-to-watch": problem(({ domains }: { domains: readonly DomainName[] }) =>
    say(
      "nothing has been published yet that could be watched",
      `run zandrel draft ${domains.map(withoutRootDot).join(" ")} first`,
    ),
  ),
  "no-helper": usage(({ domain }: { domain: DomainName }) =>
    say(
      `the DNS host of ${displayName(domain)} is not reached by a helper program`,
      "set way: helper and command: under hosts: in zandrel.yaml",
      "zandrel.yaml",
    ),
  ),
  "calendar-without-launch": usage(() =>
    say("--calendar needs --launch TIME, because only a launch has a schedule", "add --launch TIME", "--calendar"),
  ),
  "launch-passed": usage(({ at, now }: { at: number; now: number }) =>
    say(`the launch time (${moment(at, now)}) has passed already`, "give a time in the future", "--launch"),
  ),
  "relocate-step": usage(() =>
    say("zandrel relocate needs a step and a domain", "for example: zandrel relocate capture brackwater.example"),
  ),
  "new-host": usage(({ known: words }: { known: readonly string[] }) =>
    say("--new-host does not name a DNS host", `name ${known(words, "one that is under hosts: in zandrel.yaml")}`, "--new-host"),
  ),
  "host-without-servers": usage(({ host, title }: { host: string; title: string }) =>
    say(
      `zandrel.yaml does not say where the name servers of ${visible(title)} are`,
      `add servers: [ADDRESS] under hosts: ${host}:`,
      "zandrel.yaml",
    ),
  ),
  "grant-broken": usage(({ path }: { path: string }) =>
    say(
      `what was approved at the DNS host cannot be read from ${visible(path)}`,
      "delete that file, and run zandrel host approve again",
      path,
    ),
  ),
  "approval-removes": problem(({ title, domain, sets }: { title: string; domain: DomainName; sets: readonly RecordSet[] }) =>
    say(
      `nothing was published, because ${visible(title)} would remove ${listOf(sets.map((recordSet) => `the ${recordSet.type} record of ${displayName(recordSet.name)} (${visible(set(recordSet))})`))}`,
      `look at it with zandrel draft ${withoutRootDot(domain)}; if it may go, run publish with --replace ${sets[0] === undefined ? "NAME" : withoutRootDot(sets[0].name)}`,
      "--replace",
    ),
  ),
  "approval-twice": problem(
    ({
      title,
      asks,
      others,
      provider,
      service,
    }: {
      title: string;
      asks: readonly string[];
      others: readonly string[];
      provider: string;
      service: string;
    }) =>
      say(
        `nothing was published, because ${visible(title)} keeps one instance of the template ${visible(service)} of ${visible(provider)}, and ${listOf([...asks, ...others])} need two`,
        `retire what is not needed any more: zandrel retire ${others[0] ?? "ASK"}, or zandrel retire ${asks[0] ?? "ASK"}`,
        provider,
      ),
  ),
  "signing-key-kind": usage(({ path, provider }: { path: string; provider: string }) =>
    say(
      `${visible(path)} is not an RSA key, and links for templates of ${visible(provider)} are signed with RSA`,
      `make one with openssl genrsa 2048, publish it as ${visible(provider)} says, and name it in zandrel.yaml under signing`,
      "zandrel.yaml",
    ),
  ),
  "approval-unseen": undetermined(({ title, domain, because }: { title: string; domain: DomainName; because: Clause }) =>
    say(
      `whether ${visible(title)} takes approvals for ${displayName(domain)} could not be asked: ${visible(inWords(because))}`,
      `try again later, or publish in another way: zandrel host find ${withoutRootDot(domain)} says which there are`,
    ),
  ),
  "not-approvable": problem(({ title, domain, because }: { title: string; domain: DomainName; because: Clause }) =>
    say(
      `${visible(title)} takes no approval for ${displayName(domain)}: ${visible(inWords(because))}`,
      `publish in another way: zandrel host find ${withoutRootDot(domain)} says which there are`,
    ),
  ),
  "nothing-to-approve": problem(({ domain, host }: { domain: DomainName; host: string }) =>
    say(
      `no ask of ${displayName(domain)} is from a template, so there is nothing to approve at ${visible(host)}`,
      "save the asks with zandrel intake --kit first, from a kit that is a template",
    ),
  ),
  /** `kept` names those who were approved just before. */
  "not-approved": problem(
    ({ title, provider, because, kept }: { title: string; provider: string; because: Clause; kept: readonly string[] }) =>
      say(
        `nothing of ${visible(provider)} was approved at ${visible(title)}: ${visible(inWords(because))}`,
        `${kept.length === 0 ? "" : `what was approved for ${listOf(kept.map(visible))} is kept; `}run it again, or publish without it: the rest comes as a sheet`,
      ),
  ),
  "between-form": usage(({ given }: { given: string }) =>
    say(`--between ${quote(given)} is not two moments`, "write FROM..UNTIL, such as 2026-03-02..2026-03-09", "--between"),
  ),
  "history-file": usage(() =>
    say("a zone file holds one domain at one moment", "name one domain, and the moment with --on", "--file"),
  ),
  "host-transfer": usage(() =>
    say(
      "the key for fetching whole zones has a name and a secret, and only one of them was given",
      "give both --transfer-key NAME and --transfer-secret env:NAME or file:PATH",
    ),
  ),
  "new-host-unsigned": usage(({ title, domain }: { title: string; domain: DomainName }) =>
    say(
      `${displayName(domain)} cannot stay signed through the move, because ${visible(title)} has no DNSSEC keys for it`,
      "have the new host sign the zone first, or leave out --stay-signed",
    ),
  ),
  "new-host-refuses": problem(({ title, domain, because }: { title: string; domain: DomainName; because: Clause }) =>
    say(
      `nothing was compared, because ${visible(title)} does not answer for ${displayName(domain)} (${visible(inWords(because))})`,
      "create the zone there and enter the captured records first",
    ),
  ),
  "new-host-unseen": undetermined(({ title, domain, because }: { title: string; domain: DomainName; because: Clause }) =>
    say(
      `nothing was compared, because ${visible(title)} could not be asked about ${displayName(domain)} (${visible(inWords(because))})`,
      "check its servers: in zandrel.yaml, and try again later",
    ),
  ),
} satisfies Failings;
