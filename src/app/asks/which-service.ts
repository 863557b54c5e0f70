import { ANOTHER_SERVICE } from "../../core/ask/index.ts";
import { clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import type { Kit } from "../../core/kit/index.ts";
import { type DomainName, isAtOrBelow, withoutRootDot } from "../../core/name/index.ts";
import type { ResourceRecord } from "../../core/record/index.ts";
import { organizationalDomain } from "../../core/suffix/index.ts";
import { KEY, keyFor, pickService, type Workspace } from "../../workspace/index.ts";
import { type AppContext, answerFrom } from "../context.ts";
import type { ServiceOfAsk } from "./add.ts";

/** How a service is named with a request: by its key in zandrel.yaml, or as one to be added. */
export interface ServiceNamed {
  readonly service: string | undefined;
  readonly addService: string | undefined;
}

/** The service that a name stands for: one that is known, or a new one with a key made from the name. */
function serviceCalled(workspace: Workspace, title: string): ServiceOfAsk {
  const { services } = workspace.settings;
  const key = keyFor(title);
  if (!KEY.test(key)) throw new Failure("service-name", { given: title });
  return { key, title: services[key]?.title ?? title };
}

/** The service that options name. */
export function namedService(workspace: Workspace, { addService, service: named }: ServiceNamed): ServiceOfAsk | undefined {
  const { services } = workspace.settings;
  if (addService !== undefined) return serviceCalled(workspace, addService);
  if (named === undefined) return undefined;
  const key = pickService(workspace, named);
  return { key, title: services[key]?.title ?? key };
}

const escapeRegex = (text: string) => text.replace(/[.*+?^${}()|[\]\\]/g, "\\$&");

/** The names outside the domain that records lead to. */
const targetsOf = (records: readonly ResourceRecord[], own: DomainName): DomainName[] =>
  records.flatMap(({ data }) => {
    const target =
      "target" in data ? data.target : "exchange" in data ? data.exchange : "host" in data ? data.host.name : undefined;
    return target === undefined || target === "." || isAtOrBelow(target, own) ? [] : [target];
  });

/** The service that targets look like, as `sites.pagewick.example` looks like Pagewick: a guess, to be offered only. */
function looksLike(targets: readonly DomainName[]): string | undefined {
  const [first, ...more] = new Set(targets.map((target) => organizationalDomain(target).split(".")[0] as string));
  return more.length === 0 ? first : undefined;
}

/**
 * The service a paste is from: the one of the kit that its records fill in, or the one whose title or key the text names.
 * On a terminal it is asked otherwise, and may be a new one; elsewhere that ends the command.
 */
export async function serviceOfPaste(
  workspace: Workspace,
  kit: Kit | undefined,
  { text, records, domain }: { readonly text: string; readonly records: readonly ResourceRecord[]; readonly domain: DomainName },
  context: Pick<AppContext, "interactive" | "choose" | "prompt">,
): Promise<ServiceOfAsk> {
  const all = Object.entries(workspace.settings.services).map(([key, { title }]) => ({ key, title }));
  if (kit !== undefined) return all.find(({ key }) => key === kit.service) ?? { key: kit.service, title: kit.title };
  const targets = targetsOf(records, domain);
  const said = targets.reduce(
    (rest, target) => rest.replaceAll(new RegExp(escapeRegex(withoutRootDot(target)), "gi"), " "),
    text,
  );
  const found = all.filter(({ key, title }) =>
    new RegExp(`(^|[^a-z0-9])(${escapeRegex(title)}|${escapeRegex(key)})($|[^a-z0-9])`, "i").test(said),
  );
  const [only, ...more] = found;
  if (only !== undefined && more.length === 0) return only;
  const guess = looksLike(targets);
  const guessed = all.find(({ key }) => key === guess);
  const offered = guess === undefined || guessed !== undefined ? undefined : `${guess[0]?.toUpperCase()}${guess.slice(1)}`;
  const several = guessed === undefined || found.includes(guessed) ? found : [...found, guessed];
  if (!context.interactive && several.length > 1) throw new Failure("several-services", { named: several });
  if (!context.interactive)
    throw new Failure("which-service", {
      known: (guessed !== undefined ? [guessed] : all).map(({ key }) => key),
      ...(offered === undefined ? {} : { offered }),
    });
  const question = { kind: "which-service", known: all, ...(guessed === undefined ? {} : { guess: guessed.key }) } as const;
  const chosen = all.length === 0 ? ANOTHER_SERVICE : await context.choose(question);
  if (chosen === undefined) throw new Failure("question-left-open", {});
  if (chosen !== ANOTHER_SERVICE) return namedService(workspace, { service: chosen, addService: undefined }) as ServiceOfAsk;
  const title = (await answerFrom(context, clause("question-service-title", { offered }))) || (offered ?? "");
  if (title === "") throw new Failure("question-left-open", {});
  return serviceCalled(workspace, title);
}
