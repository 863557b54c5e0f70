import type { Command } from "./command.ts";

/** The commands in the order of the work, each loaded when it runs. */
export const COMMANDS: readonly {
  readonly name: string;
  readonly summary: string;
  readonly load: () => Promise<{ default: Command<never> }>;
}[] = [
  { name: "init", summary: "start a workspace, or add a domain to it", load: () => import("./init.ts") as never },
  { name: "intake", summary: "take down what a service asked for", load: () => import("./intake.ts") as never },
  { name: "status", summary: "where every ask stands, and the next step", load: () => import("./status.ts") as never },
  {
    name: "draft",
    summary: "what would change, what is in the way, and when everyone would see it",
    load: () => import("./draft.ts") as never,
  },
  { name: "publish", summary: "carry the draft out", load: () => import("./publish.ts") as never },
  { name: "undo", summary: "take the newest publication back", load: () => import("./undo.ts") as never },
  { name: "watch", summary: "follow a change until everyone sees it", load: () => import("./watch.ts") as never },
  {
    name: "prove",
    summary: "check as the service will, find out why not, and ask it",
    load: () => import("./prove.ts") as never,
  },
  { name: "retire", summary: "end an ask, and remove what nobody else needs", load: () => import("./retire.ts") as never },
  { name: "relocate", summary: "move a zone to another DNS host", load: () => import("./relocate.ts") as never },
  {
    name: "site",
    summary: "check where the names lead: addresses, redirect, certificate",
    load: () => import("./site.ts") as never,
  },
  { name: "spf", summary: "judge a sender by SPF as receivers do", load: () => import("./spf.ts") as never },
  { name: "helper", summary: "check the helper program of a DNS host", load: () => import("./helper.ts") as never },
  { name: "lab", summary: "run the stand-ins: DNS host, resolvers, services", load: () => import("./lab.ts") as never },
  { name: "demo", summary: "tell the whole story on the stand-ins", load: () => import("./demo.ts") as never },
  {
    name: "completion",
    summary: "print the script that completes commands in a shell",
    load: () => import("./completion.ts") as never,
  },
];
