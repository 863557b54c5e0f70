import type { Draft, Loss } from "../../core/change/index.ts";
import type { Clause } from "../../core/clause/index.ts";
import type { Judgement } from "../../core/judgement/index.ts";
import type { DomainName } from "../../core/name/index.ts";
import { openWorkspace, pickDomains } from "../../workspace/index.ts";
import type { AppContext } from "../context.ts";
import { type DnsOptions, openDns } from "../dns/context.ts";
import { withApproval } from "../publishing/approval-plan.ts";
import { settleInterrupted } from "../publishing/publication.ts";
import { hostTitle } from "../standing/host.ts";
import { loadJournalState } from "../standing/journal-state.ts";
import { openSheet } from "../standing/sheets.ts";
import { draftSource } from "../standing/source.ts";
import { type AskStanding, draftOf, rememberSettled, survey } from "../standing/survey.ts";

/** A domain as the guide sees it between two moves. */
export interface GuideLook {
  readonly asks: readonly AskStanding[];
  /** What is left to publish, with the replacements that were agreed to. */
  readonly draft: Draft | undefined;
  /** Names at which the DNS host takes something away by itself when it carries the draft out. */
  readonly alsoGoes: readonly string[];
  readonly sheetOpen: boolean;
  /** What somebody deleted or changed beside what was published. */
  readonly lost: readonly Loss[];
  readonly judgement: Judgement;
  /** The title of the DNS host; undefined where none is named. */
  readonly host: string | undefined;
  /** How the domain's DNS host is reached; undefined where it names none. */
  readonly way: string | undefined;
  /** What became of publications that broke off, a sentence each. */
  readonly said: readonly Clause[];
}

/** Looks at one domain afresh: where its asks stand, what is left to publish, whether a sheet is open. */
export async function lookForGuide(
  name: DomainName,
  replace: ReadonlySet<DomainName>,
  request: DnsOptions & { readonly workspace: string | undefined },
  context: AppContext,
): Promise<GuideLook> {
  const workspace = openWorkspace(context.cwd, request.workspace);
  const [domain] = pickDomains(workspace, [name]);
  if (domain === undefined) throw new RangeError("a domain of the workspace is expected");
  const dns = openDns(request, context, workspace.settings, [name]);
  const journal = await workspace.openJournal(context);
  try {
    const said = await settleInterrupted(domain, dns, workspace, journal);
    const surveyed = await survey(domain, dns, workspace, journal);
    rememberSettled(journal, surveyed, dns.now);
    const source = draftSource(domain, surveyed.look, dns, workspace);
    const own =
      source === undefined ? undefined : await draftOf(domain, source, dns.world, loadJournalState(journal, name), replace);
    // What the DNS host takes away by itself is shown with the rest, and agreed to with it.
    const approval = source === undefined || own === undefined ? undefined : await withApproval(own, domain, source, workspace);
    return {
      asks: surveyed.asks,
      lost: surveyed.lost,
      judgement: surveyed.judgement,
      draft: approval?.draft,
      alsoGoes: approval?.names ?? [],
      sheetOpen: openSheet(journal, name) !== undefined,
      host: hostTitle(domain, workspace),
      way: domain.host === undefined ? undefined : workspace.settings.hosts[domain.host]?.publish.way,
      said,
    };
  } finally {
    journal.close();
    dns.close();
  }
}
