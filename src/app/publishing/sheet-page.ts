import { type SheetEntry, type SheetStep, sheetSteps } from "../../core/change/index.ts";
import { type Clause, clause } from "../../core/clause/index.ts";
import { distinct } from "../../core/distinct.ts";
import { Failure } from "../../core/failure.ts";
import { type Lookup, liveAt, ownSetOf } from "../../core/lookup/index.ts";
import { type DomainName, name as nameOf, withoutRootDot } from "../../core/name/index.ts";
import { longestWindow, visibleBy } from "../../core/spread/index.ts";
import { type Domain, openWorkspace, pickDomains, type Workspace } from "../../workspace/index.ts";
import type { AppContext, CommonRequest } from "../context.ts";
import { type DnsOptions, nameOperand, openDns } from "../dns/context.ts";
import { formOf, hostTitle } from "../standing/host.ts";
import { lossParameters } from "../standing/losses.ts";
import { hasSheet, openSheet } from "../standing/sheets.ts";
import { draftSource } from "../standing/source.ts";
import { causeOf, survey } from "../standing/survey.ts";
import { settleInterrupted } from "./publication.ts";

/** One step of a sheet, and whether the name servers show it already. */
interface PageStep {
  readonly entry: SheetEntry;
  readonly because: string;
  /** `undefined` where nobody could be asked. */
  readonly done: boolean | undefined;
}

/** A sheet as its page shows it at one moment. */
export interface SheetState {
  readonly domain: DomainName;
  /** The title of the DNS host; undefined where none is named. */
  readonly host: string | undefined;
  readonly steps: readonly PageStep[];
  /** What was entered wrongly, what is beside it, what was deleted by mistake: each with what to do. */
  readonly slips: readonly { readonly because: Clause; readonly remedy: Clause }[];
  /** When everyone sees it at the latest, once all is entered; milliseconds since 1970. */
  readonly visibleBy: number | undefined;
  /** What is left to do at the services afterwards. */
  readonly verify: readonly {
    readonly ask: string;
    readonly service: string;
    readonly link: string | undefined;
    readonly command: Clause;
  }[];
  readonly done: boolean;
  /** Milliseconds since 1970. */
  readonly at: number;
}

type PageRequest = CommonRequest & Pick<DnsOptions, "resolver" | "timeout" | "includeFrom">;

/** Whether a step of a sheet is done; undefined where that could not be asked. */
async function doneAt(
  source: Lookup | undefined,
  apex: DomainName,
  { name, type, isDone }: SheetStep,
): Promise<boolean | undefined> {
  if (source === undefined) return undefined;
  const live = await liveAt(source, apex, name, type);
  return live.kind === "failed" ? undefined : isDone(type === "CNAME" && live.kind === "alias" ? live.set : ownSetOf(live));
}

/**
 * Looks where the newest sheet of a domain stands: each step, every slip, and when everyone will see it. Where no sheet is
 * open any more, the last one is shown as done.
 */
export async function sheetState(request: PageRequest, context: AppContext): Promise<SheetState> {
  const workspace = openWorkspace(context.cwd, request.workspace);
  const [domain] = pickDomains(workspace, request.operands.map(nameOperand)) as [Domain];
  const dns = openDns(request, context, workspace.settings, [domain.name]);
  const journal = await workspace.openJournal(context);
  try {
    await settleInterrupted(domain, dns, workspace, journal);
    const sheet = openSheet(journal, domain.name) ?? journal.publications(domain.name).findLast(({ opened }) => hasSheet(opened));
    if (sheet === undefined) throw new Failure("nothing-by-hand", {});
    const surveyed = await survey(domain, dns, workspace, journal);
    const source = draftSource(domain, surveyed.look, dns, workspace);
    const changes = sheet.opened.changes.map((change) => ({
      before: undefined,
      after: undefined,
      ...change,
      name: nameOf(change.name),
    }));
    const steps = await Promise.all(
      sheetSteps(changes, domain.name, formOf(domain, workspace)).map(async (step) => ({
        entry: step.entry,
        because: changes
          .filter((change) => change.name === step.name && change.type === step.type)
          .flatMap(({ asks }) => asks)
          .join(", "),
        done: await doneAt(source, domain.name, step),
      })),
    );
    const onSheet = new Set(changes.flatMap(({ asks }) => asks));
    const standings = surveyed.asks.filter(({ ask }) => onSheet.has(ask.id));
    const clashes = (surveyed.draft?.clashes ?? []).filter(
      (clash) =>
        onSheet.has(clash.ask) &&
        clash.offending !== undefined &&
        !changes.some((change) => change.name === clash.name && change.before !== undefined),
    );
    const slips = [
      ...standings.filter(({ state }) => state === "astray" || state === "lapsed").flatMap(({ causes }) => causes),
      ...clashes.map((clash) => causeOf(clash, domain, workspace)),
      ...surveyed.lost.map((loss) => ({
        because: clause("sheet-lost", lossParameters(loss)),
        remedy: clause("sheet-lost-mend", { domain: domain.name, name: loss.name, isChanged: loss.now !== undefined }),
      })),
    ].map(({ because, remedy }) => ({ because, remedy }));
    const all = steps.every(({ done, entry }) => done === true || entry.action === "not-offered");
    const window = longestWindow(sheet.opened.changes.flatMap((change) => change.cacheWindow ?? []));
    return {
      domain: domain.name,
      host: hostTitle(domain, workspace),
      steps,
      slips: distinct(slips, ({ because }) => JSON.stringify(because)),
      visibleBy: all && window !== undefined ? visibleBy(sheet.closed?.at ?? dns.now, window) : undefined,
      verify: standings
        .filter(({ state }) => state !== "proven")
        .map(({ ask }) => verifyStep(ask.id, ask.service, domain, workspace)),
      done: all && slips.length === 0 && standings.every(({ piece: { is } }) => is === "met" || is === "not-visible-yet"),
      at: dns.now,
    };
  } finally {
    journal.close();
    dns.close();
  }
}

const verifyStep = (ask: string, service: string, domain: Domain, workspace: Workspace): SheetState["verify"][number] => ({
  ask,
  service: workspace.settings.services[service]?.title ?? service,
  link: workspace.settings.services[service]?.page,
  command: clause("next-prove", { ask: `${withoutRootDot(domain.name)}/${ask}` }),
});
