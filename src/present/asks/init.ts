import type * as z from "zod";
import type { initialiseSchema } from "../../app/asks/init.ts";
import { displayName, withoutRootDot } from "../../core/name/index.ts";
import { inWords } from "../clauses/index.ts";
import { listOf } from "../english.ts";
import { visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";

type Result = z.output<typeof initialiseSchema>;

/** Who serves the domain, and what that means for publishing. */
function hostText({ domain, host }: Result): string {
  const name = displayName(domain);
  if (host === null)
    return `It is not known yet who serves ${name}. Name the DNS host: zandrel host set KEY --title 'Its name' --domain ${withoutRootDot(domain)}, KEY being a short word for it.`;
  const title = visible(host.title);
  switch (host.how) {
    case "named":
      return `${title} serves ${name}, as you said.`;
    case "recognised":
      return `${title} serves ${name}: its name servers are ${listOf(host.nameServers.map((server) => displayName(server)))}.`;
    case "only":
      return `${title} is the only DNS host here, so ${name} is taken to be there.`;
    case "new":
      return `${name} is served by ${listOf(host.nameServers.map((server) => displayName(server)))}. That host was saved as ${visible(host.key)}, ${host.takesApprovals ? "which takes approvals: publish sends you to its page, and you click once" : "reached by hand"}; zandrel host set ${visible(host.key)} names another way.`;
  }
}

/** The result of {@link initialise} for people. */
export function initialiseText(result: Result, { style, width }: Layout): string {
  const said = (word: string, files: readonly string[]) => files.map((file) => `${style.good(word)}  ${file}\n`).join("");
  const written = `${said("written", result.created)}${said("changed", result.changed)}`;
  const whatFor =
    result.next.clause === "next-intake"
      ? `(paste what the service shows, then press Ctrl-D), or ${style.command("zandrel guide")}`
      : "(once the redirect is set where the domain is served)";
  return `${written}${wrap(hostText(result), width)}\nNext: ${style.command(inWords(result.next))} ${whatFor}\n`;
}
