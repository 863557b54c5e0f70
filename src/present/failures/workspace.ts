import type { Clause } from "../../core/clause/index.ts";
import { type DomainName, displayName, withoutRootDot } from "../../core/name/index.ts";
import { inWords } from "../clauses/index.ts";
import { listOf } from "../english.ts";
import { visible } from "../safe.ts";
import { type Failings, line, meant, type Place, quote, say, type Unknown, usage } from "./words.ts";

/** What a way to publish needs to know. */
type HostField = "file" | "server" | "keyName" | "secret" | "command";

/** The options by which `host set` is told what a way needs. */
const HOST_OPTIONS: Readonly<Record<HostField, string>> = {
  file: "--file FILE, the zone file",
  server: "--server ADDRESS, the primary server",
  keyName: "--key-name NAME, the name of the TSIG key",
  secret: "--secret env:NAME or --secret file:PATH, where the key's secret is kept",
  command: "--command 'PROGRAM ARGUMENTS', the helper program",
};

export const WORKSPACE = {
  "no-workspace": usage(({ folder }: { folder: string | undefined }) =>
    say(
      `there is no workspace ${folder === undefined ? "in this folder or above it" : `in ${visible(folder)}`}`,
      "start one with zandrel init DOMAIN",
    ),
  ),
  "needs-workspace": usage(() => say("this needs a workspace", "start one with zandrel init DOMAIN")),
  "no-domain": usage(() => say("this workspace has no domain yet", "add one with zandrel init DOMAIN")),
  "which-domain": usage(({ domains }: { domains: readonly DomainName[] }) =>
    say(
      "the paste does not say which domain it is for",
      `add --domain with one of ${listOf(domains.map(displayName), "disjunction")}`,
      "--domain",
    ),
  ),
  "unknown-domain": usage(({ domain, known: all }: { domain: DomainName; known: readonly DomainName[] }) =>
    say(
      `${displayName(domain)} is not a domain of this workspace${meant(displayName(domain), all.map(displayName))}`,
      `add it with zandrel init ${withoutRootDot(domain)}`,
    ),
  ),
  "domain-twice": usage(({ path, other, domain }: { path: string; other: string; domain: DomainName }) =>
    say(`${path} and ${other} both describe ${displayName(domain)}`, "keep one of the two files", path),
  ),
  "domain-there": usage(({ domain }: { domain: DomainName }) =>
    say(`${displayName(domain)} is already in this workspace`, "see zandrel status"),
  ),
  "redirect-within": usage(({ domain, to }: { domain: DomainName; to: DomainName }) =>
    say(
      `${displayName(domain)} cannot redirect to ${displayName(to)}, which is a part of it`,
      "name the other domain; that www leads to the domain itself needs no setting",
      "--redirect-to",
    ),
  ),
  "not-in-workspace": usage(({ domain }: { domain: DomainName }) =>
    say(
      `${displayName(domain)} is in no workspace, so nothing can be saved for it`,
      `add it with zandrel init ${withoutRootDot(domain)}`,
    ),
  ),
  "unknown-host": usage(({ given, known: words }: Unknown) =>
    say(
      `${quote(given)} is not a DNS host of zandrel.yaml${meant(given, words)}`,
      `add it with zandrel host set KEY --title NAME`,
      "--dns-host",
    ),
  ),
  "host-key": usage(({ given }: { given: string }) =>
    say(
      `${quote(given)} cannot be the key of a DNS host`,
      "use a short word of small letters, digits and hyphens, such as nettlehost",
      given,
    ),
  ),
  "host-needs": usage(({ way, field }: { way: string; field: HostField }) =>
    say(`publishing by ${way} needs to know more`, `add ${HOST_OPTIONS[field]}`, HOST_OPTIONS[field].split(" ")[0]),
  ),
  "host-option": usage(({ option, way }: { option: string; way: string }) =>
    say(
      `--${option.replace(/[A-Z]/g, (letter) => `-${letter.toLowerCase()}`)} has no use with --way ${way}`,
      "leave one of the two out",
      "--way",
    ),
  ),
  "host-form": usage(({ given }: { given: string }) =>
    say(
      `--form ${quote(given)} is not of the form FIELD=VALUE`,
      "name a field of the DNS host's form, such as --form apex=empty or --form ttl=300,3600",
      "--form",
    ),
  ),
  "host-entry": usage(({ found, because }: { found: string; because: Clause }) =>
    say(`${found === "" ? "a value" : quote(found)} cannot be saved: ${visible(inWords(because))}`, "correct that option", found),
  ),
  "settings-there": usage(({ from }: { from: string }) =>
    say("zandrel.yaml already exists here", `copy what you want from ${visible(from)} into it by hand`, "zandrel.yaml"),
  ),
  "no-host": usage(({ path }: { path: string }) =>
    say(
      `${path} names no DNS host`,
      "name it with zandrel host set KEY --domain DOMAIN, or publish into a zone file with --into FILE",
      path,
    ),
  ),
  "host-server": usage(({ given }: { given: string }) =>
    say(
      `${quote(given)} is not the address of a server`,
      "write ADDRESS or ADDRESS:PORT, such as 192.0.2.53, where hosts: in zandrel.yaml or the option has it",
    ),
  ),
  "unknown-key": usage(({ at, given, known: words, what, section }: Unknown & { at: Place; what: string; section: string }) =>
    say(
      `${at}: ${quote(given)} is not a ${what} of zandrel.yaml${meant(given, words)}`,
      `correct it, or add it under ${section}: there`,
      at,
    ),
  ),
  "id-twice": usage(({ at, first, ask }: { at: Place; first: Place; ask: string }) =>
    say(`the id ${quote(ask)} is used twice, at ${first} and at ${at}`, "give one of the two asks another id there", at),
  ),
  "ask-records": usage(
    ({
      at,
      ask,
      line: row,
      column,
      found,
      expected,
    }: {
      at: Place;
      ask: string;
      line: number;
      column: number;
      found: string;
      expected: Clause;
    }) =>
      say(
        `${at}: line ${row} of the records of ${ask}, column ${column}: ${line(found, inWords(expected))}`,
        "correct that line",
        at,
      ),
  ),
  "ask-spf": usage(
    ({ at, found, because, meant: suggestion }: { at: Place; found: string; because: Clause; meant: string | undefined }) =>
      say(
        `${at}: ${quote(found)} is wrong: ${visible(inWords(because))}`,
        suggestion === undefined ? "correct the term" : `write ${visible(suggestion)} instead`,
        at,
      ),
  ),
  "ask-after": usage(({ at, given }: { at: Place; given: string }) =>
    say(`${at}: ${quote(given)} is not an ask of this file`, "correct the id, or save that ask first", at),
  ),
  "variable-not-set": usage(({ name, what }: { name: string; what: Clause }) =>
    say(
      `the environment variable ${name}, which holds ${visible(inWords(what))}, is not set`,
      "set it and run the command again",
      name,
    ),
  ),
  "secret-empty": usage(({ path, what }: { path: string; what: Clause }) =>
    say(`${path}, which holds ${visible(inWords(what))}, is empty`, "put the secret into it", path),
  ),
  "tsig-base64": usage(({ place, host }: { place: string; host: string }) =>
    say(`${place}, the TSIG key of ${visible(host)}, is not base64`, "copy the whole key again", place),
  ),
} satisfies Failings;
