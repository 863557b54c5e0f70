import * as z from "zod";
import { type Clause, clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import { type DomainName, isAtOrBelow, parseName } from "../../core/name/index.ts";
import type { LinkDescription, Offer, SCOPES } from "../../core/sending/index.ts";
import { askLink, type LinkFailure, type LinkTo } from "../../net/service-link.ts";
import { type Journal, pickService, readSecret, type SecretPlace, type Settings, type Workspace } from "../../workspace/index.ts";
import type { AppContext, CommonRequest } from "../context.ts";
import type { DnsRequest } from "../dns/context.ts";
import { type Session, writing } from "../session.ts";
import { sentence } from "../shapes.ts";
import { nextStep, survey } from "../standing/survey.ts";

type ServiceSettings = Settings["services"][string];

/** A service of the workspace, and how it is reached; `link` is undefined where it is kept by hand. */
export interface ServiceAt {
  readonly key: string;
  readonly title: string;
  readonly settings: ServiceSettings;
  readonly link: LinkTo | undefined;
}

/** How a service is asked over its link. */
export const linkOf = (
  url: string,
  service: Pick<ServiceSettings, "title" | "key">,
  workspace: Workspace,
  request: Pick<DnsRequest, "timeout">,
  context: AppContext,
): LinkTo => ({
  url,
  key:
    service.key === undefined
      ? undefined
      : readSecret(service.key, clause("secret-key", { title: service.title }), workspace.folder, context.env),
  timeout: request.timeout,
});

/** The service an operand names. */
export function serviceNamed(
  workspace: Workspace,
  key: string | undefined,
  request: CommonRequest & DnsRequest,
  context: AppContext,
): ServiceAt {
  const { services } = workspace.settings;
  if (key === undefined) throw new Failure("which-service", { known: Object.keys(services) });
  const known = pickService(workspace, key);
  const settings = services[known] as ServiceAt["settings"];
  const { title, link } = settings;
  return {
    key: known,
    title,
    settings,
    link: link === undefined ? undefined : linkOf(link, settings, workspace, request, context),
  };
}

const described = new WeakMap<LinkTo, ReturnType<typeof askLink<"describe">>>();

/** What a service offers over its link, asked once in the life of a command; undefined where it has none. */
export async function offersOf({ title, link }: ServiceAt): Promise<LinkDescription["offers"] | undefined> {
  if (link === undefined) return undefined;
  let asked = described.get(link);
  if (asked === undefined) described.set(link, (asked = askLink(link, "describe")));
  const answer = await asked;
  if (!answer.ok) throw new Failure("service-unseen", { title, because: answer.error.because });
  return answer.value.offers;
}

/** The link of a service that has to offer something; the error says what to do where it does not. */
export async function linkFor(service: ServiceAt, offer: Offer, otherwise: Clause): Promise<LinkTo> {
  const offers = await offersOf(service);
  if (service.link !== undefined && offers?.includes(offer) === true) return service.link;
  throw new Failure("not-offered", { title: service.title, offer: service.link === undefined ? undefined : offer, otherwise });
}

/** A service that could not be asked, or that did not do it. */
export const linkTrouble = ({ title }: ServiceAt, what: Clause, { kind, because }: LinkFailure): Failure =>
  kind === "failed" || kind === "unreachable"
    ? new Failure("service-unseen", { title, because })
    : new Failure("service-refused", { title, what, because, key: kind === "key" });

/** What the user records by hand of a service without a link. */
export interface ByHandOptions {
  readonly confirmed: boolean;
  readonly note: string | undefined;
  /** The day it did, YYYY-MM-DD; today where none is given. */
  readonly on: string | undefined;
}

/** What the user recorded: the note, and the day. */
function byHand(request: ByHandOptions, context: AppContext): { note: string; on: string } {
  const today = new Date(context.clock.now()).toISOString().slice(0, 10);
  const on = request.on ?? today;
  if (!/^\d{4}-\d{2}-\d{2}$/.test(on) || Number.isNaN(Date.parse(on))) throw new Failure("day-form", { given: on });
  if (on > today) throw new Failure("day-to-come", { given: on });
  return { note: request.note ?? "", on };
}

/** Records what the user says a service shows; gives back the same in a clause. */
export function recordByHand(
  { service, journal }: AtService,
  domain: DomainName,
  state: "confirmed" | "accepted",
  address: string | undefined,
  request: ByHandOptions,
  context: AppContext,
): Clause {
  const { note, on } = byHand(request, context);
  journal.append(context.clock.now(), domain, {
    kind: "sender-state",
    service: service.key,
    ...(address === undefined ? {} : { address }),
    state,
    by: "user",
    note,
    on,
  });
  return clause("service-recorded", { on, note });
}

/** What a command about one service works with. */
export interface AtService {
  readonly service: ServiceAt;
  /** What is behind the service's name. */
  readonly operands: readonly string[];
  readonly session: Session;
  readonly journal: Journal;
}

/** Runs a use case whose first operand is a service. */
export const withService = <T>(
  request: CommonRequest & DnsRequest,
  context: AppContext,
  work: (at: AtService) => Promise<T>,
): Promise<T> =>
  writing(
    request,
    context,
    () => [],
    (session, journal) => {
      const [key, ...more] = request.operands;
      return work({ service: serviceNamed(session.workspace, key, request, context), operands: more, session, journal });
    },
  );

/** The domain of a mail address. */
export function domainOfAddress(address: string): DomainName {
  const at = address.lastIndexOf("@");
  const parsed = parseName(address.slice(at + 1));
  if (at < 1 || /[\s<>,;:"\\()[\]]/.test(address) || !parsed.ok || parsed.value === ".")
    throw new Failure("address-form", { given: address });
  return parsed.value;
}

/** The last that is known of a sender address, or of a domain where no address is given. */
export function lastState(journal: Journal, service: string, domain: DomainName, address?: string) {
  return journal
    .entries(domain, "sender-state")
    .findLast((entry) => entry.service === service && entry.address?.toLowerCase() === address?.toLowerCase());
}

/** What was recorded of a sender, by hand or by its service. */
export function recorded(entry: NonNullable<ReturnType<typeof lastState>>): Clause {
  const on = new Date(entry.at).toISOString().slice(0, 10);
  return entry.by === "user"
    ? clause("service-recorded", { on: entry.on ?? on, note: entry.note })
    : clause("service-said-so", { on });
}

/** A credential the workspace keeps, where it is kept, and what it is good for. */
export interface KeptCredential {
  readonly id: string;
  readonly scope: (typeof SCOPES)[number];
  /** Undefined is every domain. */
  readonly domain: DomainName | undefined;
  readonly user: string;
  readonly kept: string;
}

const EVERY_DOMAIN = ".";

/** Under which domain a credential stands in the journal. */
export const journalDomain = (domain: DomainName | undefined): string => domain ?? EVERY_DOMAIN;

/** The credentials of a service that are good as far as the workspace knows, newest first. */
export function keptCredentials(journal: Journal, service: string): KeptCredential[] {
  const revoked = new Set(
    journal
      .entries(undefined, "credential-revoked")
      .filter((journalEntry) => journalEntry.service === service)
      .map((journalEntry) => journalEntry.credential),
  );
  return journal
    .entries(undefined, "credential-kept")
    .filter((candidate) => candidate.service === service && !revoked.has(candidate.credential))
    .map((journalEntry) => ({
      id: journalEntry.credential,
      scope: journalEntry.scope as KeptCredential["scope"],
      domain: journalEntry.domain === EVERY_DOMAIN ? undefined : (journalEntry.domain as DomainName),
      user: journalEntry.user,
      kept: journalEntry.kept,
    }))
    .reverse();
}

/** Something that mail depends on and that is not there; `unknown` is the state of what could not be asked. */
export const missingShape = z.object({ what: z.string(), state: z.string(), because: sentence, next: sentence });
export type Missing = z.output<typeof missingShape>;

/** Purposes without which mail of a service does not arrive as it should. */
const MAIL_PURPOSES: readonly string[] = ["ownership", "sending", "bounce", "tracking", "policy"];

/** The asks of a service for a domain that are neither settled nor proven; a domain nobody looks after is missing itself. */
export async function unsettledAsks(
  service: ServiceAt,
  domain: DomainName,
  { workspace, dns }: Session,
  journal: Journal,
): Promise<Missing[]> {
  // Mail of a subdomain rests on the asks of the domain it belongs to.
  const [known] = workspace.domains
    .filter((candidate) => isAtOrBelow(domain, candidate.name))
    .sort((a, b) => b.name.length - a.name.length);
  if (known === undefined) {
    const plain = domain.slice(0, -1);
    return [{ what: plain, state: "missing", because: clause("service-no-domain"), next: clause("next-init", { domain }) }];
  }
  const { asks } = await survey(known, dns, workspace, journal);
  return asks
    .filter(({ ask, piece }) => ask.service === service.key && MAIL_PURPOSES.includes(ask.purpose) && piece.is !== "met")
    .map((standing) => ({
      what: standing.ask.id,
      state: standing.state,
      because: standing.because,
      next: nextStep(standing, known.name, workspace, dns.now),
    }));
}

/**
 * Keeps a secret that is shown once: the place is there before it is asked for, and what cannot be kept or written down is
 * taken back where it was made; `undo` says in a clause how that went.
 */
export async function storeOneTimeSecret<T extends { readonly secret: string }>(
  place: SecretPlace,
  fetch: () => Promise<T>,
  writeDown: (made: T) => void,
  undo: (made: T) => Promise<Clause>,
  settingsOf: (made: T) => Readonly<Record<string, string>> = () => ({}),
): Promise<T> {
  const made = await fetch().catch(async (error) => {
    await place.discard();
    throw error;
  });
  try {
    await place.keep(made.secret, settingsOf(made));
    writeDown(made);
    return made;
  } catch (error) {
    await place.discard();
    throw new Failure("secret-not-kept", { undone: await undo(made), because: (error as Error).message });
  }
}
