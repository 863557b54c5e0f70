import type { Clause } from "../../core/clause/index.ts";
import { inWords } from "../clauses/index.ts";
import { visible } from "../safe.ts";
import { type Failings, problem, quote, say, undetermined, usage } from "./words.ts";

export const SERVICES = {
  "no-smtp-settings": usage(({ service, title }: { service: string; title: string }) =>
    say(
      `${visible(title)} has no SMTP settings`,
      `write host, port, tls, user and password under services: ${service}: submission: in zandrel.yaml`,
      "zandrel.yaml",
    ),
  ),
  "no-link": usage(({ title }: { title: string }) =>
    say(`${visible(title)} has no link in zandrel.yaml`, "add link: there, or use --via smtp", "zandrel.yaml"),
  ),
  "not-offered": usage(({ title, offer, otherwise }: { title: string; offer: string | undefined; otherwise: Clause }) =>
    say(
      `${visible(title)} ${offer === undefined ? "has no link in zandrel.yaml" : `does not offer ${offer} over its link`}`,
      visible(inWords(otherwise)),
    ),
  ),
  "service-unseen": undetermined(({ title, because }: { title: string; because: Clause }) =>
    say(`${visible(title)} could not be asked: ${visible(inWords(because))}`, "try again later"),
  ),
  "service-refused": problem(({ title, what, because, key }: { title: string; what: Clause; because: Clause; key: boolean }) =>
    say(
      `${visible(title)} did not ${visible(inWords(what))}: ${visible(inWords(because).replace(/\.$/, ""))}`,
      key ? "give it a key that is allowed to, under services: in zandrel.yaml" : "see what it says, and correct that first",
    ),
  ),
  "no-credential": usage(({ service, title }: { service: string; title: string }) =>
    say(
      `there is no credential of ${visible(title)} for this domain`,
      `make one with zandrel sender credential ${service} --new mail --domain DOMAIN`,
    ),
  ),
  "unknown-credential": usage(({ given, service, title }: { given: string; service: string; title: string }) =>
    say(`there is no credential ${quote(given)} of ${visible(title)} here`, `see them with zandrel sender credential ${service}`),
  ),
  "as-without-environment": usage(() =>
    say("--as names a variable of an environment file", "name the file with --environment too", "--as"),
  ),
  "two-places": usage(() => say("--secret-file and --environment are two places", "give one of them", "--secret-file")),
  "variable-name": usage(({ given }: { given: string }) =>
    say(`--as ${quote(given)} cannot be the name of an environment variable`, "use letters, digits and _", "--as"),
  ),
  "credential-scope": usage(() =>
    say(
      "it is not clear what the credential is good for",
      "add --domain DOMAIN for one domain, or --all-domains for every domain of the account",
      "--domain",
    ),
  ),
  "credential-one-action": usage(() => say("--new, --keep and --end are three different things", "give one of them")),
  "keep-without-user": usage(() => say("--keep needs --user, the name that belongs to the secret", "add --user NAME", "--user")),
  "no-secret-given": usage(() =>
    say("standard input holds no secret on one line", "pipe it in, for example from a password manager", "standard input"),
  ),
  "secret-not-kept": usage(({ undone, because }: { undone: Clause; because: string }) =>
    say(`the secret could not be kept, ${visible(inWords(undone))}`, `fix this, then run the command again: ${visible(because)}`),
  ),
  "key-place": usage(() => say("--link-key does not say where the key is kept", "write env:NAME or file:PATH", "--link-key")),
  "address-unseen": undetermined(({ host, because }: { host: string; because: Clause }) =>
    say(`the address of ${visible(host)} could not be looked up: ${visible(inWords(because))}`, "try again later"),
  ),
  "no-address": problem(({ host, title }: { host: string; title: string }) =>
    say(
      `${visible(host)} has no address`,
      `correct the host under submission: in zandrel.yaml, or ask ${visible(title)}`,
      "zandrel.yaml",
    ),
  ),
  "listen-form": usage(({ option }: { option: string }) =>
    say(`--${option} is not an address and a port of this machine`, "write it as 127.0.0.1:8025", `--${option}`),
  ),
  "cannot-listen": usage(({ address, port, why, option }: { address: string; port: number; why: string; option: string }) =>
    say(
      `nobody can listen on ${address} port ${port} (${visible(why)})`,
      `choose another address or port with --${option}`,
      `--${option}`,
    ),
  ),
  "no-feed": usage(() =>
    say(
      "no service is known whose events could be checked",
      "name a service with a link, or write its events: into zandrel.yaml",
      "zandrel.yaml",
    ),
  ),
} satisfies Failings;
