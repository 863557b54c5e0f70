import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { name } from "../core/name/index.ts";
import type { passDays, startLab } from "../lab/index.ts";

/** A command line of the story, told to somebody who knows marketing and not DNS. */
export interface Step {
  readonly narration: string;
  readonly argv: readonly string[];
  readonly input?: string;
  /** What somebody does on the page that the command sends them to. */
  readonly clicks?: (link: string) => Promise<unknown>;
  /** The exit code the story needs here. */
  readonly ends: number;
}

/** Something that happens outside: it does its work, and says what people see of it. */
interface Scene {
  readonly narration: string;
  happens(): Promise<string | undefined>;
}

export interface Act {
  readonly title: string;
  readonly narration: string;
  readonly steps: readonly (Step | Scene)[];
}

type Lab = Awaited<ReturnType<typeof startLab>>;

const MINUTE = 60_000;
const HOUR = 60 * MINUTE;
const BRACKWATER = "brackwater.example";
const NEWS = "news@brackwater.example";
const PROBE = "probe@mallowmail.example";

/** Time passes. */
const later = (lab: Lab, ms: number, narration: string): Scene => ({
  narration,
  async happens() {
    lab.clock.leap(ms);
    return undefined;
  },
});

/** A search engine wants proof that the domain is theirs. */
export function tokenAct(lab: Lab): Act {
  const paste = lab.seekmere.instructions(BRACKWATER);
  return {
    title: "The Brackwater Puppet Theatre wants to be found.",
    narration:
      "Seekmere, the search engine, wants proof that brackwater.example is theirs. Nettlehost serves the domain. Everything runs on this machine, and a clock that is set forward stands in for the waiting.",
    steps: [
      {
        narration:
          "A workspace is a folder. This one takes over what the lab says about DNS hosts, services and the places we look from.",
        argv: ["init", BRACKWATER, "--dns-host", "nettlehost", "--settings", "lab.yaml"],
        ends: 0,
      },
      {
        narration: `Seekmere shows a small table. Copied as it is:\n\n${paste}`,
        argv: ["intake", "-"],
        input: paste,
        ends: 0,
      },
      { narration: "What would that change? Nothing is touched yet.", argv: ["draft", BRACKWATER], ends: 0 },
      {
        narration:
          "Meanwhile, somebody behind two of the resolvers we look from opens the theatre's site, so those remember the old records for a while.",
        async happens() {
          await Promise.all(["Quay Street", "Far Shore"].map((vantage) => lab.vantages[vantage]?.ask(name(BRACKWATER), "TXT")));
          return undefined;
        },
      },
      {
        narration: "It adds one text and removes nothing, so it goes out: one signed update, all or nothing.",
        argv: ["publish", BRACKWATER],
        ends: 0,
      },
      later(lab, MINUTE, "A minute later Nettlehost's second name server has the change, too."),
      {
        narration: "Who sees it already? Not everyone; asking Seekmere now would be too early.",
        argv: ["prove", "seekmere-ownership"],
        ends: 1,
      },
      { narration: "So we watch. Half an hour passes at once.", argv: ["watch", BRACKWATER], ends: 0 },
      {
        narration: "Now Seekmere may be asked, and its own check answers.",
        argv: ["prove", "seekmere-ownership"],
        ends: 0,
      },
      { narration: "Where does everything stand?", argv: ["status"], ends: 0 },
    ],
  };
}

/** The site builder's records, approved once on a page of the DNS host instead of copied. */
export function approvalAct(lab: Lab): Act {
  const claim = /pagewick-claim:(\w+)/.exec(lab.pagewick.instructions(BRACKWATER))?.[1] ?? "";
  const site = BRACKWATER.split(".")[0] as string;
  const apex = name(BRACKWATER);
  const kit = `http://${lab.approvals.place}/v2/domainTemplates/providers/pagewick.example/services/site`;
  const publish = ["publish", BRACKWATER, "--replace", "@", "--replace", "www"];
  const alias = /_sb-\S+/.exec(lab.sealbarrow.instructions(BRACKWATER))?.[0] ?? "";
  const target = /\S+\.proof\.sealbarrow\.example/.exec(lab.sealbarrow.instructions(BRACKWATER))?.[0] ?? "";
  return {
    title: "Then it wants a site, and copies nothing for it.",
    narration:
      "Pagewick, the site builder, needs four records. Nettlehost takes approvals: the owner of the domain says yes once, on a page of Nettlehost.",
    steps: [
      { narration: "What does Nettlehost offer?", argv: ["host", "find", BRACKWATER], ends: 0 },
      { narration: "So from now on it is asked on its page.", argv: ["host", "set", "nettlehost", "--way", "approval"], ends: 0 },
      {
        narration: "Nettlehost shows the template it has for Pagewick. It is a kit like any other.",
        argv: ["intake", "--kit", kit, "--input", `claim=${claim}`, "--input", `site=${site}`],
        ends: 0,
      },
      {
        narration: `Sealbarrow, which issues certificates, has a page instead:\n\n${lab.sealbarrow.instructions(BRACKWATER)}`,
        argv: ["intake", "-", "--service", "sealbarrow"],
        input: lab.sealbarrow.instructions(BRACKWATER),
        ends: 0,
      },
      {
        narration: "The page opens, and somebody presses the wrong button. Nothing is lost: what is left to do comes as a sheet.",
        argv: publish,
        clicks: (link) => lab.approvals.decide(link, "refuse"),
        ends: 1,
      },
      {
        narration:
          "Once more, and this time it is approved. The alias for the certificate is in no template, so that alone is left.",
        argv: publish,
        clicks: (link) => lab.approvals.decide(link),
        ends: 0,
      },
      {
        narration: "Somebody enters it into Nettlehost's form.",
        async happens() {
          lab.nettlehost.put(apex, { name: name(alias, apex), type: "CNAME", ttl: 3600, data: [{ target: name(target) }] });
          lab.clock.leap(MINUTE);
          return undefined;
        },
      },
      { narration: "Is everything there, and nothing else gone?", argv: ["publish", BRACKWATER, "--check"], ends: 0 },
      {
        narration: "For the mail that comes next, Nettlehost takes signed updates again.",
        argv: [
          ...["host", "set", "nettlehost", "--way", "update", "--server", lab.nettlehostServer],
          ...["--key-name", "brackwater-key", "--secret", "env:NETTLEHOST_TSIG"],
        ],
        ends: 0,
      },
    ],
  };
}

const compose = (policy: string): string[] => [
  ...["dmarc", "compose", BRACKWATER, "--policy", policy],
  ...["--reports-to", "dmarc@brackwater.example", "--write"],
];

/** A reader of the guild's mailing list. */
const GUILD_MEMBER = "member@mallowmail.example";

/** The newest message of a folder. */
const newestIn = (folder: string): string => join(folder, readdirSync(folder).sort().at(-1) ?? "");

/** What happens again and again while the theatre's mail is followed. */
interface Recurring {
  days(count: number, narration: string): Scene;
  forged(narration: string): Scene;
  probe(narration: string): Step;
}

/** From the first reports to the day forged mail is refused; `page` is what Inglemail shows. */
function afterwards(lab: Lab, page: string, { days, forged, probe }: Recurring): (Step | Scene)[] {
  const reports = join(lab.mailboxes, "dmarc@brackwater.example");
  const read = (narration: string): Step => ({ narration, argv: ["dmarc", "import", reports], ends: 0 });
  const replace: Step = {
    narration: "It is a new version of a record of their own, so it simply takes the old one's place.",
    argv: ["publish", BRACKWATER],
    ends: 0,
  };
  return [
    days(
      7,
      "A week goes by: newsletters, letters from the box office, a mailing list, and forgeries. Every night Mallowmail mails a report.",
    ),
    read("The reports of the week are imported."),
    { narration: "Who sends as the theatre?", argv: ["dmarc", "sources", BRACKWATER], ends: 1 },
    { narration: "What now?", argv: ["dmarc", "advise", BRACKWATER], ends: 1 },
    {
      narration: "Inglemail has a page for that. Copied as it is:",
      argv: ["intake", "-", "--service", "inglemail"],
      input: page,
      ends: 0,
    },
    { narration: "The key is published.", argv: ["publish", BRACKWATER], ends: 0 },
    later(lab, 2 * HOUR, "Two hours later everyone sees it."),
    {
      narration: "Now Inglemail can sign with the theatre's own domain.",
      argv: ["sender", "domain", "inglemail", BRACKWATER, "--signing", "on"],
      ends: 0,
    },
    days(14, "Two more weeks go by."),
    read("Their reports are imported."),
    { narration: "What does the advice say now?", argv: ["dmarc", "advise", BRACKWATER], ends: 0 },
    { narration: "So mail that is not proven goes to the junk folder.", argv: compose("quarantine"), ends: 0 },
    replace,
    days(14, "Two weeks with it, and nobody misses a letter."),
    {
      narration: "Only the puppetry guild calls: letters to its list end up in junk folders. Whose fault is that?",
      get argv() {
        return ["message", "judge", newestIn(join(lab.mailboxes, GUILD_MEMBER, ".Junk", "new"))];
      },
      ends: 1,
    },
    read("The reports of these weeks are imported, too."),
    { narration: "The last step is safe now.", argv: ["dmarc", "advise", BRACKWATER], ends: 0 },
    { narration: "From now on it is refused.", argv: compose("reject"), ends: 0 },
    replace,
    later(lab, 2 * HOUR, "Two hours later the forger is back."),
    forged("And this time:"),
    probe("The theatre's own mail still arrives."),
  ];
}

/** Newsletters, letters and forgers: from the first record to the day forged mail is refused. */
export async function mailAct(lab: Lab, pass: typeof passDays): Promise<Act> {
  const page = await lab.inglemail.page(BRACKWATER);
  const days = (count: number, narration: string): Scene => ({
    narration,
    async happens() {
      await pass(lab, count);
      return undefined;
    },
  });
  const forged = (narration: string): Scene => ({
    narration,
    async happens() {
      const said = await lab.thirdParties.forge("tickets@brackwater.example", "guest1@mallowmail.example");
      return `Mallowmail answers the forger: “${said}”`;
    },
  });
  const probe = (narration: string): Step => ({
    narration,
    argv: [
      ...["message", "send", "--service", "heronpost", "--from", NEWS, "--to", PROBE],
      ...["--copy", join(lab.mailboxes, PROBE), "--for", "6h"],
    ],
    ends: 0,
  });
  return {
    title: "It also wants its mail to arrive.",
    narration:
      "Heronpost sends the newsletters, Inglemail holds the mailboxes, and Mallowmail is where the audience reads. Somebody sells seats that do not exist in the theatre's name.",
    steps: [
      forged("At first nobody is in the forger's way."),
      {
        narration: "Heronpost comes with a kit: everything it asks for, with one input to fill in.",
        argv: ["intake", "--kit", "heronpost", "--input", "account=brackwater"],
        ends: 0,
      },
      { narration: "And receivers are asked for reports; nothing is refused yet.", argv: compose("none"), ends: 0 },
      { narration: "All of it goes out in one update.", argv: ["publish", BRACKWATER], ends: 0 },
      later(lab, 2 * HOUR, "Two hours later everyone sees it."),
      {
        narration: "Heronpost wants to know that the sender address is real, and mails a link to it.",
        argv: ["sender", "address", "heronpost", NEWS],
        ends: 1,
      },
      {
        narration: "The mail arrives in the theatre's mailbox, and somebody opens the link.",
        async happens() {
          const box = join(lab.mailboxes, NEWS, "new");
          const mail = readdirSync(box).map((file) => readFileSync(join(box, file), "latin1"));
          const link = /http:\S+\/open\/\S+/.exec(mail.join("\n"))?.[0];
          return link === undefined ? undefined : (await (await fetch(link)).text()).trim();
        },
      },
      { narration: "Heronpost looks for the records.", argv: ["sender", "domain", "heronpost", BRACKWATER], ends: 0 },
      {
        narration: "A password that can only send, for one domain, straight into a file.",
        argv: ["sender", "credential", "heronpost", "--new", "mail", "--domain", BRACKWATER],
        ends: 0,
      },
      probe("Does it work? One message, followed to the inbox, judged as it arrived."),
      ...afterwards(lab, page, { days, forged, probe }),
    ],
  };
}
