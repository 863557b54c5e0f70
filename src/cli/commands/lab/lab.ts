import { resolve } from "node:path";
import { nameOperand } from "../../../app/dns/context.ts";
import { saveText } from "../../../app/save.ts";
import { LAB_START, startLab } from "../../../demo/start-lab.ts";
import { shellWord } from "../../../present/safe.ts";
import { command } from "../../command.ts";
import { flag, list, number, text, time } from "../../options.ts";

export default command({
  name: "lab",
  operands: "",
  summary:
    "run the simulated services on loopback until Ctrl-C: registry, DNS hosts, resolvers, services, a mailbox provider, one fast clock",
  examples: [
    ["zandrel lab", "start them, and print how to point a workspace at them"],
    ["zandrel lab --domain quillmark.test", "with a domain of your choice, parked at Nettlehost"],
    ["zandrel lab --speed 60 --write-settings lab.yaml", "a minute takes a second; write the settings into lab.yaml"],
  ],
  options: {
    port: number("port of all its DNS servers; the five behind it are for the web and for mail", {
      default: 5300,
      min: 1,
      max: 65_530,
    }),
    speed: number("how many times as fast as a real clock the lab's runs", { default: 60, min: 1, max: 100_000, whole: false }),
    start: time("the lab's time when it starts", { default: LAB_START }),
    domain: list("also host this domain, parked as a new one is"),
    signed: flag("sign all zones and check signatures (DNSSEC), so that a move with signed domains can be tried"),
    writeSettings: text("where to write the settings of a workspace that uses it", { default: "lab.yaml" }),
  },
  noJson: "it runs until it is stopped",
  async run({ writeSettings, domain, ...options }, context) {
    const { lab } = await startLab({ ...options, domains: domain.map(nameOperand) });
    try {
      const { seekmere, pagewick, sealbarrow, heronpost, swiftquill, inglemail } = lab;
      const pages = [
        seekmere.instructions("brackwater.example"),
        pagewick.instructions("brackwater.example"),
        pagewick.instructions("brackwater.example", "site"),
        sealbarrow.instructions("brackwater.example"),
        await heronpost.page("brackwater.example"),
        await inglemail.page("brackwater.example"),
        swiftquill.instructions("brackwater-tickets.example"),
        await swiftquill.page("brackwater-tickets.example"),
      ];
      const file = resolve(context.cwd, writeSettings);
      saveText(context, file, lab.settings);
      context.out(
        [
          "The lab runs. In another terminal, in an empty folder:",
          "",
          ...Object.entries(lab.env).map(([name, value]) => `export ${name}=${shellWord(value)}`),
          `zandrel init brackwater.example --dns-host nettlehost --settings ${shellWord(file)}`,
          "",
          "What the services show, ready to paste into zandrel intake:",
          "",
          ...pages.map((page) => page.replaceAll("\t", "    ")),
          `Pages to practise on, in a browser of this machine, with the forms of two DNS hosts that make the usual mistakes possible, and a registrar: ${lab.practice}`,
          `Nettlehost also takes approvals: after zandrel host set nettlehost --way approval, publish sends you to its page. Its templates are kits: ${[...lab.approvals.templates.keys()].map((key) => `http://${lab.approvals.place}/v2/domainTemplates/providers/${key.replace(" ", "/services/")}`).join(" and ")}`,
          `Or approve Pagewick's four records at once, in a browser: http://${lab.approvals.place}/v2/domainTemplates/providers/pagewick.example/services/site/apply?domain=brackwater.example&claim=${/pagewick-claim:(\w+)/.exec(pagewick.instructions("brackwater.example"))?.[1]}&site=brackwater`,
          `Mailboxes, a Maildir each: ${lab.mailboxes}`,
          "Mallowmail refuses mail to nobody@mallowmail.example, has no room for full@mallowmail.example, and grumbler@ complains.",
          "Ctrl-C stops the lab.",
          "",
        ].join("\n"),
      );
      await new Promise<void>((done) => {
        process.once("SIGINT", done);
        process.once("SIGTERM", done);
      });
    } finally {
      await lab.close();
    }
    return { ended: "fine" };
  },
});
