import type { Command } from "./command.ts";

/** The commands in the order of the work, each loaded when it runs. */
export const COMMANDS: readonly {
  readonly name: string;
  readonly summary: string;
  readonly load: () => Promise<{ default: Command<never> }>;
}[] = [
  { name: "init", summary: "start a workspace, or add a domain to it", load: () => import("./commands/init.ts") as never },
  { name: "intake", summary: "take down what a service asked for", load: () => import("./commands/intake.ts") as never },
  { name: "status", summary: "where every ask stands, and the next step", load: () => import("./commands/status.ts") as never },
  {
    name: "draft",
    summary: "what would change, what is in the way, and when everyone would see it",
    load: () => import("./commands/draft.ts") as never,
  },
  { name: "publish", summary: "carry the draft out", load: () => import("./commands/publish.ts") as never },
  { name: "undo", summary: "take the newest publication back", load: () => import("./commands/undo.ts") as never },
  { name: "watch", summary: "follow a change until everyone sees it", load: () => import("./commands/watch.ts") as never },
  {
    name: "prove",
    summary: "check as the service will, find out why not, and ask it",
    load: () => import("./commands/prove.ts") as never,
  },
  {
    name: "retire",
    summary: "end an ask, and remove what nobody else needs",
    load: () => import("./commands/retire.ts") as never,
  },
  { name: "relocate", summary: "move a zone to another DNS host", load: () => import("./commands/relocate.ts") as never },
  {
    name: "site",
    summary: "check where the names lead: addresses, redirect, certificate",
    load: () => import("./commands/site.ts") as never,
  },
  { name: "spf test", summary: "judge a sender by SPF as receivers do", load: () => import("./commands/spf/test.ts") as never },
  {
    name: "spf explain",
    summary: "who may send, in words, and what it costs",
    load: () => import("./commands/spf/explain.ts") as never,
  },
  {
    name: "spf combine",
    summary: "one record with what every service needs",
    load: () => import("./commands/spf/combine.ts") as never,
  },
  {
    name: "spf shrink",
    summary: "addresses instead of includes, fewer lookups",
    load: () => import("./commands/spf/flatten.ts") as never,
  },
  {
    name: "dkim new",
    summary: "make a key, and the record that publishes it",
    load: () => import("./commands/dkim/new.ts") as never,
  },
  { name: "dkim check", summary: "judge the keys that are published", load: () => import("./commands/dkim/check.ts") as never },
  { name: "dkim sign", summary: "sign a message", load: () => import("./commands/dkim/sign.ts") as never },
  {
    name: "dkim verify",
    summary: "check the signatures of a message, and say why they fail",
    load: () => import("./commands/dkim/verify.ts") as never,
  },
  {
    name: "dkim rotate",
    summary: "replace a key without losing mail on the way",
    load: () => import("./commands/dkim/rotate.ts") as never,
  },
  {
    name: "dmarc compose",
    summary: "a policy record from a few answers",
    load: () => import("./commands/dmarc/compose.ts") as never,
  },
  {
    name: "dmarc explain",
    summary: "what receivers do with real and forged mail",
    load: () => import("./commands/dmarc/explain.ts") as never,
  },
  {
    name: "dmarc import",
    summary: "take in the reports of receivers",
    load: () => import("./commands/dmarc/import.ts") as never,
  },
  {
    name: "dmarc sources",
    summary: "who sends as you, proven or not and why not",
    load: () => import("./commands/dmarc/sources.ts") as never,
  },
  {
    name: "dmarc advise",
    summary: "what to repair first, and when the next step is safe",
    load: () => import("./commands/dmarc/advise.ts") as never,
  },
  {
    name: "message judge",
    summary: "judge messages as a receiver would",
    load: () => import("./commands/message/judge.ts") as never,
  },
  {
    name: "message send",
    summary: "send a test message, follow it, judge what arrived",
    load: () => import("./commands/message/send.ts") as never,
  },
  {
    name: "sender address",
    summary: "have a sender address confirmed at a service",
    load: () => import("./commands/sender/address.ts") as never,
  },
  {
    name: "sender domain",
    summary: "have a domain accepted, and its signing turned on",
    load: () => import("./commands/sender/domain.ts") as never,
  },
  {
    name: "sender credential",
    summary: "passwords for sending, kept and never shown",
    load: () => import("./commands/sender/credential.ts") as never,
  },
  {
    name: "sender settings",
    summary: "SMTP settings for an application, checked",
    load: () => import("./commands/sender/settings.ts") as never,
  },
  {
    name: "sender events",
    summary: "what became of the mail, by day; the event feed",
    load: () => import("./commands/sender/events.ts") as never,
  },
  {
    name: "sender link",
    summary: "check that a service keeps the contract of the link",
    load: () => import("./commands/sender/link.ts") as never,
  },
  {
    name: "audit",
    summary: "everything that is wrong with a domain, and what to do",
    load: () => import("./commands/audit.ts") as never,
  },
  { name: "helper", summary: "check the helper program of a DNS host", load: () => import("./commands/helper.ts") as never },
  { name: "lab", summary: "run the stand-ins: DNS host, resolvers, services", load: () => import("./commands/lab.ts") as never },
  { name: "demo", summary: "tell the whole story on the stand-ins", load: () => import("./commands/demo.ts") as never },
  {
    name: "completion",
    summary: "print the script that completes commands in a shell",
    load: () => import("./commands/completion.ts") as never,
  },
];

/** What commands of two words are about, by their first. */
export const GROUPS: Readonly<Record<string, string>> = {
  spf: "who may send for a domain",
  dkim: "keys and signatures",
  dmarc: "the policy, and what receivers report",
  message: "a message, judged or sent and followed",
  sender: "what a mail service needs beyond the DNS",
};
