import { Failure } from "../../core/failure.ts";
import type { Kit } from "../../core/kit/index.ts";
import { KEY, type Workspace } from "../../workspace/index.ts";
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
  const key = title
    .toLowerCase()
    .normalize("NFKD")
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-+|-+$/g, "");
  if (!KEY.test(key)) throw new Failure("service-name", { given: title });
  return { key, title: services[key]?.title ?? title };
}

/** The service that options name. */
export function namedService(workspace: Workspace, { addService, service: named }: ServiceNamed): ServiceOfAsk | undefined {
  const { services } = workspace.settings;
  if (addService !== undefined) return serviceCalled(workspace, addService);
  if (named === undefined) return undefined;
  const service = services[named];
  if (service === undefined) throw new Failure("unknown-service", { given: named, known: Object.keys(services) });
  return { key: named, title: service.title };
}

const escapeRegex = (text: string) => text.replace(/[.*+?^${}()|[\]\\]/g, "\\$&");

/**
 * The service a paste is from: the one of the kit that its records fill in, or the one whose title or key the text names.
 * On a terminal it is asked otherwise, and may be a new one; elsewhere that ends the command.
 */
export async function serviceOfPaste(
  workspace: Workspace,
  kit: Kit | undefined,
  text: string,
  context: Pick<AppContext, "interactive" | "choose" | "prompt">,
): Promise<ServiceOfAsk> {
  const all = Object.entries(workspace.settings.services).map(([key, { title }]) => ({ key, title }));
  if (kit !== undefined) return all.find(({ key }) => key === kit.service) ?? { key: kit.service, title: kit.title };
  const found = all.filter(({ key, title }) =>
    new RegExp(`(^|[^a-z0-9])(${escapeRegex(title)}|${escapeRegex(key)})($|[^a-z0-9])`, "i").test(text),
  );
  const [only, ...more] = found;
  if (only !== undefined && more.length === 0) return only;
  if (!context.interactive) throw new Failure("which-service", { known: (found.length > 0 ? found : all).map(({ key }) => key) });
  const chosen = all.length === 0 ? ANOTHER : await context.choose({ kind: "which-service", known: all });
  if (chosen === undefined) throw new Failure("question-left-open", {});
  if (chosen !== ANOTHER) return namedService(workspace, { service: chosen, addService: undefined }) as ServiceOfAsk;
  const title = await answerFrom(context, "What is the service called? ");
  if (title === "") throw new Failure("question-left-open", {});
  return serviceCalled(workspace, title);
}

/** The answer that a service is none of those that are known; no key of a service looks like this. */
export const ANOTHER = "another one";
