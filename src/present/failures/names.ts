import type { Clause } from "../../core/clause/index.ts";
import { inWords } from "../clauses/index.ts";
import { visible } from "../safe.ts";
import { type Failings, quote, say, usage } from "./words.ts";

export const NAMES = {
  "not-a-domain": usage(({ given, because }: { given: string; because: Clause }) =>
    say(
      `${quote(given)} is not a domain name${because.clause === "nothing" ? "" : ` (${visible(inWords(because))})`}`,
      "check its spelling",
    ),
  ),
  "not-a-selector": usage(({ given }: { given: string }) =>
    say(
      `${quote(given)} is not a selector (the word in front of ._domainkey)`,
      "use letters, digits, hyphens and dots, such as k1",
    ),
  ),
  "address-form": usage(({ given }: { given: string }) =>
    say(`${quote(given)} is not a mail address`, "write it as news@brackwater.example"),
  ),
  "ip-form": usage(({ given }: { given: string | undefined }) =>
    say(
      given === undefined ? "--ip is missing" : `--ip ${quote(given)} is not an IP address`,
      "give the address of the sending server, such as 192.0.2.25",
      "--ip",
    ),
  ),
  "day-form": usage(({ given }: { given: string }) => say(`--on ${quote(given)} is not a day`, "write it as 2026-03-02", "--on")),
  "day-to-come": usage(({ given }: { given: string }) =>
    say(`--on ${quote(given)} is in the future`, "give the day on which the service showed it", "--on"),
  ),
} satisfies Failings;
