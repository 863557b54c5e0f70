import { randomBytes } from "node:crypto";
import { join } from "node:path";
import * as z from "zod";
import { type Clause, clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import type { DomainName } from "../../core/name/index.ts";
import { withoutRootDot } from "../../core/name/index.ts";
import { SCOPES } from "../../core/sending/index.ts";
import { askLink } from "../../net/service-link.ts";
import { ignoreInGit, lockWorkspace, type SecretPlace, secretFile, secretVariable } from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import type { DnsOptions } from "../dns/context.ts";
import { nameOperand } from "../dns/context.ts";
import type { Session, writing } from "../session.ts";
import { domainName, time } from "../shapes.ts";
import {
  journalDomain,
  keptCredentials,
  linkFor,
  linkTrouble,
  offersOf,
  type ServiceAt,
  storeOneTimeSecret,
  withService,
} from "./services.ts";
import { smtpSettings } from "./submission.ts";

const credential = z.object({
  id: z.string(),
  scope: z.enum(SCOPES),
  domain: domainName.nullable().describe("the one domain it is good for; null is every domain"),
  user: z.string(),
  kept: z
    .string()
    .nullable()
    .describe("where the secret is kept, as in zandrel.yaml; null where this workspace does not have it"),
});

export const senderCredentialSchema = z.object({
  at: time,
  service: z.string(),
  title: z.string(),
  done: z.enum(["made", "kept", "revoked", "listed"]),
  credentials: z.array(credential).describe("the one it is about, or all of them"),
  place: z.string().nullable().describe("where the secret went"),
  ignored: z.boolean().describe("whether the file was added to .gitignore just now"),
});

type Journal = Parameters<Parameters<typeof writing>[3]>[1];

/** Names of the variables for the settings that go with a password. */
interface SettingNames {
  readonly host: string;
  readonly port: string;
  readonly tls: string;
  readonly user: string;
}

/** Where the secret goes, made before there is one, so that it cannot be lost; and the names for settings beside it. */
async function placeFor(
  request: SenderCredentialRequest,
  folder: string,
  service: ServiceAt,
  domain: DomainName | undefined,
  context: AppContext,
): Promise<{ place: SecretPlace; names?: SettingNames }> {
  const file = request.environment;
  if (file === undefined) {
    if (request.as !== undefined || request.withSettings) throw new Failure("as-without-environment", {});
    const usual = join("keys", service.key, `${domain === undefined ? "every-domain" : withoutRootDot(domain)}.secret`);
    return { place: secretFile(folder, request.secretFile ?? usual) };
  }
  if (request.secretFile !== undefined) throw new Failure("two-places", {});
  const own = service.key.toUpperCase().replaceAll("-", "_");
  const name = request.as ?? `${own}_PASSWORD`;
  if (!/^[A-Za-z_][A-Za-z0-9_]*$/.test(name)) throw new Failure("variable-name", { given: name });
  const stem = name.endsWith("_PASSWORD") ? name.slice(0, -"_PASSWORD".length) : own;
  const names = { host: `${stem}_HOST`, port: `${stem}_PORT`, tls: `${stem}_TLS`, user: `${stem}_USER` };
  const settings = request.withSettings ? Object.values(names) : [];
  const place = await secretVariable(folder, file, name, context, { settings, replace: request.force });
  return request.withSettings ? { place, names } : { place };
}

/** Makes or keeps a credential: the place first, then the secret, then the journal; never a secret without a place. */
async function keep(
  { request, session: { workspace }, journal, service, context }: At,
  fetch: (
    domain: DomainName | undefined,
  ) => Promise<{ id: string; scope: (typeof SCOPES)[number]; user: string; secret: string }>,
  undo: (id: string) => Promise<Clause>,
): Promise<Pick<SenderCredentialResult, "credentials" | "place" | "ignored">> {
  const domain = request.domain === undefined ? undefined : nameOperand(request.domain);
  if ((domain === undefined) === !request.allDomains) throw new Failure("credential-scope", {});
  const smtp = request.withSettings ? await smtpSettings(service, journal, domain) : undefined;
  if (request.withSettings && smtp === undefined)
    throw new Failure("no-smtp-settings", { service: service.key, title: service.title });
  const { place, names } = await placeFor(request, workspace.folder, service, domain, context);
  const { id, scope, user } = await storeOneTimeSecret(
    place,
    () => fetch(domain),
    (made) =>
      journal.append(context.clock.now(), journalDomain(domain), {
        kind: "credential-kept",
        service: service.key,
        credential: made.id,
        scope: made.scope,
        user: made.user,
        kept: place.reference,
      }),
    (made) => undo(made.id),
    (made) =>
      names === undefined || smtp === undefined
        ? {}
        : { [names.host]: smtp.host, [names.port]: String(smtp.port), [names.tls]: smtp.tls, [names.user]: made.user },
  );
  // A file with a secret in it is one step away from being shared with everybody who has the project.
  const file = request.environment;
  const ignored =
    file !== undefined && (await lockWorkspace(workspace.folder, context, () => ignoreInGit(workspace.folder, file)));
  const credential = { id, scope, user, domain: domain ?? null, kept: place.reference };
  return { credentials: [credential], place: place.title, ignored };
}

/** What {@link senderCredential} is asked. */
export interface SenderCredentialRequest extends CommonRequest, DnsOptions {
  readonly new: (typeof SCOPES)[number] | undefined;
  readonly keep: boolean;
  readonly user: string | undefined;
  readonly domain: string | undefined;
  readonly allDomains: boolean;
  readonly secretFile: string | undefined;
  readonly environment: string | undefined;
  readonly as: string | undefined;
  readonly withSettings: boolean;
  readonly force: boolean;
  readonly end: string | undefined;
}

/** Where a credential is made, kept or ended. */
interface At {
  readonly request: SenderCredentialRequest;
  readonly context: AppContext;
  readonly service: ServiceAt;
  readonly session: Session;
  readonly journal: Journal;
}

/** What one way through {@link senderCredential} adds to its result. */
type Done = Pick<SenderCredentialResult, "done" | "credentials" | "place"> & Partial<Pick<SenderCredentialResult, "ignored">>;

/** The link of a service that lists, makes and ends credentials over it. */
const credentialLink = async (service: ServiceAt) =>
  (await offersOf(service))?.includes("credentials") === true ? service.link : undefined;

async function makeOverLink(at: At, scope: (typeof SCOPES)[number]): Promise<Done> {
  const { service } = at;
  const link = await linkFor(service, "credentials", clause("by-hand-credential", { service: service.key }));
  const made = await keep(
    at,
    async (domain) => {
      const answer = await askLink(link, "makeCredential", {
        body: { scope, domain: domain === undefined ? null : withoutRootDot(domain) },
      });
      if (!answer.ok) throw linkTrouble(service, clause("asked-make-credential"), answer.error);
      return answer.value;
    },
    async (id) => {
      const ended = await askLink(link, "revokeCredential", { at: { id } });
      return ended.ok
        ? clause("undone-ended", { what: "credential", id })
        : clause("undone-not-ended", { what: "credential", id, title: service.title });
    },
  );
  return { done: "made", ...made };
}

async function keepGiven(at: At): Promise<Done> {
  const { user } = at.request;
  if (user === undefined) throw new Failure("keep-without-user", {});
  const kept = await keep(
    at,
    async () => {
      const secret = (await at.context.readInput(4096)).trim();
      if (secret === "" || /[\s\x00-\x1f]/.test(secret)) throw new Failure("no-secret-given", {});
      // Each has an id of its own, so that ending one does not end the next.
      return { id: `by-hand-${randomBytes(4).toString("hex")}`, scope: "mail", user, secret };
    },
    async () => clause("undone-nothing"),
  );
  return { done: "kept", ...kept };
}

async function end({ service, journal, context }: At, id: string): Promise<Done> {
  const own = keptCredentials(journal, service.key).find((keptCredential) => keptCredential.id === id);
  const link = await credentialLink(service);
  if (link !== undefined) {
    const ended = await askLink(link, "revokeCredential", { at: { id } });
    if (!ended.ok) throw linkTrouble(service, clause("asked-end-credential", { id }), ended.error);
  } else if (own === undefined)
    throw new Failure("unknown-credential", { given: id, title: service.title, service: service.key });
  journal.append(context.clock.now(), journalDomain(own?.domain), {
    kind: "credential-revoked",
    service: service.key,
    credential: id,
  });
  const ended = { id, scope: own?.scope ?? "mail", user: own?.user ?? "", domain: own?.domain ?? null, kept: own?.kept ?? null };
  return { done: "revoked", credentials: [ended], place: own?.kept ?? null };
}

async function list({ service, journal }: At): Promise<Done> {
  const kept = keptCredentials(journal, service.key);
  const link = await credentialLink(service);
  if (link === undefined)
    return {
      done: "listed",
      credentials: kept.map((keptCredential) => ({ ...keptCredential, domain: keptCredential.domain ?? null })),
      place: null,
    };
  const asked = await askLink(link, "listCredentials");
  if (!asked.ok) throw linkTrouble(service, clause("asked-list-credentials"), asked.error);
  const credentials = asked.value.credentials.map(({ id, scope, domain, user }) => ({
    id,
    scope,
    domain: domain === null ? null : nameOperand(domain),
    user,
    kept: kept.find((candidate) => candidate.id === id)?.kept ?? null,
  }));
  return { done: "listed", credentials, place: null };
}

/** Make a credential for sending, kept in a file at once and never shown; list and end those there are. */
export async function senderCredential(
  request: SenderCredentialRequest,
  context: AppContext,
): Promise<Outcome<SenderCredentialResult>> {
  return withService(request, context, async ({ service, session, journal }) => {
    if ([request.new !== undefined, request.keep, request.end !== undefined].filter(Boolean).length > 1)
      throw new Failure("credential-one-action", {});
    const at: At = { request, context, service, session, journal };
    const now = context.clock.now();
    const done =
      request.new !== undefined
        ? await makeOverLink(at, request.new)
        : request.keep
          ? await keepGiven(at)
          : request.end !== undefined
            ? await end(at, request.end)
            : await list(at);
    return { ended: "fine", result: { at: now, service: service.key, title: service.title, ignored: false, ...done } };
  });
}

export type SenderCredentialResult = z.output<typeof senderCredentialSchema>;
