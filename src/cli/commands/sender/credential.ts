import { join } from "node:path";
import { z } from "zod";
import { resolverOptions } from "../../../app/dns/context.ts";
import {
  domainOption,
  journalDomain,
  keptCredentials,
  linkFor,
  linkTrouble,
  offersOf,
  type ServiceAt,
  storeOneTimeSecret,
  withService,
} from "../../../app/services/services.ts";
import type { Session, writing } from "../../../app/session.ts";
import { withoutRootDot } from "../../../app/shapes.ts";
import type { DomainName } from "../../../core/name/index.ts";
import { SCOPES } from "../../../core/sending/index.ts";
import { EXIT, UserError } from "../../../core/user-error.ts";
import { askLink } from "../../../net/service-link.ts";
import { isoTime, visible, wrap } from "../../../present/index.ts";
import { type SecretPlace, secretFile, secretVariable } from "../../../workspace/index.ts";
import { type Arguments, type Context, command } from "../../command.ts";

const credential = z.object({
  id: z.string(),
  scope: z.enum(SCOPES),
  domain: z.string().nullable().describe("the one domain it is good for; null is every domain"),
  user: z.string(),
  kept: z
    .string()
    .nullable()
    .describe("where the secret is kept, as in zandrel.yaml; null where this workspace does not have it"),
});

const result = z.object({
  at: z.string(),
  service: z.string(),
  title: z.string(),
  done: z.enum(["made", "kept", "revoked", "listed"]),
  credentials: z.array(credential).describe("the one it is about, or all of them"),
  place: z.string().nullable().describe("where the secret went"),
});
type Result = z.output<typeof result>;
type Journal = Parameters<Parameters<typeof writing>[3]>[1];

/** Where the secret goes; made before there is one, so that it cannot be lost. */
function placeFor(args: Arguments, folder: string, service: ServiceAt, domain: DomainName | undefined): SecretPlace {
  const file = args.environment as string | undefined;
  if (file === undefined) {
    if (args.as !== undefined) throw new UserError("--as names a variable of an environment file: give --environment too.");
    const usual = join("keys", service.key, `${domain === undefined ? "every-domain" : withoutRootDot(domain)}.secret`);
    return secretFile(folder, (args.into as string | undefined) ?? usual);
  }
  if (args.into !== undefined) throw new UserError("--into and --environment are two places: give one of them.");
  const name = (args.as as string | undefined) ?? `${service.key.toUpperCase().replaceAll("-", "_")}_PASSWORD`;
  if (!/^[A-Za-z_][A-Za-z0-9_]*$/.test(name))
    throw new UserError(`--as “${visible(name)}” is no name of an environment variable: use letters, digits and _.`);
  return secretVariable(folder, file, name);
}

/** Makes or keeps a credential: the place first, then the secret, then the journal; never a secret without a place. */
async function keep(
  args: Arguments,
  { workspace }: Session,
  journal: Journal,
  service: ServiceAt,
  context: Context,
  fetch: (
    domain: DomainName | undefined,
  ) => Promise<{ id: string; scope: (typeof SCOPES)[number]; user: string; secret: string }>,
  undo: (id: string) => Promise<string>,
): Promise<{ credential: z.output<typeof credential>; place: string }> {
  const domain = domainOption(args);
  if ((domain === undefined) === (args["all-domains"] !== true))
    throw new UserError(
      "say what the credential is good for: --domain DOMAIN for one, or --all-domains for every domain of the account.",
    );
  const place = placeFor(args, workspace.folder, service, domain);
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
  );
  return { credential: { id, scope, user, domain: domain ?? null, kept: place.reference }, place: place.title };
}

export default command<Result>({
  name: "sender credential",
  operands: "SERVICE",
  summary: "make a credential for sending, kept in a file at once and never shown; list and end those there are",
  examples: [
    ["zandrel sender credential swiftquill", "which there are, and where their secrets are kept"],
    [
      "zandrel sender credential swiftquill --new sending --domain brackwater-tickets.example",
      "make one that can only send, for one domain; its secret goes into keys/swiftquill/",
    ],
    [
      "zandrel sender credential swiftquill --new sending --domain brackwater-tickets.example --environment shop.env --as MAIL_PASSWORD",
      "the same, straight into an application's environment file",
    ],
    [
      "zandrel sender credential heronpost --keep --user theatre --domain brackwater.example < secret.txt",
      "keep a secret that a page showed, read from standard input",
    ],
    ["zandrel sender credential swiftquill --revoke c-41", "end one"],
  ],
  options: {
    ...resolverOptions,
    new: { choices: SCOPES, requiresArg: true, describe: "make one: sending only, or everything" },
    keep: { type: "boolean", default: false, describe: "keep a secret from standard input, of a service without a link" },
    user: { type: "string", requiresArg: true, describe: "the user name that belongs to it, with --keep" },
    domain: { type: "string", requiresArg: true, describe: "the one domain it is good for" },
    "all-domains": { type: "boolean", default: false, describe: "good for every domain of the account" },
    into: { type: "string", requiresArg: true, describe: "the file for the secret, in the workspace; it must not be there yet" },
    // Not the usual name for it: Node takes an option of that name for its own, wherever on the line it stands.
    environment: {
      type: "string",
      requiresArg: true,
      describe: "an environment file for the secret instead; its other lines stay",
    },
    as: { type: "string", requiresArg: true, describe: "the variable's name in that file" },
    revoke: { type: "string", requiresArg: true, describe: "end the credential with this id" },
  },
  schema: result,
  run(args, context) {
    const usage = { operands: 0, example: "zandrel sender credential swiftquill" };
    return withService(args, context, usage, async ({ service, session, journal }) => {
      const common = { at: isoTime(context.clock.now()), service: service.key, title: service.title };
      if ([args.new !== undefined, args.keep === true, args.revoke !== undefined].filter(Boolean).length > 1)
        throw new UserError("--new, --keep and --revoke are three different things: give one of them.");
      if (args.new !== undefined) {
        const scope = args.new as (typeof SCOPES)[number];
        const link = await linkFor(
          service,
          "credentials",
          `make the credential on its page, then keep it with zandrel sender credential ${service.key} --keep`,
        );
        const { credential: made, place } = await keep(
          args,
          session,
          journal,
          service,
          context,
          async (domain) => {
            const answer = await askLink(link, "makeCredential", {
              body: { scope, domain: domain === undefined ? null : withoutRootDot(domain) },
            });
            if (!answer.ok) throw linkTrouble(service, "make a credential", answer.error);
            return answer.value;
          },
          async (id) => {
            const ended = await askLink(link, "revokeCredential", { at: { id } });
            return ended.ok
              ? `so the new credential ${id} was ended again`
              : `and the new credential ${id} could not be ended either, end it at ${service.title}`;
          },
        );
        return { exit: EXIT.ok, result: { ...common, done: "made" as const, credentials: [made], place } };
      }
      if (args.keep === true) {
        const user = args.user as string | undefined;
        if (user === undefined) throw new UserError("--keep wants --user, the name that belongs to the secret.");
        const { credential: made, place } = await keep(
          args,
          session,
          journal,
          service,
          context,
          async () => {
            const secret = (await context.readInput(4096)).trim();
            if (secret === "" || /[\s\x00-\x1f]/.test(secret))
              throw new UserError("standard input holds no secret on one line: pipe it in, for example from a password manager.");
            // Each has an id of its own, so that ending one does not end the next.
            const id = `by-hand-${context.clock.now().toString(36)}`;
            return { id, scope: "sending", user, secret };
          },
          async () => "and nothing was changed",
        );
        return { exit: EXIT.ok, result: { ...common, done: "kept" as const, credentials: [made], place } };
      }
      const kept = keptCredentials(journal, service.key);
      if (args.revoke !== undefined) {
        const id = args.revoke as string;
        const own = kept.find((one) => one.id === id);
        const link = (await offersOf(service))?.includes("credentials") === true ? service.link : undefined;
        if (link !== undefined) {
          const ended = await askLink(link, "revokeCredential", { at: { id } });
          if (!ended.ok) throw linkTrouble(service, `end the credential ${id}`, ended.error);
        } else if (own === undefined)
          throw new UserError(
            `there is no credential ${visible(id)} of ${service.title} here: zandrel sender credential ${service.key} lists them.`,
          );
        journal.append(context.clock.now(), journalDomain(own?.domain), {
          kind: "credential-revoked",
          service: service.key,
          credential: id,
        });
        const ended = {
          id,
          scope: own?.scope ?? ("sending" as const),
          user: own?.user ?? "",
          domain: own?.domain ?? null,
          kept: own?.kept ?? null,
        };
        return {
          exit: EXIT.ok,
          result: { ...common, done: "revoked" as const, credentials: [ended], place: own?.kept ?? null },
        };
      }
      const asked =
        (await offersOf(service))?.includes("credentials") === true && service.link !== undefined
          ? await askLink(service.link, "listCredentials")
          : undefined;
      if (asked !== undefined && !asked.ok) throw linkTrouble(service, "list its credentials", asked.error);
      const credentials =
        asked === undefined
          ? kept.map((one) => ({ ...one, domain: one.domain ?? null }))
          : asked.value.credentials.map(({ id, scope, domain, user }) => ({
              id,
              scope,
              domain: domain === null ? null : `${domain}.`,
              user,
              kept: kept.find((one) => one.id === id)?.kept ?? null,
            }));
      return { exit: EXIT.ok, result: { ...common, done: "listed" as const, credentials, place: null } };
    });
  },
  present({ done, title, service, credentials, place }, { style, width }) {
    const goodFor = ({ scope, domain }: Result["credentials"][number]): string =>
      `${scope === "sending" ? "can only send" : "can do everything"}, for ${domain === null ? "every domain" : visible(domain.slice(0, -1))}`;
    const [one] = credentials;
    if (done === "listed")
      return credentials.length === 0
        ? `${visible(title)} has no credential yet. Make one: ${style.command(`zandrel sender credential ${service} --new sending --domain DOMAIN`)}\n`
        : `${credentials.map((each) => `${style.title(visible(each.id))}  ${goodFor(each)}; user ${visible(each.user)}; ${each.kept === null ? "its secret is not in this workspace" : `secret in ${visible(each.kept)}`}\n`).join("")}`;
    if (one === undefined) return "";
    if (done === "revoked")
      return `${style.good("✓")} ${visible(one.id)} of ${visible(title)} is ended; nothing can be sent with it any more.${place === null ? "" : ` Its secret in ${visible(place)} may be deleted.`}\n`;
    return [
      `${style.good("✓")} ${style.title(visible(one.id))} of ${visible(title)} ${goodFor(one)}.`,
      `  ${wrap(`The secret is in ${visible(place ?? "")}, for your eyes only (mode 0600), and is shown nowhere else.`, width - 2, "  ")}`,
      ...(one.kept?.startsWith("env:") === true
        ? [
            `  ${wrap(`Commands that send read it from ${one.kept.slice(4)}: load the file into the environment first.`, width - 2, "  ")}`,
          ]
        : []),
      `  next: ${style.command(`zandrel sender settings ${service}${one.domain === null ? "" : ` --domain ${one.domain.slice(0, -1)}`} --check`)}`,
      "",
    ].join("\n");
  },
});
