import type { Clause } from "../../core/clause/index.ts";
import { type DomainName, displayName, withoutRootDot } from "../../core/name/index.ts";
import { inWords } from "../clauses/index.ts";
import { visible } from "../safe.ts";
import { type Failings, problem, say, undetermined, usage } from "./words.ts";

export const LAB = {
  "port-taken": usage(({ port, first }: { port: number; first: number }) =>
    say(
      `port ${port} is in use on a loopback address, perhaps by another lab, which takes six ports from ${first} on`,
      "stop it, or choose others with --port",
      "--port",
    ),
  ),
  "port-rights": usage(({ port }: { port: number }) =>
    say(`port ${port} needs more rights than you have`, "choose one above 1023 with --port", "--port"),
  ),
  "no-loopback": usage(() =>
    say(
      "this system has no loopback addresses beside 127.0.0.1",
      "add 127.53.0.1 to 127.53.0.34, 127.53.1.35 and 127.53.2.36 to its loopback interface, then try again",
    ),
  ),
  "lab-unknown": usage(() =>
    say(
      "this needs a running lab, and ZANDREL_LAB does not say where one is",
      "start one with zandrel lab, and type the export lines that it prints",
    ),
  ),
  "lab-unreachable": undetermined(({ because }: { because: Clause }) =>
    say(
      `the lab that ZANDREL_LAB names could not be asked: ${visible(inWords(because))}`,
      "see whether zandrel lab still runs, and type the export lines that it prints again",
    ),
  ),
  "lab-other-domain": usage(({ domain }: { domain: DomainName }) =>
    say(
      `${displayName(domain)} is not registered in this lab`,
      `start it with zandrel lab --domain ${withoutRootDot(domain)}, or name one of the theatre’s domains`,
    ),
  ),
  "registrar-refused": problem(({ domain, said }: { domain: DomainName; said: string }) =>
    say(
      `the registrar refused the change of ${displayName(domain)}: ${visible(said)}`,
      "nothing was changed: correct it, then try again",
    ),
  ),
  "demo-broke-off": problem(({ argv, ended, expected }: { argv: readonly string[]; ended: number; expected: number }) =>
    say(
      `the demo broke off: zandrel ${argv.join(" ")} ended with ${ended} instead of ${expected}`,
      "this is a defect, please report it",
    ),
  ),
} satisfies Failings;
