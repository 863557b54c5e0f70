import type { Command } from "./command.ts";

/** A command as the overview lists it, loaded when it runs. */
export interface Entry {
  readonly name: string;
  readonly summary: string;
  load(): Promise<{ readonly default: Command }>;
}

const entry = (name: string, summary: string, load: () => Promise<unknown>): Entry => ({
  name,
  summary,
  load: load as Entry["load"],
});

/** The commands in the order of the work. */
export const COMMANDS: readonly Entry[] = [
  entry("guide", "one conversation from paste to proven", () => import("./commands/guide.ts")),
  entry("init", "start a workspace, or add a domain to it", () => import("./commands/init.ts")),
  entry("host set", "say how a DNS host is reached", () => import("./commands/host/set.ts")),
  entry("host find", "who serves a domain, and how it can be published there", () => import("./commands/host/find.ts")),
  entry("host approve", "approve once what is published at a DNS host", () => import("./commands/host/approve.ts")),
  entry("host forget", "give an approval back", () => import("./commands/host/forget.ts")),
  entry("intake", "save what a service asked for", () => import("./commands/intake.ts")),
  entry("kit check", "read a kit or a template, and say what is in it", () => import("./commands/kit/check.ts")),
  entry("kit export", "make a template for DNS hosts from a kit", () => import("./commands/kit/export.ts")),
  entry("status", "where every ask stands, and the next step", () => import("./commands/status.ts")),
  entry("draft", "what would change, what is in the way, and when everyone would see it", () => import("./commands/draft.ts")),
  entry("publish", "carry the draft out", () => import("./commands/publish.ts")),
  entry("undo", "undo the newest publication of a domain", () => import("./commands/undo.ts")),
  entry("watch", "follow a change until everyone sees it", () => import("./commands/watch.ts")),
  entry("prove", "check as the service will, find out why not, and ask it", () => import("./commands/prove.ts")),
  entry("retire", "end an ask, and remove what nobody else needs", () => import("./commands/retire.ts")),
  entry("history", "what happened, in order, and a zone as it was", () => import("./commands/history.ts")),
  entry("journal", "share the journal in a team, or keep it here", () => import("./commands/journal.ts")),
  entry("relocate", "move a zone to another DNS host", () => import("./commands/relocate.ts")),
  entry("site", "check where the names lead: addresses, redirect, certificate", () => import("./commands/site.ts")),
  entry("spf test", "judge a sender by SPF as receivers do", () => import("./commands/spf/test.ts")),
  entry("spf explain", "who may send, in words, and what it costs", () => import("./commands/spf/explain.ts")),
  entry("spf combine", "one record with what every service needs", () => import("./commands/spf/combine.ts")),
  entry("spf flatten", "addresses instead of includes, fewer lookups", () => import("./commands/spf/flatten.ts")),
  entry("dkim new", "make a key, and the record that publishes it", () => import("./commands/dkim/new.ts")),
  entry("dkim check", "judge the keys that are published", () => import("./commands/dkim/check.ts")),
  entry("dkim sign", "sign a message", () => import("./commands/dkim/sign.ts")),
  entry("dkim verify", "check the signatures of a message, and say why they fail", () => import("./commands/dkim/verify.ts")),
  entry("dkim rotate", "replace a key without losing mail on the way", () => import("./commands/dkim/rotate.ts")),
  entry("dmarc compose", "a policy record from a few answers", () => import("./commands/dmarc/compose.ts")),
  entry("dmarc explain", "what receivers do with real and forged mail", () => import("./commands/dmarc/explain.ts")),
  entry("dmarc import", "import the reports of receivers", () => import("./commands/dmarc/import.ts")),
  entry("dmarc sources", "who sends as you, and what passes", () => import("./commands/dmarc/sources.ts")),
  entry("dmarc failures", "which single messages failed, and why", () => import("./commands/dmarc/failures.ts")),
  entry("dmarc advise", "what to fix first, and when the next step is safe", () => import("./commands/dmarc/advise.ts")),
  entry("logo check", "what keeps your logo from being shown", () => import("./commands/logo/check.ts")),
  entry("logo prepare", "a clean drawing, and the record for it", () => import("./commands/logo/prepare.ts")),
  entry("message judge", "judge messages as a receiver would", () => import("./commands/message/judge.ts")),
  entry("message send", "send a test message, follow it, judge what arrived", () => import("./commands/message/send.ts")),
  entry("sender address", "have a sender address confirmed at a service", () => import("./commands/sender/address.ts")),
  entry("sender domain", "have a domain accepted, and its signing turned on", () => import("./commands/sender/domain.ts")),
  entry("sender credential", "passwords for sending, kept and never shown", () => import("./commands/sender/credential.ts")),
  entry("sender settings", "SMTP settings for an application, checked", () => import("./commands/sender/settings.ts")),
  entry("sender events", "what became of the mail, by day; the event feed", () => import("./commands/sender/events.ts")),
  entry("sender link", "check that a service keeps the contract of the link", () => import("./commands/sender/link.ts")),
  entry("audit", "everything that is wrong with a domain, and what to do", () => import("./commands/audit.ts")),
  entry("sweep", "audit many domains, and go on where it was stopped", () => import("./commands/sweep/sweep.ts")),
  entry("sweep report", "what all domains of a sweep say together", () => import("./commands/sweep/report.ts")),
  entry("sweep work", "take part in the sweeps of a queue", () => import("./commands/sweep/work.ts")),
  entry("sweep diff", "what changed between two sweeps", () => import("./commands/sweep/diff.ts")),
  entry("guard", "look again at what was proven, and tell when it lapses", () => import("./commands/guard.ts")),
  entry("dossier", "pages for people who do not use terminals", () => import("./commands/dossier.ts")),
  entry("helper", "check the helper program of a DNS host", () => import("./commands/helper.ts")),
  entry("words", "what a term means", () => import("./commands/words.ts")),
  entry("lab", "run the simulated services: DNS hosts, resolvers, services", () => import("./commands/lab/lab.ts")),
  entry("lab registrar", "the registrar of a running lab: a domain's name servers", () => import("./commands/lab/registrar.ts")),
  entry("demo", "run the guided demo", () => import("./commands/demo.ts")),
  entry("completion", "print the script that completes commands in a shell", () => import("./commands/completion.ts")),
];

/** What commands of two words are about, by their first. */
export const GROUPS: Readonly<Record<string, string>> = {
  kit: "descriptions of what services ask for",
  spf: "who may send for a domain",
  dkim: "keys and signatures",
  dmarc: "the policy, and what receivers report",
  logo: "the logo beside your name in a list of messages",
  message: "a message, judged or sent and followed",
  sender: "what a mail service needs beyond the DNS",
  host: "the DNS hosts that records are published at",
};
