import { setDnsHost, setHostSchema } from "../../../app/publishing/set-host.ts";
import { WAYS } from "../../../core/change/index.ts";
import { command } from "../../command.ts";
import { choice, list, text } from "../../options.ts";

export default command({
  name: "host set",
  operands: "KEY",
  summary: "say how a DNS host is reached: it is added to zandrel.yaml, or changed there",
  examples: [
    ["zandrel host set reedhost --title 'Reed Host' --domain brackwater.example", "a host whose form you fill in by hand"],
    ["zandrel host set reedhost --form apex=empty --form ttl=300,3600", "how that form wants records, for the sheet"],
    ["zandrel host set nettlehost --way zone-file --file zones/brackwater.zone", "Zandrel edits a zone file"],
    [
      "zandrel host set nettlehost --way update --server 192.0.2.53 --key-name brackwater-key --secret env:NETTLEHOST_TSIG",
      "signed updates; the secret stays in the environment",
    ],
    ["zandrel host set zonemarrow --way helper --command 'node helpers/zonemarrow.mjs'", "a program of yours talks to the host"],
  ],
  options: {
    title: text("the host's name, for people"),
    way: choice(WAYS, "how records are published there (as it is, or by hand, if not given)"),
    file: text("with zone-file: the file, from the folder of the workspace"),
    server: text("with update: the primary server, ADDRESS or ADDRESS:PORT"),
    keyName: text("with update: the name of the TSIG key"),
    algorithm: text("with update: hmac-sha256, hmac-sha384 or hmac-sha512"),
    secret: text("with update: where the key's secret is kept, env:NAME or file:PATH"),
    command: text("with helper: the program and its arguments, separated by spaces"),
    form: list("with by-hand: how its form wants records, FIELD=VALUE as docs/workspace.md lists them"),
    transferServer: list("a server that hands out whole zones, ADDRESS or ADDRESS:PORT, for relocate capture"),
    transferKey: text("the name of the TSIG key for that, where it wants one"),
    transferSecret: text("where that key's secret is kept, env:NAME or file:PATH"),
    nameServer: list("a name of its name servers, such as *.nettlehost.example, by which domains there are recognised"),
    address: list("the address of one of its name servers, to look there even when the domain is not there yet"),
    domain: list("a domain that is served there from now on"),
  },
  schema: setHostSchema,
  run: setDnsHost,
  text: async (result, layout) => (await import("../../../present/publishing/set-host.ts")).setHostText(result, layout),
});
