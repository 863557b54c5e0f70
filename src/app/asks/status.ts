import { relative } from "node:path";
import * as z from "zod";
import { dnsWants, STATES, type State } from "../../core/ask/index.ts";
import { clause, NOTHING, verbatim } from "../../core/clause/index.ts";
import { keyNameOf } from "../../core/dkim/index.ts";
import type { Failure } from "../../core/failure.ts";
import type { DomainName } from "../../core/name/index.ts";
import { type Domain, type Journal, keySelectors, type Workspace } from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Ended, Outcome } from "../context.ts";
import type { DnsOptions } from "../dns/context.ts";
import { settleInterrupted } from "../publishing/publication.ts";
import { domainOperands, reading, type Session } from "../session.ts";
import { domainName, judgement, loss, sentence, time } from "../shapes.ts";
import { hostTitle, servedElsewhere, whoServesInstead } from "../standing/host.ts";
import { keyAskId } from "../standing/key-ask.ts";
import { lossesShown } from "../standing/losses.ts";
import { openSheet } from "../standing/sheets.ts";
import { type AskStanding, endedBy, judgementShown, nextStep, rememberSettled, survey } from "../standing/survey.ts";

export const statusSchema = z.object({
  at: time,
  broken: z
    .array(z.object({ file: z.string(), because: sentence }))
    .describe("files of domains that have a mistake; the other domains are looked at all the same"),
  domains: z.array(
    z.object({
      domain: domainName,
      role: z.string(),
      host: z.string().nullable().describe("the title of its DNS host; null where its file names none"),
      elsewhere: servedElsewhere.nullable().describe("other servers that serve the domain in place of its DNS host"),
      asks: z.array(
        z.object({
          id: z.string(),
          service: z.string(),
          purpose: z.string(),
          state: z.enum(STATES),
          because: sentence,
          next: sentence.describe("the command or step that comes next; empty where nothing is left to do"),
          visibleBy: time.nullable().describe("when everyone sees what was published, at the latest"),
        }),
      ),
      senders: z
        .array(z.object({ service: z.string(), address: z.string().nullable(), state: z.string(), next: sentence }))
        .describe("sender addresses, and the domain itself where address is null, as each service last said"),
      keysWithoutAsk: z
        .array(z.object({ selector: z.string(), next: sentence }))
        .describe("private keys of the workspace whose records nobody asked for, as a run that was stopped leaves them"),
      interrupted: z.array(sentence).describe("publications that broke off, and what became of them"),
      sheet: z.object({ since: time, next: sentence }).nullable().describe("the fill-in sheet that is still to be entered"),
      signaturesEnd: time
        .nullable()
        .describe("when the first DNSSEC signature of the domain ends, where that is before everyone sees what was published"),
      lost: z
        .array(loss)
        .describe("records that were there before the newest publication, were not to be touched, and are gone or changed"),
      judgement,
    }),
  ),
});

export type StatusResult = z.output<typeof statusSchema>;

/** States of asks whose records are still to be entered, where a sheet for them is open. */
const SHEET_STATES: ReadonlySet<State> = new Set(["noted", "astray", "clashing"]);

/** The end of the domains together, with what is open at services. */
function endedOf(domains: StatusResult["domains"]): Ended {
  const judged = endedBy(domains.map((domain) => domain.judgement.verdict));
  const open = domains.some(({ senders }) => senders.some((sender) => sender.next !== NOTHING));
  return judged === "fine" && open ? "problem" : judged;
}

/** Addresses and domains at services, as they were said last; asking again is the next step of those that are not done. */
function sendersOf(journal: Journal, domain: DomainName): StatusResult["domains"][number]["senders"] {
  const last = new Map(journal.entries(domain, "sender-state").map((entry) => [`${entry.service} ${entry.address}`, entry]));
  return [...last.values()].map(({ service, address, state }) => {
    const done = state === "confirmed" || state === "accepted";
    const call =
      address === undefined
        ? clause("next-sender-domain", { service, domain })
        : clause("next-sender-address", { service, address });
    return { service, address: address ?? null, state, next: done ? NOTHING : call };
  });
}

/** Private keys whose records no ask wants, and whose ask was not ended either. */
function keysWithoutAsk(
  workspace: Workspace,
  domain: Domain,
  journal: Journal | undefined,
): StatusResult["domains"][number]["keysWithoutAsk"] {
  const ended = new Set(journal?.entries(domain.name, "ask-retired").map((journalEntry) => journalEntry.ask));
  const wanted = new Set(domain.asks.flatMap((ask) => dnsWants(ask.wants).map((want) => want.name)));
  const wasAsked = (selector: string) => [...ended].some((ask) => ask.endsWith(keyAskId("", "dkim", selector)));
  return keySelectors(workspace.folder, domain.name)
    .filter((selector) => {
      const name = keyNameOf(domain.name, selector);
      return name !== undefined && !wanted.has(name) && !wasAsked(selector);
    })
    .map((selector) => ({
      selector,
      next: clause("next-new-key", { domain: domain.name, selector }),
    }));
}

/** What {@link status} is asked. */
export interface StatusRequest extends CommonRequest, DnsOptions {}

/** Where every ask stands, and the next step for each. */
export async function status(
  request: StatusRequest,
  context: AppContext,
  wording: (failure: Failure) => string,
): Promise<Outcome<StatusResult>> {
  const work = async ({ workspace, domains, dns }: Session, journal: Journal | undefined): Promise<Outcome<StatusResult>> => {
    const observes = !dns.fromFiles && request.at === undefined;
    const shown: StatusResult["domains"] = [];
    for (const domain of domains) {
      const interrupted = journal === undefined || !observes ? [] : await settleInterrupted(domain, dns, workspace, journal);
      const surveyed = await survey(domain, dns, workspace, journal);
      if (journal !== undefined && observes) rememberSettled(journal, surveyed, dns.now);
      const sheet = journal === undefined ? undefined : openSheet(journal, domain.name);
      const onSheet = new Set(sheet?.opened.changes.flatMap(({ asks }) => asks));
      const nextOf = (standing: AskStanding) =>
        onSheet.has(standing.ask.id) && SHEET_STATES.has(standing.state)
          ? clause("next-check-sheet", { domain: domain.name })
          : nextStep(standing, domain.name, workspace, dns.now);
      shown.push({
        domain: domain.name,
        role: domain.role,
        host: hostTitle(domain, workspace) ?? null,
        elsewhere: (await whoServesInstead(domain, dns)) ?? null,
        asks: surveyed.asks.map((standing) => ({
          id: standing.ask.id,
          service: standing.ask.service,
          purpose: standing.ask.purpose,
          state: standing.state,
          because: standing.because,
          next: nextOf(standing),
          visibleBy: standing.visibility === undefined ? null : standing.visibility.by,
        })),
        senders: journal === undefined ? [] : sendersOf(journal, domain.name),
        keysWithoutAsk: keysWithoutAsk(workspace, domain, journal),
        interrupted,
        sheet: sheet === undefined ? null : { since: sheet.opened.at, next: clause("next-check-sheet", { domain: domain.name }) },
        signaturesEnd: surveyed.signaturesEnd ?? null,
        lost: lossesShown(domain.name, surveyed.lost),
        judgement: judgementShown(surveyed),
      });
    }
    // Who asks about one domain is told of that one.
    const broken = (request.operands.length > 0 ? [] : workspace.broken).map(({ path, failure }) => ({
      file: relative(workspace.folder, path),
      because: verbatim(wording(failure).replace(/\.$/, "")),
    }));
    const ended = endedOf(shown);
    return {
      ended: ended === "fine" && broken.length > 0 ? "problem" : ended,
      result: { at: dns.now, broken, domains: shown },
    };
  };
  return reading(request, context, domainOperands(request.operands), work, { goesOn: true });
}
