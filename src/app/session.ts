import type { DomainName } from "../core/name/index.ts";
import { type Domain, type Journal, openWorkspace, pickDomains, type Workspace } from "../workspace/index.ts";
import type { AppContext, CommonRequest } from "./context.ts";
import type { DnsRequest } from "./dns/context.ts";
import { type DnsContext, nameOperand, openDns } from "./dns/context.ts";

/** What most commands work with: the workspace, the domains they are about, and eyes on the DNS. */
export interface Session {
  readonly workspace: Workspace;
  readonly domains: readonly Domain[];
  readonly dns: DnsContext;
}

type SessionRequest = CommonRequest & DnsRequest;

type PickDomains = (workspace: Workspace) => readonly Domain[];

/** The domains named as operands, or all of them. */
export const domainOperands =
  (operands: readonly string[]): PickDomains =>
  (workspace) =>
    pickDomains(workspace, operands.map(nameOperand));

async function open<T>(
  request: SessionRequest,
  context: AppContext,
  pick: PickDomains,
  journalOf: (workspace: Workspace) => Promise<Journal | undefined>,
  work: (session: Session, journal: Journal | undefined) => Promise<T>,
  { goesOn = false }: { readonly goesOn?: boolean } = {},
): Promise<T> {
  const workspace = openWorkspace(context.cwd, request.workspace, { goesOn });
  const domains = pick(workspace);
  const dns = openDns(
    request,
    context,
    workspace.settings,
    domains.map((domain): DomainName => domain.name),
  );
  let journal: Journal | undefined;
  try {
    journal = await journalOf(workspace);
    return await work({ workspace, domains, dns }, journal);
  } finally {
    journal?.close();
    dns.close();
  }
}

/** Runs a command that looks; the journal is there where anything was ever journalled, and closed afterwards. */
export const reading = <T>(
  request: SessionRequest,
  context: AppContext,
  pick: PickDomains,
  work: (session: Session, journal: Journal | undefined) => Promise<T>,
  /** Whether it goes on without the domains whose files have mistakes, and names them. */
  how: { readonly goesOn?: boolean } = {},
): Promise<T> =>
  open(
    request,
    context,
    pick,
    async (workspace) => (workspace.hasJournal ? workspace.openJournal(context) : undefined),
    work,
    how,
  );

/** Runs a command that writes to the journal. */
export const writing = <T>(
  request: SessionRequest,
  context: AppContext,
  pick: PickDomains,
  work: (session: Session, journal: Journal) => Promise<T>,
): Promise<T> =>
  open(
    request,
    context,
    pick,
    (workspace) => workspace.openJournal(context),
    (session, journal) => work(session, journal as Journal),
  );
