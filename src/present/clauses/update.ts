import type { UpdateClauses } from "../../core/clause/index.ts";
import { displayName } from "../../core/name/index.ts";
import type { WordsOf } from "./words.ts";

const MEND: Readonly<Record<UpdateClauses["update-mend"]["what"], string>> = {
  key: "compare the key's name and algorithm in zandrel.yaml with what the DNS host shows",
  secret: "copy the secret from the DNS host again, whole and without spaces",
  clock: "set the clock and publish again",
  primary: "ask the DNS host which server takes updates for this zone",
  permission:
    "ask the DNS host to allow updates of this zone with this key; some servers also refuse addresses and mail servers at names with an underscore",
  again: "try again; if it stays, ask the DNS host",
  address: "give the address of the primary server",
  look: "run zandrel status to see what the zone holds",
  between: "somebody may be in between: run zandrel status to see what the zone holds",
  late: "run zandrel status: it looks at the zone and says whether the change was carried out",
  reach: "check the server's address under hosts: in zandrel.yaml, and that this machine may reach it",
};

export const UPDATE: WordsOf<UpdateClauses> = {
  "update-other-key": ({ server, key }) => `the answer of ${server} is signed with another key than ${displayName(key)}`,
  "update-unknown-key": ({ server, key, algorithm }) => `${server} does not know the key ${displayName(key)} with ${algorithm}`,
  "update-wrong-secret": ({ server, key }) => `${server} says that the secret of the key ${displayName(key)} is wrong`,
  "update-forged": ({ server, key }) => `the answer of ${server} is not signed with the key ${displayName(key)}`,
  "update-clock": ({ server, minutes }) =>
    `this computer's clock is ${minutes === undefined ? "too far from" : `${Math.abs(minutes)} minutes ${minutes < 0 ? "behind" : "ahead of"}`} the clock of ${server}`,
  "update-unsigned": ({ server }) => `the answer of ${server} is not signed`,
  "update-unreadable": ({ server }) => `the answer of ${server} cannot be read`,
  "update-moved": ({ server, code }) => `${server} holds something else than a moment ago (${code})`,
  "update-not-primary": ({ server, zone, code }) => `${server} is not the primary server of ${displayName(zone)} (${code})`,
  "update-not-allowed": ({ server, key, zone }) =>
    `${server} does not let the key ${displayName(key)} change ${displayName(zone)}`,
  "update-code": ({ server, code }) => `${server} answered ${code ?? "something that cannot be read"}`,
  "update-by-url": ({ server }) => `${server} is not a server for dynamic updates`,
  "update-mend": ({ what }) => MEND[what],
};
